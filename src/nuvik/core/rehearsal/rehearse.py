"""Rehearsing a plan on this computer: the checks of every step and the simulation, in one timeline."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from nuvik.core.checks.check_step import check_step
from nuvik.core.checks.findings import Findings
from nuvik.core.hosts.base import Host
from nuvik.core.model.drive import Drive
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.plan import Plan, Role, Step
from nuvik.core.model.progress import Stop
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timeline import Timeline, Violation
from nuvik.core.model.units import format_bytes
from nuvik.core.rehearsal.calibration import NOTHING_LEARNT, Calibration
from nuvik.core.rehearsal.forecast import forecasts
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate
from nuvik.core.rehearsal.whatifs import WhatIf, effects, supposed
from nuvik.core.survey.history.growth import Growth

_NAMED = 3
"""So many libraries are named in a sentence."""


@dataclass(frozen=True)
class CheckedPlan:
    """What looking at every step of a plan found; a simulation can be run on it again and again."""

    scene: Scene
    violations: tuple[Violation, ...]
    notes: tuple[str, ...]
    rates: Mapping[str, Growth | None]


def check_plan(
    host: Host,
    drives: tuple[Drive, ...],
    plan: Plan,
    state_folder: str,
    on_trial: bool = False,
    snapshot: Snapshot | None = None,
    calibration: Calibration = NOTHING_LEARNT,
    rates: Mapping[str, Growth | None] | None = None,
    stop: Stop | None = None,
    pinned: Collection[str] = (),
    report: Callable[[int, int], None] | None = None,
) -> CheckedPlan:
    """Look at every step of a plan as things are now; nothing is changed. What lies at one of the `pinned` paths must
    stay, whatever the plan says; `report` hears of each step by its number, and how many there are. Raises
    StopRequested.
    """
    # Whether there is room is for the simulation to tell: an earlier step may make it.
    findings: dict[int, Findings] = {}
    for step in plan.steps:
        if report is not None:
            report(step.n, len(plan.steps))
        earlier = plan.steps[: step.n - 1]
        gone = frozenset(
            earlier_step.path
            for earlier_step in earlier
            if is_within(earlier_step.path, step.path) and earlier_step.path != step.path
        )
        looked_at = _where_it_lies_now(step, earlier)
        checked = check_step(
            host, drives, looked_at, state_folder, room=False, without=gone, without_marks=plan.without_marks, stop=stop
        )
        findings[step.n] = replace(checked, step=step)
    violations = [
        *_across_steps(plan),
        *_pinned(plan, pinned),
        *(violation for checked in findings.values() for violation in checked.violations),
    ]
    if not plan.steps:
        violations.append(Violation(n=0, library="", problem="The plan has no steps.", mend="Add a move."))
    notes = [note for checked in findings.values() for note in checked.notes]
    scene = Scene(
        plan=plan,
        drives=drives,
        snapshot=snapshot,
        on_trial=on_trial,
        side_by_side=plan.side_by_side,
        pace=host.pace,
        calibration=calibration,
        rooms={n: checked.room_bytes for n, checked in findings.items() if checked.room_bytes},
    )
    notes += [*_guesses(scene), *_on_the_way(scene), *_landings(plan), *_named_twice(plan), *_libraries_within(scene)]
    notes += [*_lowered(scene), *_unmet(scene)]
    return CheckedPlan(scene, tuple(violations), tuple(notes), rates or {})


def rehearse(checked: CheckedPlan, what_ifs: Sequence[WhatIf] = ()) -> Timeline:
    """What carrying the plan would do, all of the what-ifs supposed."""
    scene = supposed(checked.scene, what_ifs)
    timeline = simulate(scene)
    kept = {step.n for step in scene.plan.steps} | {0}
    violations = [violation for violation in checked.violations if violation.n in kept]
    violations += timeline.violations
    violations.sort(key=lambda violation: violation.n)
    return replace(
        timeline,
        feasible=not violations,
        violations=tuple(violations),
        notes=checked.notes,
        effects=effects(what_ifs, checked.scene, scene, timeline),
        forecast=forecasts(scene, timeline, checked.rates),
    )


def _where_it_lies_now(step: Step, earlier: Sequence[Step]) -> Step:
    """A step that takes a library on from a staging drive, as if it began where the library lies now."""
    if step.role is not Role.FROM_STAGING:
        return step
    first = next((earlier_step for earlier_step in reversed(earlier) if earlier_step.target_path == step.path), None)
    return step if first is None else replace(step, path=first.path, from_drive=first.from_drive, tether=first.tether)


def _guesses(scene: Scene) -> list[str]:
    """Whose speeds were never measured, so that the times are only as good as typical figures."""
    used = {drive_id for step in scene.plan.steps for drive_id in (step.from_drive, step.to_drive)}
    unsure = [drive.label for drive in scene.drives if drive.id in used and drive.speed_source == "typical"]
    if not unsure:
        return []
    return [
        f"{' and '.join(map(shown, unsure))} {'was' if len(unsure) == 1 else 'were'} never measured, so the times "
        "rest on typical figures. Measure them in Speeds."
    ]


def _on_the_way(scene: Scene) -> list[str]:
    """What waits on a drive that could be pulled meanwhile."""
    notes = []
    for step in scene.plan.steps:
        drive = scene.by_id.get(step.via or "")
        if drive is not None and drive.portable and step.role is Role.TO_STAGING:
            notes.append(
                f"From step {step.n} on {shown(step.library)} waits on {shown(drive.label)}: leave that "
                "attached until the library has gone on."
            )
    return notes


def _pinned(plan: Plan, pinned: Collection[str]) -> list[Violation]:
    return [
        Violation(
            n=step.n,
            library=step.library,
            problem="You pinned it: it stays where it is.",
            mend="Unpin it, or make a new plan.",
            drive=step.from_drive,
        )
        for step in plan.steps
        if step.path in pinned
    ]


def _lowered(scene: Scene) -> list[str]:
    """Where a plan leaves less free than the drive is to keep."""
    return [
        f"This plan leaves {format_bytes(planned)} free on {shown(drive.label)}, less than the "
        f"{format_bytes(drive.headroom_bytes)} that you want to keep free there."
        for drive in scene.drives
        if drive.attached and (planned := scene.floor_bytes(drive)) < drive.headroom_bytes
    ]


def _unmet(scene: Scene) -> list[str]:
    """What a drive or a card asks for, and the plan breaks."""
    demands = scene.draft.newly_unmet if scene.draft is not None else ()
    return [f"With this plan it is no longer true that {demand.words}." for demand in demands]


def _landings(plan: Plan) -> list[str]:
    """Where new content is to go, in one sentence."""
    if not plan.landings:
        return []
    goes = ", ".join(f"{landing.kind} to {shown(landing.path)}" for landing in plan.landings)
    return [
        f"New content is to go elsewhere ({goes}). "
        "In programs whose settings Nuvik does not know, change the place yourself."
    ]


def _named_twice(plan: Plan) -> list[str]:
    """A target that repeats the name of its folder is seldom meant."""
    return [
        f"Step {step.n} puts {shown(step.library)} at {shown(step.target_path)}, in a folder of the same name."
        for step in plan.steps
        if os.path.basename(step.target_path) == os.path.basename(os.path.dirname(step.target_path))
    ]


def _libraries_within(scene: Scene) -> list[str]:
    """A folder that holds several libraries moves as one of them."""
    notes, known = [], scene.snapshot.libraries if scene.snapshot is not None else ()
    for step in scene.plan.steps:
        within = (library for library in known if is_within(library.path, step.path) and library.path != step.path)
        inside = [shown(library.name) for library in within]
        if len(inside) > 1:
            some = ", ".join(inside[:_NAMED]) + (" …" if len(inside) > _NAMED else "")
            notes.append(
                f"{shown(step.library)} holds {len(inside)} libraries ({some}): they move as one. "
                "To let each keep what you said of it, move them one by one."
            )
    return notes


def _across_steps(plan: Plan) -> list[Violation]:
    """Two steps must not want one place, nor move one library twice."""
    violations, seen = [], dict[str, int]()
    for step in plan.steps:
        for path in (step.path, step.target_path):
            waits = step.role is Role.FROM_STAGING and path == step.path
            if path in seen and not waits:
                violations.append(
                    Violation(
                        n=step.n,
                        library=step.library,
                        mend="Make a new plan.",
                        problem=f"Step {seen[path]} uses {shown(path)} too.",
                    )
                )
            seen[path] = step.n
    return violations
