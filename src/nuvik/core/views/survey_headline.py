"""The one sentence with which Survey begins: how things stand and what matters most."""

from __future__ import annotations

from nuvik.core.model.capacity import how_full
from nuvik.core.model.cold import is_cold
from nuvik.core.model.drive import Drive
from nuvik.core.model.links import link_name
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.views.verdict_words import verdict_words


def survey_headline(snapshot: Snapshot) -> str:
    """For example “Kestrel is nearly full: 38 GB free, you asked for 51. Eleven libraries there …”."""
    words = _how_it_stands(snapshot)
    return (
        words
        if snapshot.complete
        else f"The survey was stopped, so some of this may be missing or out of date. {words}"
    )


def _how_it_stands(snapshot: Snapshot) -> str:
    attached = [drive for drive in snapshot.drives if drive.attached]
    if not attached:
        return "No drive was found."
    if not snapshot.libraries:
        drives = format_count(len(attached), "drive")
        if not snapshot.taken_at:
            return f"{drives} attached, not surveyed yet."
        return f"No library was recognised on {drives}. The map of folders is where you can say what is one."
    full = [drive for drive in attached if how_full(drive) is not None]
    shortest = max(
        attached, key=lambda drive: (drive in full, drive.short_of_headroom_bytes / max(1, drive.usable_bytes))
    )
    if not full:
        roomiest = max(attached, key=lambda drive: drive.free_bytes)
        return (
            f"Every drive has enough free space. Most room: {shown(roomiest.label)}, "
            f"{format_bytes(roomiest.free_bytes)} free."
        )
    words = f"{shown(shortest.label)} is almost full: {how_full(shortest)}."
    cold = [library for library in snapshot.on_drive(shortest.id) if library.movable and is_cold(library.last_used)]
    if cold:
        many = "libraries" if len(cold) > 1 else "library"
        words += (
            f" {len(cold)} {many} there ({format_bytes(sum(library.on_disk_bytes for library in cold))}) "
            f"{'were' if len(cold) > 1 else 'was'} unused for a year."
        )
    elif biggest := next((library for library in snapshot.on_drive(shortest.id) if library.movable), None):
        words += f" The largest library there is {shown(biggest.name)}, {format_bytes(biggest.on_disk_bytes)}."
    return words


def library_facts(snapshot: Snapshot, library_id: str) -> str:
    """A line on a library: where it lies, and whether it may move."""
    library = snapshot.library(library_id)
    if library is None:
        return ""
    where = shown(library.path)
    if library.tether:
        where += f" (also opens as {shown(library.tether)})"
    verdict = verdict_words(library)
    return f"{where} · {verdict}" if verdict else where


def drive_facts(drive: Drive) -> str:
    """A line on a drive: what it is and how its speed is known."""
    if not drive.attached:
        return f"{shown(drive.label)}: {drive.why_away}"
    return (
        f"{shown(drive.label)} · {drive.medium_class.name} on {link_name(drive.link)} · {drive.rules.name} · "
        f"{format_bytes(drive.usable_bytes)} usable of {format_bytes(drive.capacity_bytes)} · "
        f"{format_bytes(drive.headroom_bytes)} headroom"
    )
