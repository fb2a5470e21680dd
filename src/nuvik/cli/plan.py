"""`nuvik draft` and `nuvik rehearse`: a plan of your own moves, and what carrying it would do."""

from __future__ import annotations

from typing import Annotated

import typer

from nuvik.cli.call import Call, command, sizes_by_drive
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Plan
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.units import format_bytes, format_duration, format_free

Headroom = Annotated[
    list[str] | None,
    typer.Option("--headroom", metavar="DRIVE=SIZE", help="What must stay free on a drive.", show_default=False),
]
OnTrial = Annotated[bool, typer.Option("--on-trial", help="Keep each original until you release it.")]


def add_to(app: typer.Typer) -> None:
    @command(app, "draft")
    def draft(
        call: Call,
        moves: Annotated[list[str], typer.Argument(metavar="PATH DRIVE-OR-FOLDER [PATH DRIVE-OR-FOLDER]…")],
        output: Annotated[str, typer.Option("-o", "--output", metavar="PLAN", help="The plan file to write.")],
        headroom: Headroom = None,
    ) -> None:
        """Write a plan of your own moves: each library and the drive or folder it goes to."""
        from nuvik.core.store.plan_file import write_plan
        from nuvik.core.store.wire import plan_to_wire

        if len(moves) % 2:
            raise BadInput(f"{shown(moves[-1])} has no drive to go to.", next_step="Give pairs: PATH DRIVE.")
        pairs = list(zip(moves[::2], moves[1::2], strict=True))
        made = call.workspace.draft(pairs, sizes_by_drive(headroom, call))
        plan = made.to_plan()
        write_plan(plan, output)
        if call.as_json:
            call.document("plan", {name: inner for name, inner in plan_to_wire(plan).items() if name != "format"})
            return
        call.say(made.headline())
        call.say(made.totals())
        call.say(f"Written to {shown(output)}. Next: nuvik rehearse {shown(output)}")

    @command(app, "rehearse")
    def rehearse(
        call: Call,
        plan: Annotated[str, typer.Argument(metavar="PLAN", help="A plan file.")],
        on_trial: OnTrial = False,
        headroom: Headroom = None,
    ) -> None:
        """Simulate a plan: time, free space at every step, and whatever forbids it. Changes nothing."""
        from nuvik.core.store.plan_file import read_plan

        show_rehearsal(call, with_headroom(read_plan(plan), headroom, call), on_trial)


def with_headroom(plan: Plan, headroom: list[str] | None, call: Call) -> Plan:
    """The plan with the floors that the options ask for."""
    from dataclasses import replace

    return replace(plan, headroom_bytes={**plan.headroom_bytes, **sizes_by_drive(headroom, call)})


def show_rehearsal(call: Call, plan: Plan, on_trial: bool, one_line: bool = False) -> Timeline:
    """Rehearse and print; ends with exit code 3 when something forbids the plan."""
    from nuvik.core.rehearsal.rehearse import rehearsal_headline
    from nuvik.core.store.wire import to_wire

    workspace = call.workspace
    timeline = workspace.rehearse(plan, on_trial)
    labels = workspace.labels()
    if call.as_json:
        (call.line if one_line else call.document)("rehearsal", to_wire(timeline))
    else:
        call.say(rehearsal_headline(timeline, labels))
        for step, foreseen in zip(plan.steps, timeline.steps, strict=False):
            call.say(
                f"  {foreseen.n}. {shown(step.library)}: {format_bytes(step.bytes)}, "
                f"{labels.get(step.from_drive, step.from_drive)} → {shown(step.target_path)}, "
                f"{format_duration(foreseen.end_s - foreseen.start_s)} "
                f"(copy {format_duration(foreseen.copy_s)}, prove {format_duration(foreseen.prove_s)})"
            )
        for drive, free in timeline.free_after_bytes.items():
            if free != timeline.free_before_bytes[drive]:
                before, low = timeline.free_before_bytes[drive], timeline.lowest_free_bytes[drive]
                call.say(
                    f"  {shown(labels[drive])}: {format_bytes(before)} → {format_free(free)}, "
                    f"lowest {format_bytes(low)}, headroom {format_bytes(timeline.floor_bytes[drive])}"
                )
        for note in timeline.notes:
            call.say(f"  Note: {note}")
    for violation in timeline.violations:
        call.aside(f"nuvik: step {violation.n}, {shown(violation.library)}: {violation.problem}")
        call.aside(f"       {violation.mend}")
    if timeline.violations:
        raise typer.Exit(3)
    return timeline
