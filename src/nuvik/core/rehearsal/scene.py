"""A scene: everything a simulation reckons with. What-ifs change it, each into another scene."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.plan import Plan
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timing import Pace
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.plan_vs_survey import draft_of
from nuvik.core.planning.placement.spaces import spaces_of
from nuvik.core.rehearsal.calibration import NOTHING_LEARNT, Calibration
from nuvik.core.rehearsal.phases import NO_PACE


@dataclass(frozen=True)
class Scene:
    """A plan on drives, as they are or as they might be."""

    plan: Plan
    drives: tuple[Drive, ...]
    snapshot: Snapshot | None = None
    on_trial: bool = False
    side_by_side: bool = False
    """Moves that share no disk go on at once: as the plan says, or to see what that would bring."""
    rooms: Mapping[int, int] = field(default_factory=dict)
    """What each step's library takes on its target, by the number of the step, where that was looked at."""
    pace: Pace = NO_PACE
    calibration: Calibration = NOTHING_LEARNT

    @cached_property
    def by_id(self) -> dict[str, Drive]:
        return {drive.id: drive for drive in self.drives}

    def floor_bytes(self, drive: Drive) -> int:
        """What is to be free on a drive in the end."""
        return self.plan.headroom_bytes.get(drive.id, drive.headroom_bytes)

    @cached_property
    def least_bytes(self) -> dict[str, int]:
        """What must be free on each attached drive at every moment, by its id."""
        wanted = {drive.id: self.floor_bytes(drive) for drive in self.drives}
        spaces = spaces_of(self.drives, Wishes(headroom_bytes=wanted, keep_headroom=self.plan.keep_headroom))
        return {drive.id: space.floor_bytes for space in spaces for drive in space.drives}

    def with_drive(self, changed: Drive) -> Scene:
        """The scene with one drive otherwise."""
        drives = tuple(changed if drive.id == changed.id else drive for drive in self.drives)
        snapshot = None if self.snapshot is None else replace(self.snapshot, drives=drives)
        return replace(self, drives=drives, snapshot=snapshot)

    def stopped_after(self, n: int) -> Scene:
        """The scene with only the first steps of the plan."""
        return replace(self, plan=replace(self.plan, steps=self.plan.steps[:n]))

    @cached_property
    def draft(self) -> Draft | None:
        """What the plan comes to, with the parts that it moves as pieces; None without a survey."""
        if self.snapshot is None:
            return None
        return draft_of(self.plan, replace(self.snapshot, drives=self.drives))[0]

    def not_opening_without(self, drive_id: str) -> list[Library]:
        """The libraries that do not open without a drive once the plan is carried: those that stand there, wholly or
        with a part that opening reads.
        """
        wanted = {
            library.piece.whole if library.piece is not None else library.id
            for library, place in self.stands
            if place == drive_id and (library.piece is None or library.piece.is_needed)
        }
        return [
            library
            for library, _ in self.stands
            if library.id in wanted and (library.piece is None or library.piece.body)
        ]

    @cached_property
    def stands(self) -> tuple[tuple[Library, str], ...]:
        """Each library or piece and the drive on which it stands once the plan is carried; of what is on trial, the
        kept originals not.
        """
        if self.draft is None:
            return ()
        return tuple((library, self.draft.place_of(library)) for library in self.draft.snapshot.libraries)
