"""A plan: steps with reasons. Made from one snapshot, and only good for what then lay there."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum

from nuvik.core.model.library import Kind
from nuvik.core.model.paths import PathText
from nuvik.core.model.tether import Tether, TetherKind


class Role(StrEnum):
    """What a step does for its library."""

    DIRECT = "direct"
    """It brings it to its place."""
    TO_STAGING = "to staging"
    """It brings it to a drive where it waits until its place is free."""
    FROM_STAGING = "from staging"
    """It takes it on from there."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """A library to be moved."""

    n: int
    library: PathText
    kind: Kind
    path: PathText
    bytes: int
    files: int
    from_drive: str
    to_drive: str
    target_path: PathText
    tether: TetherKind = TetherKind.LINK
    tethers: tuple[Tether, ...] = ()
    """What else keeps programs finding it, beside or in place of what is left at its old path."""
    reason: str = ""
    via: str | None = None
    """The staging drive, in both steps of a library that waits there for its place to become free: the step that goes
    there (`to_drive` is it) and the one that goes on (`from_drive` is it). None in all others."""
    on_disk_bytes: int | None = None
    """What it takes where it lies, in whole clusters and without holes; None when that was not measured."""
    room_bytes: int | None = None
    """What it is going to take on its target; None when that was not measured."""

    @property
    def role(self) -> Role:
        if self.via is None:
            return Role.DIRECT
        return Role.FROM_STAGING if self.via == self.from_drive else Role.TO_STAGING

    @property
    def frees_bytes(self) -> int:
        """What its drive should gain once it is gone."""
        return self.bytes if self.on_disk_bytes is None else self.on_disk_bytes

    @property
    def takes_bytes(self) -> int:
        """What its target should have less of once it is there."""
        return self.bytes if self.room_bytes is None else self.room_bytes


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A library that stays, and why."""

    library: PathText
    reason: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Landing:
    """Where new content of one kind goes from now on."""

    kind: Kind
    drive: str
    path: PathText
    """The folder it goes to."""
    reason: str = ""
    before: str = ""
    """The drive where it went so far, as far as that is known."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """Moves in the order they are to be made."""

    made_at: str
    host: str
    snapshot_taken_at: str
    steps: tuple[Step, ...]
    headroom_bytes: dict[str, int] = field(default_factory=dict)
    """What is to be free on each drive in the end."""
    waiting_before_s_per_week: float = 0.0
    waiting_after_s_per_week: float = 0.0
    waiting_before_range_s_per_week: tuple[float, float] | None = None
    waiting_after_range_s_per_week: tuple[float, float] | None = None
    """Between which bounds the waiting lies, where speeds are not known for sure."""
    proven_gap: float | None = None
    """How far from the best possible placement, proven; None for a plan made by hand."""
    unplaced: tuple[PathText, ...] = ()
    kept: tuple[Kept, ...] = ()
    landings: tuple[Landing, ...] = ()
    without_marks: bool = False
    """Go on where a target cannot keep all marks of a library: they are remembered for the way back."""
    keep_headroom: bool = False
    """No drive goes below its headroom for the length of a move either."""
    on_trial: bool = False
    """Keep the originals until they are released."""
    side_by_side: bool = False
    """Carry moves that share no disk at the same time."""

    @property
    def frees_bytes(self) -> int:
        """What its steps move, as it is held on the drives."""
        return sum(step.frees_bytes for step in self.steps)
