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
    """One step as foreseen; times are seconds from the start of the plan."""

    n: int
    library: PathText
    start_s: float
    end_s: float
    copy_s: float
    prove_s: float
    release_s: float
    bytes: int
    free_after_bytes: dict[str, int]
    lowest_free_bytes: dict[str, int]
    """The least free space of each drive while this step runs."""


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
    waiting_before_s_per_week: float
    waiting_after_s_per_week: float
    away: dict[str, tuple[PathText, ...]] = field(default_factory=dict)
    """For each portable drive: the libraries that stop opening while it is unplugged, once the plan is carried."""

    @property
    def free_after_bytes(self) -> dict[str, int]:
        return self.steps[-1].free_after_bytes if self.steps else self.free_before_bytes
