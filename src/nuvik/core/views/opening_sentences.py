"""Recorded openings in words."""

from __future__ import annotations

import os
import shlex
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.opening import Afterwards, Recording, Taste, Warm
from nuvik.core.model.units import format_bytes, format_count, format_duration
from nuvik.core.planning.drafting.reasons import how_often

if TYPE_CHECKING:
    from nuvik.core.stages.openings import TasteOffer

_PARTS = 8
"""So many folders are listed."""


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


def _others_sentence(recording: Recording) -> str:
    """Which other libraries it needed, and how much of each."""
    others = [
        shown(os.path.basename(each.library)) + (f" ({format_bytes(each.bytes)})" if each.bytes is not None else "")
        for each in recording.others
    ]
    words = f"It also needs {' and '.join(others)}"
    if any(each.bytes is None for each in recording.others):
        return f"{words}: recorded once more, it is seen how much of that."
    return f"{words}."


def elsewhere_sentence(recording: Recording, labels: Mapping[str, str]) -> str:
    """Which other libraries it needed, else what other drives read meanwhile; empty where that is next to nothing."""
    notable = {drive: count for drive, count in (recording.elsewhere_bytes or {}).items() if count > 1_000_000}
    if recording.others:
        return _others_sentence(recording)
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


def warm_lines(library: Library, parts: Sequence[Warm]) -> Iterator[str]:
    """How much of a library is really used, where, and what could be placed apart."""
    if not parts:
        return
    yield f"{ever_read(parts)}:"
    for part in parts[:_PARTS]:
        name = shown(part.name) if part.name else "(files beside the folders)"
        yield f"  {format_bytes(part.read_bytes):>9} of {format_bytes(part.bytes):>9}  {name}"
    for part in parts:
        if part.may_go_apart:
            where = shlex.quote(library.path)
            yield (
                f"Next to nothing of {shown(part.name)} was ever read: it can be placed apart, on a slower drive "
                f"(nuvik card {shown(where)} --part {shown(shlex.quote(part.name))}=KIND)."
            )


def ever_read(parts: Sequence[Warm]) -> str:
    """How much of a library its openings ever read, without a stop at the end."""
    read, whole = sum(part.read_bytes for part in parts), sum(part.bytes for part in parts)
    return f"{format_bytes(read)} of {format_bytes(whole)} were ever read when it was opened"


def offer_line(offer: TasteOffer, labels: Mapping[str, str]) -> str:
    """What tasting a library on a drive would write, or why it cannot be done."""
    where = f"{shown(offer.library.name)} on {shown(labels.get(offer.drive.id, offer.drive.id))}"
    return f"{where}: {offer.refusal}" if offer.refusal else f"{where}: {format_bytes(offer.bytes)}"


def afterwards_sentence(row: Afterwards) -> str:
    """Whether a move did what it was to do for the opening of its library, with the move."""
    return f"Move {row.move}, {shown(row.library)}: {came_of(row)}"


def came_of(row: Afterwards) -> str:
    """Whether a move did what it was to do for the opening of its library."""
    low, likely, high = (format_duration(seconds) for seconds in (row.low_s, row.expected_s, row.high_s))
    words = f"expected to open in {likely} ({low} to {high})"
    if row.took_s is None:
        before = format_duration(row.before_s)
        return f"{words} instead of {before}; not recorded since: “nuvik opening record” tells what came of it"
    words += f", opens in {format_duration(row.took_s)}"
    if not row.as_expected:
        words += ", which is not as expected"
    change_s = row.took_s - row.before_s
    often = f", {how_often(row.opens_per_week)}" if row.opens_per_week else ""
    if row.did_not_pay:
        often += f". It did not pay: “nuvik undo {row.move}” takes it back"
    if abs(change_s) < 0.05 * row.before_s:
        return f"{words}: as long as before{often}."
    return f"{words}: {format_duration(abs(change_s))} {'longer' if change_s > 0 else 'quicker'} than before{often}."


def afterwards_headline(rows: Sequence[Afterwards]) -> str:
    """How good the expectations were, over all moves."""
    met = [row for row in rows if row.took_s is not None]
    if not met:
        return "No library was recorded both before it was moved and since."
    right, lost = sum(row.as_expected for row in met), sum(row.did_not_pay for row in met)
    words = f"{right} of {format_count(len(met), 'moved library opens', 'moved libraries open')} as expected"
    return f"{words}; {format_count(lost, 'move')} did not pay." if lost else f"{words}."


def again_sentence(rows: Sequence[Afterwards], moves: Collection[int]) -> str:
    """Which of these moves can be judged by recording once more; empty where none was recorded before."""
    again = [shown(row.library) for row in rows if row.move in moves and row.took_s is None]
    if not again:
        return ""
    names = " and ".join(again[:2]) + (" and more" if len(again) > 2 else "")
    were = "The opening of {} was" if len(again) == 1 else "The openings of {} were"
    return f"{were.format(names)} recorded before: “nuvik opening record” tells whether the move paid."


def recordings_headline(library: Library, recordings: Sequence[Recording]) -> str:
    """How well its opening is known."""
    if not recordings:
        return f"No opening of {shown(library.name)} was recorded yet."
    drives = len({each.drive for each in recordings})
    where = "on one drive: from others it is known to a fifth" if drives == 1 else f"on {drives} drives"
    return f"{format_count(len(recordings), 'opening')} of {shown(library.name)} recorded, {where}."
