"""Recorded openings in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.opening import Recording, Taste
from nuvik.core.model.units import format_bytes, format_count, format_duration


def recorded_sentence(library: Library, recording: Recording, labels: Mapping[str, str]) -> str:
    """What one opening took and read."""
    drive = shown(labels.get(recording.drive, recording.drive))
    share = recording.bytes_read / library.bytes if library.bytes else 0.0
    of_it = f" ({share:.1%} of it)" if 0 < share < 1 else ""
    return (
        f"{shown(library.name)} was ready after {format_duration(recording.seconds)} on {drive}: "
        f"{format_bytes(recording.bytes_read)}{of_it} read from {format_count(recording.files_read, 'file')} "
        f"in {format_count(recording.runs, 'stretch', 'stretches')}, {format_duration(recording.computing_s)} computed."
    )


def elsewhere_sentence(recording: Recording, labels: Mapping[str, str]) -> str:
    """What other drives read meanwhile; empty where that is next to nothing."""
    notable = {drive: count for drive, count in (recording.elsewhere_bytes or {}).items() if count > 1_000_000}
    if not notable:
        return ""
    where = " and ".join(
        f"{format_bytes(count)} from {shown(labels.get(drive, drive))}" for drive, count in notable.items()
    )
    return f"Meanwhile {where} were read, perhaps for the same opening: its settings or its cache may be there."


def taste_sentence(library: Library, taste: Taste, labels: Mapping[str, str]) -> str:
    """Whether it is any quicker from there, and what it took to find out."""
    there = shown(labels.get(taste.drive, taste.drive))
    low, likely, high = (format_duration(seconds) for seconds in (taste.low_s, taste.there_s, taste.high_s))
    between = f" ({low} to {high})" if low != high else ""
    return (
        f"{shown(library.name)} opens in {likely}{between} from {there}; now in {format_duration(taste.here_s)}. "
        f"It took {format_bytes(taste.copied_bytes)} instead of {format_bytes(library.bytes)} to find out."
    )


def recordings_headline(library: Library, recordings: Sequence[Recording]) -> str:
    """How well its opening is known."""
    if not recordings:
        return f"No opening of {shown(library.name)} was recorded yet."
    drives = len({each.drive for each in recordings})
    where = "on one drive: from others it is known to a fifth" if drives == 1 else f"on {drives} drives"
    return f"{format_count(len(recordings), 'opening')} of {shown(library.name)} recorded, {where}."
