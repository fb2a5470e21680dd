"""Running a plan on a model of the drives: how long each step takes and what is free at every moment.

A step copies (the slower of reading and writing, both with their per-file cost), reads the copy back for the
proof, and removes the original. Until then the library stands on both drives.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.plan import Plan, Step
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timeline import Timeline, TimelineStep, Violation
from nuvik.core.model.timing import WritePace, per_file_seconds, read_seconds
from nuvik.core.model.units import format_bytes

_SIDE_WORK = 8
"""Small operations that every move needs on its target besides its own files: folders, the sidecar, renames."""


@dataclass(frozen=True, slots=True)
class StepTimes:
    """The seconds of one step by phase."""

    copy_s: float
    prove_s: float
    release_s: float


def step_times(step: Step, source: Drive, pace: WritePace, start_s: float, on_trial: bool) -> StepTimes:
    """How long one step takes from `start_s` on; `pace` is the target being written to."""
    target = pace.drive
    reading_s = read_seconds(source, step.bytes, step.files)
    writing_s = pace.seconds_for(step.bytes, start_s) + per_file_seconds(target, step.files)
    writing_s += per_file_seconds(target, _SIDE_WORK)
    # Two volumes of one disk take turns; two disks work side by side.
    copy_s = reading_s + writing_s if source.shares_disk_with(target) else max(reading_s, writing_s)
    release_s = 0.0 if on_trial else per_file_seconds(source, step.files)
    return StepTimes(copy_s, read_seconds(target, step.bytes, step.files), release_s)


def simulate(
    plan: Plan,
    drives: tuple[Drive, ...],
    on_trial: bool = False,
    room_of: Callable[[Step], int] = lambda step: step.bytes,
    snapshot: Snapshot | None = None,
) -> Timeline:
    """The timeline of a plan on drives as they are now.

    `room_of` says what a step's library takes on its target. A step that would take a drive under its floor is
    a violation. With a snapshot, the timeline also tells what stops opening while a portable drive is away.
    """
    by_id = {drive.id: drive for drive in drives}
    floors = {drive.id: plan.headroom_bytes.get(drive.id, drive.headroom_bytes) for drive in drives}
    free = {drive.id: drive.free_bytes for drive in drives if drive.attached}
    before, lowest_ever = dict(free), dict(free)
    paces = {drive.id: WritePace(drive) for drive in drives}
    steps, violations, now_s = [], [], 0.0
    for step in plan.steps:
        if step.from_drive not in free or step.to_drive not in free:
            continue  # an unknown or away drive: the checks refuse the step by name
        room = room_of(step)
        times = step_times(step, by_id[step.from_drive], paces[step.to_drive], now_s, on_trial)
        lowest = dict(free)
        _take(free, by_id, step.to_drive, room)
        lowest.update({one: free[one] for one in free if free[one] < lowest[one]})
        if free[step.to_drive] < floors[step.to_drive]:
            violations.append(_under_floor(step, by_id[step.to_drive], floors[step.to_drive] - free[step.to_drive]))
        if not on_trial:
            _take(free, by_id, step.from_drive, -step.frees_bytes)
        end_s = now_s + times.copy_s + times.prove_s + times.release_s
        steps.append(
            TimelineStep(
                n=step.n, library=step.library, start_s=now_s, end_s=end_s, copy_s=times.copy_s,
                prove_s=times.prove_s, release_s=times.release_s, bytes=step.bytes,
                free_after_bytes=dict(free), lowest_free_bytes=lowest,
            )
        )  # fmt: skip
        lowest_ever = {drive: min(least, lowest[drive]) for drive, least in lowest_ever.items()}
        now_s = end_s
    return Timeline(
        feasible=not violations, violations=tuple(violations), notes=(), steps=tuple(steps), total_s=now_s,
        free_before_bytes=before, lowest_free_bytes=lowest_ever, floor_bytes=floors,
        waiting_before_s_per_week=plan.waiting_before_s_per_week,
        waiting_after_s_per_week=plan.waiting_after_s_per_week,
        away={} if snapshot is None else _away(plan, drives, snapshot),
    )  # fmt: skip


def _take(free: dict[str, int], drives: dict[str, Drive], drive_id: str, count_bytes: int) -> None:
    """Take room on a drive; volumes of one container have it from the same free space."""
    for other in free:
        if drives[other].shares_space_with(drives[drive_id]):
            free[other] -= count_bytes


def _under_floor(step: Step, drive: Drive, lacking: int) -> Violation:
    return Violation(
        n=step.n, library=step.library, drive=drive.id,
        problem=f"{drive.label} would be {format_bytes(lacking)} under its headroom.",
        mend=f"Move {format_bytes(lacking)} away from {drive.label} first, choose another drive, "
             f"or ask for less headroom with the command line’s --headroom {drive.id}=SIZE.",
    )  # fmt: skip


def _away(plan: Plan, drives: tuple[Drive, ...], snapshot: Snapshot) -> dict[str, tuple[str, ...]]:
    goes_to = {step.path: step.to_drive for step in plan.steps}

    def stands_on(library: Library) -> str:
        return goes_to.get(library.path, library.drive)

    return {
        drive.id: tuple(one.name for one in snapshot.libraries if stands_on(one) == drive.id)
        for drive in drives
        if drive.portable and drive.attached
    }
