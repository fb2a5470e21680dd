"""Landing: where new content of a kind goes from now on. Part of a plan, like a move.

The new content is taken to be like what there is: as large as the middle one of its kind, opened as often as they are
on average. It goes where the next few of them cost least waiting and leave the headroom alone.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import replace
from statistics import mean, median

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Landing
from nuvik.core.model.units import format_bytes, format_duration
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.target_paths import folder_for
from nuvik.core.planning.placement.waiting import needed_read_bytes_per_s, opening_s

NEXT_FEW = 3
"""Assumed: a landing must have room for so many more, so that it need not change at once."""
_LANDING_KINDS = frozenset(Kind) - {Kind.OTHER, Kind.DISC_IMAGE}


def newest_of(kind: Kind, libraries: Sequence[Library]) -> Library | None:
    """The library of a kind with the newest content: where that lies, new content goes so far."""
    dated = [
        library
        for library in libraries
        if library.kind is kind and library.piece is None and (library.newest_content or library.last_used)
    ]
    return max(dated, key=lambda library: (library.newest_content or library.last_used or "", library.id), default=None)


def propose_landings(draft: Draft) -> dict[Kind, Landing]:
    """For each kind that there is, where new content should go once a draft is carried, where that is a change."""
    landings = {}
    for kind in Kind:
        landing = propose_landing(draft, kind) if kind in _LANDING_KINDS else None
        if landing is not None and landing.drive != landing.before:
            landings[kind] = landing
    return landings


def propose_landing(draft: Draft, kind: Kind) -> Landing | None:
    """Where new content of one kind should go; None where nothing of that kind is known, or no drive has room."""
    newest = newest_of(kind, draft.snapshot.libraries)
    if newest is None:
        return None
    likes = [library for library in draft.snapshot.libraries if library.kind is kind and library.piece is None]
    size, opens = int(median(library.bytes for library in likes)), mean(library.opens_per_week for library in likes)
    typical = replace(newest, bytes=size, opens_per_week=opens, opening_factor=1.0, computing_s=None)
    roomy = [
        drive for drive in draft.drives if _why_not(typical, drive) is None and _spare(draft, drive) >= NEXT_FEW * size
    ]
    if not roomy:
        return None
    before = draft.drive(newest.drive)

    def worse(drive: Drive) -> tuple[float, bool, int, str]:
        """Costs nearer than a second a week are alike; then it stays as it is, or goes where most room is."""
        return round(opening_s(typical, drive) * opens), drive is not before, -_spare(draft, drive), drive.id

    best = min(roomy, key=worse)
    reason = f"{format_bytes(_spare(draft, best))} more free than its headroom"
    if before.id != best.id and before not in roomy:
        why_not = _why_not(typical, before) or f"has no room for {NEXT_FEW} more like it"
        reason += f"; {shown(before.label)}, where {shown(newest.name)} was stored, {why_not}"
    elif opens > 0:
        reason += f"; a typical one opens there in {format_duration(opening_s(typical, best))}"
    return Landing(kind=kind, drive=best.id, path=folder_for(kind, best), reason=reason, before=before.id)


def landing_on(draft: Draft, kind: Kind, drive: Drive, path: str | None = None) -> Landing:
    """The landing that the user chooses."""
    newest = newest_of(kind, draft.snapshot.libraries)
    return Landing(
        kind=kind,
        drive=drive.id,
        path=path or folder_for(kind, drive),
        reason="you chose it",
        before=newest.drive if newest else "",
    )


def landing_so_far(draft: Draft, kind: Kind) -> Landing | None:
    """Where new content of a kind goes so far; None where none is known."""
    newest = newest_of(kind, draft.snapshot.libraries)
    if newest is None:
        return None
    return Landing(
        kind=kind,
        drive=newest.drive,
        path=os.path.dirname(newest.path),
        before=newest.drive,
        reason=f"the newest one, {shown(newest.name)}, was stored there",
    )


def _why_not(typical: Library, drive: Drive) -> str | None:
    """Why new content like this cannot go to a drive, however much room it has, as the end of a sentence; None when it
    can.
    """
    needed = needed_read_bytes_per_s(replace(typical, needs_read_bytes_per_s=None))
    largest = drive.rules.largest_file_bytes
    if not drive.takes_new:
        return "takes nothing new" if drive.attached else "is away"
    if drive.portable:
        return "is portable and may be away when something new comes"
    if drive.welcomes and typical.kind not in drive.welcomes:
        return "is meant for other kinds"
    if needed is not None and drive.read_bytes_per_s < needed:
        return "is too slow for it"
    if largest is not None and typical.largest_file_bytes > largest:
        return "cannot hold files that large"
    return None


def _spare(draft: Draft, drive: Drive) -> int:
    return draft.free_then_bytes(drive.id) - drive.headroom_bytes
