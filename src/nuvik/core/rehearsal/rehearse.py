"""Rehearsing a plan on this computer: the checks of every step and the simulation, in one timeline."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from nuvik.core.hosts.base import Host
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.plan import Plan, Step
from nuvik.core.model.progress import Stop
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timeline import Timeline, Violation
from nuvik.core.model.units import format_bytes, format_count, format_duration
from nuvik.core.planning.checks import Findings, check_step
from nuvik.core.rehearsal.simulate import simulate


def rehearse(
    host: Host, plan: Plan, state_folder: str, on_trial: bool = False, snapshot: Snapshot | None = None,
    stop: Stop | None = None,
) -> Timeline:  # fmt: skip
    """What carrying this plan now would do; nothing is changed. Raises StopRequested."""
    # Whether there is room is for the simulation to tell: an earlier step may make it.
    findings = {}
    for step in plan.steps:
        earlier = plan.steps[: step.n - 1]
        gone = frozenset(one.path for one in earlier if is_within(one.path, step.path) and one.path != step.path)
        looked_at = _where_it_lies_now(step, earlier)
        found = check_step(host, looked_at, state_folder, room=False, without=gone, stop=stop)
        findings[step.n] = replace(found, step=step)
    timeline = simulate(plan, host.drives(), on_trial, lambda step: _room(findings, step), snapshot)
    violations = [*_across_steps(plan), *timeline.violations]
    violations += [violation for found in findings.values() for violation in found.violations]
    if not plan.steps:
        violations.append(Violation(n=0, library="", problem="The plan has no steps.", mend="Add a move."))
    notes = tuple(note for found in findings.values() for note in found.notes) + _guesses(host, plan)
    notes += tuple(f"New content of the kind {one.kind} is to go to {shown(one.path)}: choose that folder in the "
                   "programs that bring it." for one in plan.landings)  # fmt: skip
    violations.sort(key=lambda one: one.n)
    return replace(timeline, feasible=not violations, violations=tuple(violations), notes=notes)


def _where_it_lies_now(step: Step, earlier: Sequence[Step]) -> Step:
    """A step that takes a library on from a staging drive, as if it began where the library lies now."""
    if step.via is None or step.via != step.from_drive:
        return step
    first = next((one for one in reversed(earlier) if one.target_path == step.path), None)
    return step if first is None else replace(step, path=first.path, from_drive=first.from_drive, tether=first.tether)


def _room(findings: dict[int, Findings], step: Step) -> int:
    return findings[step.n].room_bytes or step.bytes


def _guesses(host: Host, plan: Plan) -> tuple[str, ...]:
    """Whose speeds were never measured, so that the times are only as good as typical figures."""
    used = {drive_id for step in plan.steps for drive_id in (step.from_drive, step.to_drive)}
    unsure = [drive.label for drive in host.drives() if drive.id in used and drive.speed_source == "typical"]
    if not unsure:
        return ()
    return (f"{' and '.join(map(shown, unsure))} {'was' if len(unsure) == 1 else 'were'} never measured: the times "
            "rest on figures typical of such drives. Speeds measures them.",)  # fmt: skip


def _across_steps(plan: Plan) -> list[Violation]:
    """Two steps must not want one place, nor move one library twice."""
    found, seen = [], dict[str, int]()
    for step in plan.steps:
        for path in (step.path, step.target_path):
            waits = step.via is not None and step.via == step.from_drive and path == step.path
            if path in seen and not waits:
                found.append(
                    Violation(
                        n=step.n, library=step.library, problem=f"Step {seen[path]} uses {shown(path)} too.",
                        mend="Make the plan again.",
                    )
                )  # fmt: skip
            seen[path] = step.n
    return found


def rehearsal_headline(timeline: Timeline, labels: dict[str, str]) -> str:
    """The sentence that matters most. `labels` gives each drive's label by id."""
    if timeline.violations:
        first = timeline.violations[0]
        many = f" (and {len(timeline.violations) - 1} more)" if len(timeline.violations) > 1 else ""
        return f"Cannot be carried: step {first.n}, {shown(first.library)}: {first.problem}{many}"
    if not timeline.steps:
        return "Nothing to rehearse: set a library down on another drive in Plan first."
    said = f"Fits. {format_count(len(timeline.steps), 'move')} in about {format_duration(timeline.total_s)}."
    margins = {
        drive: low - timeline.floor_bytes[drive]
        for drive, low in timeline.lowest_free_bytes.items()
        if low < timeline.free_before_bytes[drive]
    }
    if margins:
        tightest = min(margins, key=lambda drive: margins[drive])
        at = next(
            one.n for one in timeline.steps if one.lowest_free_bytes[tightest] == timeline.lowest_free_bytes[tightest]
        )
        low = format_bytes(timeline.lowest_free_bytes[tightest])
        said += f" Lowest point: {low} free on {shown(labels[tightest])} during step {at}."
    arriving = {drive: names for drive, names in timeline.away.items() if names and drive in margins}
    for drive, names in arriving.items():
        many = format_count(len(names), "library", "libraries")
        said += f" Without {shown(labels[drive])} attached, {many} will not open."
    return said
