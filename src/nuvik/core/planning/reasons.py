"""Why a library moves, and why it stays, in units that people feel."""

from __future__ import annotations

from collections.abc import Mapping

from nuvik.core.model.clock import ago
from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_duration
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.proposal import Proposal, RoomOf, may_stand, moving_s, placement_cost_s
from nuvik.core.planning.waiting import opening_s, waiting_s_per_week
from nuvik.core.survey.headline import is_cold

_WORTH_TELLING_S = 1.0
"""Less than a second a week is no reason for anything."""


def why_moves(library: Library, here: Drive, there: Drive) -> str:
    """For example “opens in 9 s instead of 74 s, 4 times a week; frees 93 GB on Kestrel”."""
    before, after = opening_s(library, here), opening_s(library, there)
    opens = f"{format_duration(after)} instead of {format_duration(before)}"
    frees = f"frees {format_bytes(library.on_disk_bytes)} on {shown(here.label)}"
    if library.opens_per_week <= 0:
        cold = f"not used for {ago(library.last_used)}" if is_cold(library.last_used) else "hardly opened"
        return f"{frees}; {cold}, and then opens in {opens}"
    often = _often(library.opens_per_week)
    return f"opens in {opens}, {often}; {frees}" if after < before else f"{frees}; opens in {opens}, {often}"


def _often(per_week: float) -> str:
    return {1.0: "once a week", 2.0: "twice a week"}.get(per_week, f"{per_week:g} times a week")


def why_stays(
    library: Library, snapshot: Snapshot, spare_bytes: Mapping[str, int], wishes: Wishes, room_of: RoomOf
) -> str:
    """What keeps a library where it is: a rule, or what the best other place lacks or would cost. `spare_bytes` is what
    each drive has over its headroom once the proposal is carried.
    """
    drives = {drive.id: drive for drive in snapshot.drives}
    here = drives[library.drive]
    if library.id in wishes.pinned:
        return "you pinned it"
    if not library.movable:
        return library.why_not or "it may not move"
    able = [drive for drive in drives.values() if drive is not here and may_stand(library, drive, wishes)]
    if not able:
        return "no other drive can take it"
    best = min(able, key=lambda drive: waiting_s_per_week(library, drive))
    saved_s = waiting_s_per_week(library, here) - waiting_s_per_week(library, best)
    if saved_s < _WORTH_TELLING_S:
        return "nowhere would it open noticeably quicker"
    lacking = room_of(library, best) - spare_bytes[best.id]
    saves = f"{shown(best.label)} would save {format_duration(saved_s)} a week"
    if lacking > 0:
        return f"{saves}, and would need {format_bytes(lacking)} more there"
    gain = placement_cost_s(library, here, here, wishes) - placement_cost_s(library, best, here, wishes)
    takes = format_duration(moving_s(library, here, best))
    return f"{saves}; moving takes {takes} and is not worth it in {wishes.weeks:g} weeks" if gain <= 0 else saves


def spare_then(snapshot: Snapshot, proposal: Proposal, wishes: Wishes, room_of: RoomOf) -> dict[str, int]:
    """What is free over the headroom of each drive, by its id, once the proposal is carried."""
    drives = {drive.id: drive for drive in snapshot.drives}
    spare = {one.id: one.free_bytes - wishes.headroom_bytes.get(one.id, one.headroom_bytes) for one in snapshot.drives}
    for library in snapshot.libraries:
        goes_to = proposal.places.get(library.id)
        if goes_to is not None:
            spare[goes_to] -= room_of(library, drives[goes_to])
            spare[library.drive] += library.on_disk_bytes
    return spare
