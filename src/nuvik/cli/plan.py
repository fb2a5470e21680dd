"""`nuvik draft` and `nuvik rehearse`: a plan of your own moves, and what carrying it would do."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command, sizes_by_drive
from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Plan
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.units import format_bytes, format_duration, format_free

if TYPE_CHECKING:
    from nuvik.core.model.wishes import Wishes
    from nuvik.core.planning.answer import Answer

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

    @command(app, "propose")
    def propose(
        call: Call,
        output: Annotated[
            str | None, typer.Option("-o", "--output", metavar="PLAN", help="The plan file to write.")
        ] = None,
        headroom: Headroom = None,
        free: Annotated[
            list[str] | None, typer.Option("--free", metavar="DRIVE=SIZE", help="Free so much more on a drive.")
        ] = None,
        weeks: Annotated[float, typer.Option("--weeks", metavar="N", help="For how long it is to pay.")] = 26.0,
        style: Annotated[
            str, typer.Option("--style", metavar="STYLE", help="cautious, balanced or fastest.")
        ] = "balanced",
        most_moves: Annotated[int | None, typer.Option("--most-moves", metavar="N")] = None,
        hours: Annotated[
            float | None, typer.Option("--hours", metavar="H", help="All moves together take no longer.")
        ] = None,
        grow: Annotated[
            float | None, typer.Option("--room-to-grow", metavar="WEEKS", help="Leave room for so many weeks' growth.")
        ] = None,
        pin: Annotated[list[str] | None, typer.Option("--pin", metavar="PATH", help="This one stays.")] = None,
    ) -> None:
        """Compute the best placement, with reasons and a proof; with -o, write it as a plan."""
        from nuvik.core.store.plan_file import write_plan
        from nuvik.core.store.wire import plan_to_wire, to_wire

        wishes = _wishes(call, headroom, free, weeks, style, most_moves, hours, grow, pin)
        found = call.workspace.propose(wishes)
        plan = found.draft.to_plan() if found.draft.places else None
        if output is not None and plan is not None:
            write_plan(plan, output)
        if call.as_json:
            document = {name: inner for name, inner in plan_to_wire(plan).items() if name != "format"} if plan else {
                "steps": [], "proven_gap": found.proposal.gap, "kept": to_wire(tuple(found.draft.kept.values()))
            }  # fmt: skip
            call.document("plan", {**document, "short_bytes": found.proposal.short_bytes, "in_words": found.in_words()})
            call.say(found.in_words())
        else:
            _say_proposal(call, found, plan)
        if output is not None:
            call.say(f"Written to {shown(output)}. Next: nuvik rehearse {shown(output)}" if plan
                     else "Nothing moves, so no plan was written.")  # fmt: skip
        if found.proposal.short_bytes or found.ordered.stuck:
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


def _say_proposal(call: Call, found: Answer, plan: Plan | None) -> None:
    call.say(found.in_words())
    for step in plan.steps if plan else ():
        way = f"{step.from_drive} → {step.to_drive}"
        call.say(f"  {step.n}. {shown(step.library)}, {format_bytes(step.bytes)}, {way}: {step.reason}")
    if plan:
        call.say(found.draft.totals())


def _wishes(
    call: Call, headroom: list[str] | None, free: list[str] | None, weeks: float, style: str, most_moves: int | None,
    hours: float | None, grow: float | None, pin: list[str] | None,
) -> Wishes:  # fmt: skip
    """What the options ask for. Raises BadInput and Refused."""
    from nuvik.core.model.paths import normalised
    from nuvik.core.model.wishes import Style, Wishes

    if style not in list(Style):
        raise BadInput(f"“{shown(style)}” is no style.", next_step=f"Known are: {', '.join(Style)}.")
    for name, number in (
        ("--weeks", weeks),
        ("--most-moves", most_moves),
        ("--hours", hours),
        ("--room-to-grow", grow),
    ):
        if number is not None and not 0 < number <= 10_000:
            raise BadInput(f"{name} {number} cannot be.", next_step="Say a number above 0.")
    asked = {**(call.workspace.room_to_grow(grow) if grow else {}), **sizes_by_drive(headroom, call)}
    for drive_id, count in sizes_by_drive(free, call).items():
        asked[drive_id] = call.workspace.drive_or_refuse(drive_id).free_bytes + count
    known = {one.path: one.id for one in call.workspace.snapshot().libraries}
    pinned = set()
    for path in pin or ():
        if (place := os.path.realpath(normalised(path))) not in known:
            raise Refused(f"No library is known at {shown(place)}.", next_step="“nuvik survey” lists them.")
        pinned.add(known[place])
    most_moving_s = None if hours is None else hours * 3600
    return Wishes(style=Style(style), weeks=weeks, headroom_bytes=asked, pinned=frozenset(pinned),
                  most_moves=most_moves, most_moving_s=most_moving_s)  # fmt: skip


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
