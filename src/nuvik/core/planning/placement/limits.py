"""The hard rules: where a library may be put at all.

What is impossible is kept apart from what the user does not want, since only the latter can be given up.
"""

from __future__ import annotations

from collections.abc import Iterable

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library, Verdict
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.main_tether import can_leave
from nuvik.core.survey.recognise.may_move import PINNED


def may_stand(library: Library, drive: Drive, source: Drive, wishes: Wishes) -> bool:
    """Whether a library may be put on a drive at all; where it stands now it may always stay."""
    return drive.id == source.id or (
        why_cannot(library, drive, source) is None and why_unwanted(library, drive, wishes) is None
    )


def as_placed(library: Library, drive: Drive, wishes: Wishes) -> Wishes:
    """The wishes by which a library that moves may wait on a drive: whatever is not forbidden there."""
    return Wishes(placed={library.id: drive.id}, forbidden=wishes.forbidden)


def may_wait(library: Library, drive: Drive, source: Drive, wishes: Wishes) -> bool:
    """Whether a library that moves may wait on a drive, on its way to another one."""
    return (
        drive.id != source.id
        and drive.attached
        and not drive.portable
        # Holes that are lost on the way would not come back.
        and (drive.rules.holes or not library.hole_bytes)
        and may_stand(library, drive, source, as_placed(library, drive, wishes))
    )


def is_pinned(library: Library, wishes: Wishes) -> bool:
    whole = library.piece.whole if library.piece else library.id
    return library.id in wishes.pinned or whole in wishes.pinned or library.why_not == PINNED


def could_hold(drive: Drive, library: Library) -> bool:
    """Whether a library would fit on a drive if nothing else of the user's were there."""
    rules = drive.rules
    if not drive.attached or drive.read_only or drive.no_place or (library.holds_links and not rules.symlinks):
        return False
    if rules.largest_file_bytes is not None and library.largest_file_bytes > rules.largest_file_bytes:
        return False
    return library.room_on(drive) <= drive.usable_bytes - drive.headroom_bytes


def why_cannot(library: Library, drive: Drive, source: Drive) -> str | None:
    """What makes it impossible to put a library on another drive, whatever the user wants; None when it can be."""
    rules = drive.rules
    if not library.movable and library.why_not != PINNED:
        return library.why_not or "it may not move"
    if not drive.attached or not source.attached:
        return f"{shown(drive.label if source.attached else source.label)} is away"
    if copy := next((each for each in (drive, source) if each.copy_of), None):
        return f"{shown(copy.label)} and {shown(copy.copy_of)} carry one identity, as copies do"
    if drive.read_only:
        return f"{shown(drive.label)} is read-only"
    if drive.no_place:
        return f"nothing can be put on {shown(drive.label)}: {drive.no_place}"
    if source.read_only:
        return f"{shown(source.label)} is read-only"
    if drive.shares_space_with(source):
        return f"{shown(drive.label)} and {shown(source.label)} share their free space"
    if not can_leave(library, source):
        return f"{shown(source.label)} is {source.rules.name}, which holds no links: it needs a tether of another kind"
    if rules.largest_file_bytes is not None and library.largest_file_bytes > rules.largest_file_bytes:
        return f"{rules.name} on {shown(drive.label)} holds files up to {format_bytes(rules.largest_file_bytes)}"
    if library.holds_links and not rules.symlinks:
        return f"{rules.name} on {shown(drive.label)} cannot hold the links in it"
    return None


def why_unwanted(library: Library, drive: Drive, wishes: Wishes) -> str | None:
    """Which of the user's own wishes keeps a library off another drive, or what speaks against moving it now unless
    they have put it there themselves; None when nothing does.
    """
    whole = library.piece.whole if library.piece else library.id
    if is_pinned(library, wishes):
        return PINNED
    if (library.id, drive.id) in wishes.forbidden or (whole, drive.id) in wishes.forbidden:
        return f"you do not want it on {shown(drive.label)}"
    goal = wishes.placed.get(library.id)
    if goal is not None and goal != drive.id:
        return "you have put it elsewhere"
    if goal is None and library.verdict is Verdict.LATER:
        return f"not now: {library.caution}"
    if drive.welcomes and not _kinds(library) & set(drive.welcomes):
        return f"{shown(drive.label)} is for {', '.join(drive.welcomes)} only"
    return None


def _kinds(library: Library) -> set[str]:
    """A part is welcome where its whole library is."""
    return {str(library.kind)} | ({str(library.piece.kind)} if library.piece else set())


def disks_of(drives: Iterable[Drive]) -> list[frozenset[str]]:
    """The ids of drives that lie on one disk, disk by disk: what fails together. One on several disks is in each."""
    listed = list(drives)
    return list(
        dict.fromkeys(frozenset(other.id for other in listed if drive.shares_disk_with(other)) for drive in listed)
    )
