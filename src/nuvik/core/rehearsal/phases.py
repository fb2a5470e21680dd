"""How long one step takes, phase by phase, on drives of known speed.

copy     reading the source and writing the target; the system holds back what is written for a while, then both go
         on side by side, or in turns where both volumes lie on one disk; a small read to find each file
prove    reading the copy back
look     looking twice whether anything changed meanwhile
release  removing the original
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.plan import Step
from nuvik.core.model.timing import HELD_BACK_S, Pace, WritePace, find_seconds, per_file_seconds, read_seconds

_SIDE_WORK = 8
"""Small operations that every move needs on its target besides its own files: folders, the sidecar, renames."""
NO_PACE = Pace()


@dataclass(frozen=True, slots=True)
class StepTimes:
    """The seconds of one step by phase."""

    copy_s: float
    prove_s: float
    look_s: float
    release_s: float

    @property
    def total_s(self) -> float:
        return self.copy_s + self.prove_s + self.look_s + self.release_s


def step_times(
    step: Step,
    source: Drive,
    writing: WritePace,
    start_s: float,
    on_trial: bool,
    pace: Pace = NO_PACE,
    factor: float = 1.0,
) -> StepTimes:
    """How long one step takes from `start_s` on; `writing` is the target being written to. What the drives take for the
    bytes is multiplied by `factor`, what every file takes there by the factor of the pace.
    """
    target, files, size = writing.drive, step.files, step.frees_bytes
    finding_s = pace.files_factor * find_seconds(source, files)
    reading_s = factor * read_seconds(source, size, 0) + finding_s
    writing_s = factor * writing.seconds_for(size, start_s)
    writing_s += pace.files_factor * per_file_seconds(target, files + _SIDE_WORK)
    if source.shares_disk_with(target):
        copy_s = reading_s + writing_s  # they take turns
    else:
        held_back = min(size, pace.held_back_bytes) / max(1, size)
        copy_s = max(reading_s, min(held_back * reading_s, HELD_BACK_S) + writing_s)
    removing_s = pace.files_factor * per_file_seconds(source, files) + files * pace.release_s_a_file
    return StepTimes(
        copy_s=copy_s + files * pace.copy_s_a_file,
        prove_s=factor * read_seconds(target, size, 0)
        + pace.files_factor * find_seconds(target, files)
        + files * pace.prove_s_a_file,
        look_s=files * pace.look_s_a_file,
        release_s=0.0 if on_trial else removing_s,
    )


def work_s(step: Step, source: Drive, target: Drive, on_trial: bool, pace: Pace) -> float:
    """The part of a step's time that its files take, however large they are: on the drives, which find them quicker the
    closer together they lie, and in the computer. Never more than the whole.
    """
    empty = replace(step, bytes=0, on_disk_bytes=0)
    return step_times(empty, source, WritePace(target), 0.0, on_trial, pace).total_s
