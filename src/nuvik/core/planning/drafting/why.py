"""Why a library is where it is: where its seconds come from, on each drive, and what it would be worth elsewhere."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.drafting.recommendation import Recommendation
from nuvik.core.planning.placement.costs import placement_cost_s
from nuvik.core.planning.placement.limits import why_cannot, why_unwanted
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.waiting import OpeningTime, known_by, opening_bounds_s, opening_time, waits_per_week
from nuvik.core.planning.search.ideal import prices_of_room

_OFTEN = 1_000.0


@dataclass(frozen=True, slots=True, kw_only=True)
class OnDrive:
    """What it means that a library stands on one drive."""

    drive: str
    label: str
    here: bool
    opening: OpeningTime
    """Where the seconds of one opening come from."""
    bounds_s: tuple[float, float] | None
    """Between what they lie, as far as the user's timings tell; None where the figures are those of its kind."""
    waiting_s_per_week: float
    saves_s_per_week: float
    """Compared with where it stands now; below zero when one would wait longer."""
    worth_s_per_week_per_gb: float
    """What each GB of it saves there."""
    line_s_per_week_per_gb: float
    """What a GB of room is worth on this drive: below this, others are better off there."""
    pays_from_per_week: float | None
    """From how many openings a week on it belongs there rather than where it is; None where no use would do …"""
    pays_below_per_week: float | None
    """… and with how few it does, where it would open slower there."""
    obstacle: str
    """Why it cannot go there, or should not; empty when nothing stands in its way."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Why:
    """A library, and what each drive would mean for it."""

    library: Library
    drives: tuple[OnDrive, ...]
    """The one where it stands first, then the attached ones, the one that saves most first."""
    source: str
    """Where the seconds come from: assumed by its kind, timed by the user, or recorded."""
    moves_to: str
    """The id of the drive to which it should go; empty when it should stay."""
    reason: str
    """Why it moves or stays, as the recommendation says."""


def why(snapshot: Snapshot, wishes: Wishes, recommendation: Recommendation, library: Library) -> Why:
    """Why a library moves or stays."""
    model = Placement(snapshot, wishes)
    prices = prices_of_room(model, model.program.relaxed()) if model.program.costs else {}
    by_id = {drive.id: drive for drive in snapshot.drives}
    here = by_id[library.drive]
    rows = [
        _on_drive(library, drive, by_id, wishes, prices) for drive in snapshot.drives if drive.attached or drive is here
    ]
    goal = recommendation.draft.places.get(library.id)
    kept = recommendation.kept.get(library.id)
    return Why(
        library=library,
        drives=tuple(sorted(rows, key=lambda row: (not row.here, -row.saves_s_per_week, row.label))),
        source=known_by(library),
        moves_to=goal or "",
        reason=recommendation.reasons.get(library.id, "") if goal else kept.reason if kept else "",
    )


def _on_drive(
    library: Library, drive: Drive, drives: Mapping[str, Drive], wishes: Wishes, prices: Mapping[str, float]
) -> OnDrive:
    here = drives[library.drive]
    there, now = opening_time(library, drive), opening_time(library, here)
    saves_s = (now.total_s - there.total_s) * waits_per_week(library)
    obstacle = "" if drive is here else why_cannot(library, drive, here) or why_unwanted(library, drive, wishes) or ""
    from_on, below = (None, None) if drive is here else _pays(library, drive, here, wishes, prices)
    return OnDrive(
        drive=drive.id,
        label=drive.label,
        here=drive is here,
        opening=there,
        bounds_s=opening_bounds_s(library, drive, drives),
        waiting_s_per_week=there.total_s * waits_per_week(library),
        saves_s_per_week=saves_s,
        worth_s_per_week_per_gb=saves_s / max(0.001, library.room_on(drive) / 1e9),
        line_s_per_week_per_gb=prices.get(drive.id, 0.0) / wishes.weeks,
        pays_from_per_week=from_on,
        pays_below_per_week=below,
        obstacle=obstacle,
    )


def _pays(
    library: Library, drive: Drive, here: Drive, wishes: Wishes, prices: Mapping[str, float]
) -> tuple[float | None, float | None]:
    """With how many openings a week it belongs on a drive rather than here: from so many on, or with fewer than that.
    What a placement costs rises in a line with the openings; the room that it takes there, and gives back here, counts
    at what a GB is worth on each.
    """

    def dearer_s(opens: float) -> float:
        used = replace(library, opens_per_week=opens)
        return placement_cost_s(used, drive, here, wishes) - placement_cost_s(used, here, here, wishes)

    room_s = (
        prices.get(drive.id, 0.0) * library.room_on(drive) - prices.get(here.id, 0.0) * library.on_disk_bytes
    ) / 1e9
    fixed_s, each_s = dearer_s(0.0) + room_s, (dearer_s(_OFTEN) - dearer_s(0.0)) / _OFTEN
    if each_s < 0:
        return max(0.0, fixed_s / -each_s), None
    return None, (-fixed_s / each_s if each_s > 0 and fixed_s < 0 else None)
