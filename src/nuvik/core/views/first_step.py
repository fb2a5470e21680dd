"""The first thing worth doing after a survey: one move that gives the fullest drive room, or why there is none."""

from __future__ import annotations

from collections import Counter

from nuvik.core.model.capacity import how_full
from nuvik.core.model.clock import ago
from nuvik.core.model.cold import is_cold
from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library, Verdict
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.limits import may_stand, why_cannot

_WORTH_SHARE = 0.002
"""Assumed: of the drive; moving less than this is not worth naming."""


def fullest(snapshot: Snapshot) -> Drive | None:
    """The attached drive that is furthest short of its headroom, of those that are nearly full; None when none is."""
    full = [drive for drive in snapshot.drives if how_full(drive) is not None]
    return max(full, key=lambda drive: drive.short_of_headroom_bytes / max(1, drive.usable_bytes), default=None)


def first_drive(snapshot: Snapshot) -> Drive | None:
    """The drive to look at first: the one that is shortest of its headroom, else the one that is used most of those
    from which something may move; None where nothing may.
    """
    movable = {library.drive for library in snapshot.libraries if library.movable}
    able = [drive for drive in snapshot.drives if drive.attached and drive.id in movable]
    used = max(able, key=lambda drive: drive.used_bytes / max(1, drive.usable_bytes), default=None)
    return (fullest(snapshot) if snapshot.libraries else None) or used


def first_step(snapshot: Snapshot) -> str:
    """A sentence on what to move first, and where to; empty when no drive is nearly full or nothing was surveyed.

    It is no plan: use is only used to prefer what has not been used for a year, and nothing that is really used or in
    use at the moment is named.
    """
    drive = fullest(snapshot)
    if drive is None or not snapshot.libraries:
        return ""
    able = [
        (library, target)
        for library in snapshot.on_drive(drive.id)
        if library.on_disk_bytes >= _WORTH_SHARE * drive.usable_bytes
        and not library.working_set
        and library.verdict is Verdict.FREE
        and (target := _target(library, drive, snapshot)) is not None
    ]
    if not able:
        return _why_nothing(drive, snapshot)
    lacking = drive.short_of_headroom_bytes
    cold = [pair for pair in able if is_cold(pair[0].last_used)]
    enough = [pair for pair in cold or able if pair[0].on_disk_bytes >= lacking]
    if enough:
        library, target = min(enough, key=lambda pair: (pair[0].opens_per_week, pair[0].on_disk_bytes))
    else:
        library, target = cold[0] if cold else min(able, key=lambda pair: pair[0].opens_per_week)
    what = f"{shown(library.name)} ({format_bytes(library.on_disk_bytes)}, {_use(library)})"
    if library.on_disk_bytes >= lacking > 0:
        return f"Moving {what} to {shown(target.label)} would free enough."
    more = f" Another {format_count(len(cold) - 1, 'library', 'libraries')} there could follow." if cold[1:] else ""
    return f"Begin with {what}: {shown(target.label)} has room for it.{more}"


def _use(library: Library) -> str:
    if library.last_used is None:
        return "last use not known"
    when = ago(library.last_used)
    return f"last used {when if when == 'today' else f'{when} ago'}"


def _target(library: Library, source: Drive, snapshot: Snapshot) -> Drive | None:
    """The drive with most room to which the library may go without taking its headroom; a built-in one, if any."""
    able = [
        drive
        for drive in snapshot.drives
        if drive.id != source.id
        and may_stand(library, drive, source, Wishes())
        and drive.free_bytes - library.room_on(drive) >= drive.headroom_bytes
    ]
    return max(able, key=lambda drive: (not drive.portable, drive.free_bytes), default=None)


def _why_nothing(drive: Drive, snapshot: Snapshot) -> str:
    """What stands most in the way of the bytes that are on the drive."""
    others = [other for other in snapshot.drives if other.attached and other.id != drive.id]
    if not others:
        return "There is no other drive to move anything to: attach one."
    reasons: Counter[str] = Counter()
    for library in snapshot.on_drive(drive.id):
        why = [why_cannot(library, other, drive) for other in others]
        reason = library.why_not or library.caution if library.verdict is not Verdict.FREE else why[0] or ""
        if library.verdict is Verdict.FREE and None in why:
            reason = "no other drive has room for it"
        reasons[reason] += library.on_disk_bytes
    if not reasons:
        return f"No library was recognised on {shown(drive.label)}."
    reason, held = reasons.most_common(1)[0]
    return f"Nothing on {shown(drive.label)} can move as things are; of {format_bytes(held)} there: {reason}."
