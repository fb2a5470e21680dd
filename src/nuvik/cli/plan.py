"""`nuvik draft`, `plan` and `rehearse`: a plan of your own moves, how a plan stands, and what carrying it would do."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command, sizes_by_drive
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.plan import Plan
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.units import format_bytes, format_duration, format_free

if TYPE_CHECKING:
    from nuvik.core.planning.draft import Draft

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
        from nuvik.core.planning.telling import headline, totals
        from nuvik.core.store.plan_file import write_plan
        from nuvik.core.store.wire import plan_to_wire

        if len(moves) % 2:
            raise BadInput(f"{shown(moves[-1])} has no drive to go to.", next_step="Give pairs: PATH DRIVE.")
        pairs = list(zip(moves[::2], moves[1::2], strict=True))
        made = call.workspace.draft(pairs, sizes_by_drive(headroom, call))
        plan = call.workspace.plan(made)
        write_plan(plan, output)
        if call.as_json:
            call.document("plan", {name: inner for name, inner in plan_to_wire(plan).items() if name != "format"})
            return
        call.say(headline(made))
        call.say(totals(made))
        call.say(f"Written to {shown(output)}. Next: nuvik rehearse {shown(output)}")

    @command(app, "plan")
    def plan(
        call: Call,
        plan: Annotated[str, typer.Argument(metavar="PLAN", help="A plan file.")],
        beside: Annotated[
            str | None, typer.Option("--beside", metavar="PLAN", help="Another plan to compare it with.")
        ] = None,
        renew: Annotated[
            str | None, typer.Option("--renew", metavar="FILE", help="Write it anew, for what lies there now.")
        ] = None,
    ) -> None:
        """Show a plan, and step by step how it stands against the last survey."""
        from nuvik.core.planning.against import State, draft_of, plan_headline, standings
        from nuvik.core.store.plan_file import read_plan, write_plan
        from nuvik.core.store.wire import to_wire

        workspace = call.workspace
        opened, snapshot = read_plan(plan), workspace.snapshot()
        found = standings(opened, snapshot)
        if call.as_json:
            call.document("standing", {"steps": [
                {"n": one.step.n, "library": one.step.library, "state": one.state, "words": one.words} for one in found
            ], "landings": to_wire(opened.landings), "in_words": plan_headline(found)})  # fmt: skip
        else:
            call.say(plan_headline(found))
            say_steps(call, opened, [f"{one.state}: {one.words}" if one.words else str(one.state) for one in found])
        if beside is not None:
            _say_beside(call, draft_of(opened, snapshot)[0], draft_of(read_plan(beside), snapshot)[0], (plan, beside))
        if renew is not None:
            draft, left = draft_of(opened, snapshot)
            write_plan(workspace.plan(draft), renew)
            for words in left:
                call.say(f"  Left out: {words}.")
            call.say(f"Written to {shown(renew)}. Next: nuvik rehearse {shown(renew)}")
        elif any(one.state is not State.HOLDS for one in found):
            raise typer.Exit(EXIT_FINDINGS)

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


def say_steps(call: Call, plan: Plan, notes: list[str]) -> None:
    for step, note in zip(plan.steps, notes, strict=True):
        way = f"{step.from_drive} → {step.to_drive}"
        call.say(f"  {step.n}. {shown(step.library)}, {format_bytes(step.bytes)}, {way}: {note}")
    for one in plan.landings:
        call.say(f"  New content of the kind {one.kind} goes to {shown(one.path)}: {one.reason}")


def _say_beside(call: Call, one: Draft, other: Draft, names: tuple[str, str]) -> None:
    from nuvik.core.planning.compare import figures, otherwise

    call.say(f"{'':<24}{shorten(names[0], 26):>28}{shorten(names[1], 26):>28}")
    for row in figures((one, other)):
        call.say(f"{row.label:<24}" + "".join(f"{figure:>28}" for figure in row.figures))
    for different in otherwise((one, other)):
        call.say(f"{shorten(different.library, 23):<24}" + "".join(f"{place:>28}" for place in different.places))


def with_headroom(plan: Plan, headroom: list[str] | None, call: Call) -> Plan:
    """The plan with the floors that the options ask for."""
    from dataclasses import replace

    return replace(plan, headroom_bytes={**plan.headroom_bytes, **sizes_by_drive(headroom, call)})


def show_rehearsal(call: Call, plan: Plan, on_trial: bool, one_line: bool = False) -> Timeline:
    """Rehearse and print; ends with exit code 3 when something forbids the plan."""
    from nuvik.core.rehearsal.headline import rehearsal_headline
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
