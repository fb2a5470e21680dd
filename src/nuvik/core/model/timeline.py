"""A timeline: what a rehearsal foresees, step by step, before anything is touched."""

from __future__ import annotations

from dataclasses import dataclass, field

from nuvik.core.model.paths import PathText


@dataclass(frozen=True, slots=True, kw_only=True)
class Violation:
    """Something that forbids a step, and what would mend it."""

    n: int
    library: PathText
    problem: str
    mend: str = ""
    drive: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class TimelineStep:
    """A step as foreseen; times are seconds from the start of the plan."""

    n: int
    library: PathText
    start_s: float
    end_s: float
    copy_s: float
    prove_s: float
    release_s: float
    bytes: int
    look_s: float = 0.0
    free_after_bytes: dict[str, int]
    lowest_free_bytes: dict[str, int]
    """The least free space of each drive while this step runs."""
    from_drive: str = ""
    to_drive: str = ""
    waiting_after_s_per_week: float | None = None
    """Once it is done; None where no survey tells of the libraries."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Dip:
    """A drive goes below its headroom for a while, and comes back above it."""

    drive: str
    lowest_bytes: int
    seconds: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Effect:
    """What a what-if comes to, in words."""

    what: str
    """The what-if, such as “without Wren”."""
    words: str
    bad: bool = False
    """It is to be looked at: something does not fit, does not open, or is lost."""
    names: str = ""
    """Which libraries it is about, in sentences of their own, where that takes many words."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Forecast:
    """In how many weeks a drive goes under its headroom at the rate of the surveys so far."""

    drive: str
    now: tuple[float, float] | None
    """Soonest and latest as things stand; None: not at this rate."""
    then: tuple[float, float] | None
    """The same once the plan is carried."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Timeline:
    """The whole plan as foreseen."""

    feasible: bool
    violations: tuple[Violation, ...]
    notes: tuple[str, ...]
    """What the user should know although it forbids nothing."""
    steps: tuple[TimelineStep, ...]
    total_s: float
    free_before_bytes: dict[str, int]
    lowest_free_bytes: dict[str, int]
    floor_bytes: dict[str, int]
    """The headroom of each drive: what is to be free in the end."""
    waiting_before_s_per_week: float
    waiting_after_s_per_week: float
    away: dict[str, tuple[PathText, ...]] = field(default_factory=dict)
    """For each portable drive: the libraries that stop opening while it is unplugged, once the plan is carried."""
    total_range_s: tuple[float, float] | None = None
    """Between which bounds the time lies, by what moves took so far."""
    curves: dict[str, tuple[tuple[float, int], ...]] = field(default_factory=dict)
    """Free space of each drive that changes, as (seconds, bytes from then on)."""
    dips: tuple[Dip, ...] = ()
    effects: tuple[Effect, ...] = ()
    forecast: tuple[Forecast, ...] = ()
    calibration: str = ""
    """How well moves were foreseen so far, in words."""

    @property
    def free_after_bytes(self) -> dict[str, int]:
        return self.steps[-1].free_after_bytes if self.steps else self.free_before_bytes
