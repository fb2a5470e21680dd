"""Why a library moves, and why it stays, in units that people feel."""

from __future__ import annotations

from collections.abc import Mapping

from nuvik.core.model.clock import ago
from nuvik.core.model.cold import is_cold
from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Kind, Library, Verdict
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_duration, instead_of
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.placement.costs import moving_s, placement_cost_s
from nuvik.core.planning.placement.demands import Demand
from nuvik.core.planning.placement.limits import is_pinned, may_stand, why_cannot
from nuvik.core.planning.placement.spaces import headroom_wanted
from nuvik.core.planning.placement.waiting import opening_s, waiting_s_per_week

_WORTH_TELLING_S = 1.0
"""Less than a second a week is no reason for anything."""


def why_moves(library: Library, here: Drive, there: Drive, demands: list[Demand], gathers: str = "") -> str:
    """For example “opens in 9 s instead of 74 s, 4 times a week; frees 93 GB on Kestrel”. `demands` are those that
    are met by the proposal and are not now, `gathers` the collection that stands on fewer drives then.
    """
    met = "".join(f"{demand.words}; " for demand in demands if library.id in demand.libraries)
    met += f"gathers {gathers}; " if gathers else ""
    before, after = opening_s(library, here), opening_s(library, there)
    opens = instead_of(format_duration(after), format_duration(before))
    frees = f"frees {format_bytes(library.on_disk_bytes)} on {shown(here.label)}"
    if library.piece is not None and library.kind is Kind.BACKUP and not library.piece.body:
        beside = here.shares_disk_with(there)
        return f"{met}{frees}" + ("" if beside else "; a backup on the same disk is no backup")
    if library.opens_per_week <= 0:
        use = "how often it is opened is not known" if not library.openings_known else "hardly ever opened"
        use = f"not used for {ago(library.last_used)}" if is_cold(library.last_used) else use
        return f"{met}{frees}; {use}" + (f"; it then opens in {opens}" if before != after else "")
    often = how_often(library.opens_per_week)
    if library.piece is not None:
        opens = f"{format_duration(abs(before - after))} {'quicker' if after < before else 'slower'} if it is there"
        which = "" if library.piece.body else "its library "
        return f"{met}{frees}; {which}opens {opens}, {often}"
    quicker = f"opens in {opens}, {often}; {frees}"
    return met + (quicker if after < before else f"{frees}; opens in {opens}, {often}")


def how_often(per_week: float) -> str:
    """For example “twice a week” or “every 4 weeks”."""
    if 0 < per_week < 1 and abs(1 / per_week - round(1 / per_week)) < 0.05:
        return f"every {round(1 / per_week)} weeks"
    return {1.0: "once a week", 2.0: "twice a week"}.get(per_week, f"{per_week:g} times a week")


def why_stays(library: Library, snapshot: Snapshot, spare_bytes: Mapping[str, int], wishes: Wishes) -> str:
    """What keeps a library where it is: a rule, or what the best other place lacks or would cost. `spare_bytes` is what
    each drive has over its headroom once the proposal is carried.
    """
    drives = {drive.id: drive for drive in snapshot.drives}
    here = drives[library.drive]
    if is_pinned(library, wishes):
        return "you pinned it"
    if not library.movable:
        return library.why_not or "it may not move"
    if library.verdict is Verdict.LATER and library.id not in wishes.placed:
        return f"not now: {library.caution}"
    able = [drive for drive in drives.values() if drive is not here and may_stand(library, drive, here, wishes)]
    if not able:
        others = (why_cannot(library, drive, here) for drive in drives.values() if drive is not here)
        why = next((reason for reason in others if reason), "")
        return f"no other drive can take it ({why})" if why else "no other drive is allowed to take it"
    best = min(able, key=lambda drive: waiting_s_per_week(library, drive))
    saved_s = waiting_s_per_week(library, here) - waiting_s_per_week(library, best)
    if saved_s < _WORTH_TELLING_S:
        return "it would not open noticeably faster anywhere else"
    lacking = library.room_on(best) - spare_bytes[best.id]
    saves = f"{shown(best.label)} would save {format_duration(saved_s)} a week"
    if lacking > 0:
        return f"{saves}, but would need {format_bytes(lacking)} more there"
    gain = placement_cost_s(library, here, here, wishes) - placement_cost_s(library, best, here, wishes)
    takes = format_duration(moving_s(library, here, best))
    if gain > 0:
        limited = wishes.most_moves is not None or wishes.most_moving_s is not None
        if limited:
            return f"{saves}, but within your limits others come first"
        return f"{saves}, but the room that it would take there is worth more"
    away_s = library.opens_per_week * wishes.weighed.away_open_s if best.portable else 0.0
    if saved_s <= away_s:
        return f"{saves}, but it is sometimes away, and fetching it would cost more time than that saves"
    pays_after = wishes.weeks - gain / (saved_s - away_s)  # what is still lacking, at what each week brings
    pays = f"would pay off only after {pays_after:.0f} weeks, not within {wishes.weeks:g}"
    return f"{saves}, but moving takes {takes} and {pays}"


def spare_then(draft: Draft, wishes: Wishes) -> dict[str, int]:
    """What is free over the headroom of each drive, by its id, once a draft is carried."""
    return {
        drive.id: draft.free_then_bytes(drive.id) - headroom_wanted(drive, wishes) for drive in draft.snapshot.drives
    }
