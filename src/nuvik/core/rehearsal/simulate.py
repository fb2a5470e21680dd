"""Running a plan on a model of the drives, event by event: how long each step takes and what is free at every moment.

A step holds the disks of both its drives from its begin to its end. Until its original is released, the library stands
on both drives. Steps begin in the plan's order, one after the other; side by side, one also begins while others run,
where it shares no disk with them, needs nothing of a step that is not done, and takes no room an earlier one wants.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass, field

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Step
from nuvik.core.model.timeline import Dip, Timeline, TimelineStep, Violation
from nuvik.core.model.timing import WritePace
from nuvik.core.model.units import format_bytes
from nuvik.core.planning.placement.waiting import waiting_s_per_week
from nuvik.core.rehearsal.phases import StepTimes, step_times, work_s
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.side_by_side import needs_of, step_beside


def simulate(scene: Scene) -> Timeline:
    """The timeline of a scene. It is a violation when a step takes a drive under what must be free at every moment, and
    when a drive is left in the end with less than its headroom and less than it has now.
    """
    return _Run(scene).timeline()


@dataclass(order=True, slots=True)
class _End:
    """A step that runs, and when it ends."""

    at_s: float
    n: int
    step: Step = field(compare=False)
    begun_s: float = field(compare=False)
    times: StepTimes = field(compare=False)
    lowest: dict[str, int] = field(compare=False)


class _Run:
    """The state of the drives while the events go by."""

    def __init__(self, scene: Scene) -> None:
        self._scene, self._drives = scene, scene.by_id
        self._free = {drive.id: drive.free_bytes for drive in scene.drives if drive.attached}
        self._before, self._lowest = dict(self._free), dict(self._free)
        self._floors = {drive.id: scene.floor_bytes(drive) for drive in scene.drives}
        self._least = scene.least_bytes
        self._sharing = {
            drive_id: [other for other in self._free if self._drives[other].shares_space_with(self._drives[drive_id])]
            for drive_id in self._free
        }
        self._paces = {drive.id: WritePace(drive) for drive in scene.drives}
        self._curves: dict[str, list[tuple[float, int]]] = {}
        self._violations: list[Violation] = []
        self._done: list[TimelineStep] = []
        self._now_s, self._low_s, self._likely_s, self._high_s = 0.0, 0.0, 0.0, 0.0
        self._running: list[_End] = []
        # An unknown or away drive: the checks refuse the step by name.
        self._waiting = [step for step in scene.plan.steps if {step.from_drive, step.to_drive} <= self._free.keys()]
        self._needs = needs_of(self._waiting) if scene.side_by_side else {}
        self._waits = _Waits(scene)

    def timeline(self) -> Timeline:
        while self._waiting or self._running:
            while self._waiting and (step := self._next()) is not None:
                self._begin(step)
            self._end(heapq.heappop(self._running))
        self._look_at_the_end()
        scene, plan = self._scene, self._scene.plan
        return Timeline(
            feasible=not self._violations,
            violations=tuple(self._violations),
            notes=(),
            steps=tuple(sorted(self._done, key=lambda step: step.n)),
            total_s=self._now_s,
            total_range_s=self._range_s(),
            free_before_bytes=self._before,
            lowest_free_bytes=self._lowest,
            floor_bytes=self._floors,
            waiting_before_s_per_week=plan.waiting_before_s_per_week,
            waiting_after_s_per_week=plan.waiting_after_s_per_week,
            dips=self._dips(),
            curves={drive: tuple(curve) for drive, curve in self._curves.items()},
            away=_away(scene),
            calibration=scene.calibration.sentence,
        )

    # -- events --------------------------------------------------------------------------------------------

    def _next(self) -> Step | None:
        """The step that begins now, if one does."""
        if not self._running:
            return self._waiting[0]
        if not self._scene.side_by_side:
            return None
        spare = {drive_id: free - self._least[drive_id] for drive_id, free in self._free.items()}
        running = [carried.step for carried in self._running]
        return step_beside(self._waiting, running, self._drives, self._needs, self._room, spare)

    def _begin(self, step: Step) -> None:
        self._waiting.remove(step)
        scene, learnt = self._scene, self._scene.calibration
        source, target = self._drives[step.from_drive], self._drives[step.to_drive]
        factor, pace = learnt.of(source.id, target.id), scene.pace.working(learnt.work.likely)
        times = step_times(step, source, self._paces[target.id], self._now_s, scene.on_trial, pace, factor.likely)
        working_s = work_s(step, source, target, scene.on_trial, pace)
        lowest = dict(self._free)
        self._take(step.to_drive, self._room(step))
        lowest.update({sharer: self._free[sharer] for sharer in self._sharing[step.to_drive]})
        for end in self._running:
            end.lowest.update({drive_id: min(free, end.lowest[drive_id]) for drive_id, free in lowest.items()})
        if self._free[target.id] < self._least[target.id]:
            self._violations.append(_under_floor(step, target, self._floors[target.id] - self._free[target.id]))
        self._likely_s += times.total_s
        self._low_s += (times.total_s - working_s) / factor.off + working_s / learnt.work.off
        self._high_s += (times.total_s - working_s) * factor.off + working_s * learnt.work.off
        heapq.heappush(self._running, _End(self._now_s + times.total_s, step.n, step, self._now_s, times, lowest))

    def _end(self, end: _End) -> None:
        step, times = end.step, end.times
        self._now_s = end.at_s
        if not self._scene.on_trial:
            self._take(step.from_drive, -step.frees_bytes)
        self._lowest = {drive: min(least, end.lowest[drive]) for drive, least in self._lowest.items()}
        self._done.append(
            TimelineStep(
                n=step.n,
                library=step.library,
                start_s=end.begun_s,
                end_s=end.at_s,
                copy_s=times.copy_s,
                prove_s=times.prove_s,
                look_s=times.look_s,
                release_s=times.release_s,
                bytes=step.bytes,
                free_after_bytes=dict(self._free),
                lowest_free_bytes=end.lowest,
                from_drive=step.from_drive,
                to_drive=step.to_drive,
                waiting_after_s_per_week=self._waits.after(step),
            )
        )

    def _look_at_the_end(self) -> None:
        """No drive is left short, or shorter, by moves that came to it."""
        refused = {violation.drive for violation in self._violations}
        for drive_id, free in self._free.items():
            short = self._floors[drive_id] - free
            if short > 0 and free < self._before[drive_id] and drive_id not in refused:
                coming = [step for step in self._scene.plan.steps if step.to_drive == drive_id]
                if coming:
                    self._violations.append(_short_in_the_end(coming[-1], self._drives[drive_id], short))

    def _dips(self) -> tuple[Dip, ...]:
        """The drives that have their headroom before and after, and not all the time between."""
        dips = []
        for drive_id, curve in self._curves.items():
            floor = self._floors[drive_id]
            if self._before[drive_id] < floor or self._free[drive_id] < floor or self._lowest[drive_id] >= floor:
                continue
            ends = [*(at_s for at_s, _ in curve[1:]), self._now_s]
            seconds = sum(end_s - at_s for (at_s, free), end_s in zip(curve, ends, strict=True) if free < floor)
            dips.append(Dip(drive=drive_id, lowest_bytes=self._lowest[drive_id], seconds=seconds))
        return tuple(dips)

    def _range_s(self) -> tuple[float, float]:
        """The bounds of all steps together, drawn in alike where some went side by side."""
        part = self._now_s / self._likely_s if self._likely_s else 1.0
        return self._low_s * part, self._high_s * part

    def _room(self, step: Step) -> int:
        return self._scene.rooms.get(step.n) or step.takes_bytes

    def _take(self, drive_id: str, count_bytes: int) -> None:
        """Take room on a drive; volumes of one container have it from the same free space."""
        for other in self._sharing[drive_id]:
            curve = self._curves.setdefault(other, [(0.0, self._before[other])])
            self._free[other] -= count_bytes
            if curve[-1][0] == self._now_s:
                curve.pop()
            curve.append((self._now_s, self._free[other]))


class _Waits:
    """The waiting a week as step after step is done."""

    def __init__(self, scene: Scene) -> None:
        self._drives = scene.by_id
        self._at: dict[str, tuple[Library, Drive]] = {}
        self._now_s: float | None = None
        if scene.draft is not None:
            self._now_s = scene.draft.waiting[0].likely
            self._at = {load.library.path: (load.library, load.source) for load in scene.draft.loads}

    def after(self, step: Step) -> float | None:
        """Seconds a week once this step is done, too."""
        place = self._at.pop(step.path, None)
        if self._now_s is not None and place is not None:
            library, here = place
            there = self._drives[step.to_drive]
            self._now_s += waiting_s_per_week(library, there) - waiting_s_per_week(library, here)
            self._at[step.target_path] = (library, there)
        return self._now_s


def _under_floor(step: Step, drive: Drive, lacking: int) -> Violation:
    return Violation(
        n=step.n,
        library=step.library,
        drive=drive.id,
        problem=f"{shown(drive.label)} would be {format_bytes(lacking)} short of its headroom at that moment, more "
        "than it may be.",
        mend=f"Move {format_bytes(lacking)} away from {shown(drive.label)} first, choose another drive, "
        f"or ask for less headroom with the command line’s --headroom {drive.id}=SIZE.",
    )


def _short_in_the_end(step: Step, drive: Drive, short: int) -> Violation:
    return Violation(
        n=step.n,
        library=step.library,
        drive=drive.id,
        problem=f"{shown(drive.label)} would be {format_bytes(short)} short of its headroom.",
        mend=f"Move {format_bytes(short)} away from {shown(drive.label)} as well, choose another drive, "
        f"or ask for less headroom with the command line’s --headroom {drive.id}=SIZE.",
    )


def _away(scene: Scene) -> dict[str, tuple[str, ...]]:
    """For each portable drive, the names of the libraries that stop opening without it."""
    if scene.snapshot is None:
        return {}
    return {
        drive.id: tuple(library.name for library in scene.not_opening_without(drive.id))
        for drive in scene.drives
        if drive.portable and drive.attached
    }
