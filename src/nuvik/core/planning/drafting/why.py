"""Why a library is where it is: where its seconds come from, on each drive, and what it would be worth elsewhere."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.drafting.recommendation import Recommendation
from nuvik.core.planning.placement.limits import why_cannot, why_unwanted
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.waiting import OpeningTime, opening_time
from nuvik.core.planning.search.ideal import prices_of_room


@dataclass(frozen=True, slots=True, kw_only=True)
class OnDrive:
    """What it means that a library stands on one drive."""

    drive: str
    label: str
    here: bool
    opening: OpeningTime
    """Where the seconds of one opening come from."""
    waiting_s_per_week: float
    saves_s_per_week: float
    """Compared with where it stands now; below zero when one would wait longer."""
    worth_s_per_week_per_gb: float
    """What each GB of it saves there."""
    line_s_per_week_per_gb: float
    """What a GB of room is worth on this drive: below this, others are better off there."""
    obstacle: str
    """Why it cannot go there, or should not; empty when nothing stands in its way."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Why:
    """A library, and what each drive would mean for it."""

    library: Library
    drives: tuple[OnDrive, ...]
    """The one where it stands first, then the attached ones, the one that saves most first."""
    moves_to: str
    """The label of the drive to which it should go; empty when it should stay."""
    reason: str
    """Why it moves or stays, as the recommendation says."""


def why(snapshot: Snapshot, wishes: Wishes, recommendation: Recommendation, library: Library) -> Why:
    """Why a library moves or stays."""
    model = Placement(snapshot, wishes)
    prices = prices_of_room(model, model.program.relaxed()) if model.program.costs else {}
    by_id = {drive.id: drive for drive in snapshot.drives}
    here = by_id[library.drive]
    rows = [
        _on_drive(library, drive, here, wishes, prices.get(drive.id, 0.0) / wishes.weeks)
        for drive in snapshot.drives
        if drive.attached or drive is here
    ]
    goal = recommendation.draft.places.get(library.id)
    kept = recommendation.kept.get(library.id)
    return Why(
        library=library,
        drives=tuple(sorted(rows, key=lambda row: (not row.here, -row.saves_s_per_week, row.label))),
        moves_to=by_id[goal].label if goal else "",
        reason=recommendation.reasons.get(library.id, "") if goal else kept.reason if kept else "",
    )


def _on_drive(library: Library, drive: Drive, here: Drive, wishes: Wishes, line: float) -> OnDrive:
    there, now = opening_time(library, drive), opening_time(library, here)
    saves_s = (now.total_s - there.total_s) * library.opens_per_week
    obstacle = "" if drive is here else why_cannot(library, drive, here) or why_unwanted(library, drive, wishes) or ""
    return OnDrive(
        drive=drive.id,
        label=drive.label,
        here=drive is here,
        opening=there,
        waiting_s_per_week=there.total_s * library.opens_per_week,
        saves_s_per_week=saves_s,
        worth_s_per_week_per_gb=saves_s / max(0.001, library.room_on(drive) / 1e9),
        line_s_per_week_per_gb=line,
        obstacle=obstacle,
    )
