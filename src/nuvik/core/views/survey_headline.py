"""The one sentence with which Survey begins: how things stand and what matters most."""

from __future__ import annotations

from nuvik.core.model.capacity import how_full
from nuvik.core.model.drive import Drive
from nuvik.core.model.links import link_name
from nuvik.core.model.names import shown
from nuvik.core.model.progress import SurveyProgress
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.views.first_step import fullest
from nuvik.core.views.verdict_words import verdict_words

_LITTLE_SHARE = 0.25
"""Assumed: with less than a quarter of what is in use in libraries, much that a user has was not recognised."""


def survey_headline(snapshot: Snapshot) -> str:
    """For example “Kestrel is almost full: 38 GB free; 51 GB should stay free.”"""
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
        return f"No library was recognised on {drives}."
    shortest = fullest(snapshot)
    if shortest is None:
        roomiest = max(attached, key=lambda drive: drive.free_bytes)
        return (
            f"Every drive has enough free space. Most room: {shown(roomiest.label)}, "
            f"{format_bytes(roomiest.free_bytes)} free."
        )
    return f"{shown(shortest.label)} is almost full: {how_full(shortest)}."


def little_is_known(snapshot: Snapshot) -> bool:
    """Whether most of what is in use on the drives lies in no library: then the user can say more than Nuvik."""
    used = sum(drive.used_bytes for drive in snapshot.drives if drive.attached)
    known = sum(library.on_disk_bytes for library in snapshot.libraries)
    return bool(snapshot.taken_at) and known < _LITTLE_SHARE * used


def surveying_words(snapshot: Snapshot, progress: SurveyProgress) -> str:
    """How far a survey has got, and what was known before it."""
    if progress.entries:
        return (
            f"Surveying {shown(progress.drive)}: {format_count(progress.folders, 'folder')}, "
            f"{format_bytes(progress.bytes)} so far, {progress.share:.0%} of what is in use."
        )
    return f"Surveying again. {survey_headline(snapshot)}" if snapshot.libraries else "Looking at the drives …"


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
