"""`nuvik draft`, `plan` and `rehearse`: a plan of your own moves, how a plan stands, and what carrying it would do."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command
from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Plan
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.units import format_bytes, format_count, format_duration, format_free, free_from_to

if TYPE_CHECKING:
    from nuvik.core.planning.drafting.draft import Draft
    from nuvik.core.rehearsal.whatifs import WhatIf
    from nuvik.core.views.compare_drafts import Row

Headroom = Annotated[
    list[str] | None,
    typer.Option("--headroom", metavar="DRIVE=SIZE", help="What must stay free on a drive.", show_default=False),
]
Away = Annotated[
    list[str] | None,
    typer.Option("--away", metavar="DRIVE", help="What if this drive is unplugged?", show_default=False),
]
Slow = Annotated[
    list[str] | None,
    typer.Option(
        "--slower", metavar="DRIVE=FACTOR", help="What if a drive is this many times slower?", show_default=False
    ),
]
Small = Annotated[
    list[str] | None,
    typer.Option(
        "--small-files",
        metavar="DRIVE",
        help="What if the libraries of a drive are many small files?",
        show_default=False,
    ),
]
New = Annotated[
    list[str] | None,
    typer.Option(
        "--new", metavar="KIND=SIZE", help="What if something new arrives, such as game=90G?", show_default=False
    ),
]
Fails = Annotated[
    list[str] | None, typer.Option("--fails", metavar="DRIVE", help="What if this drive fails?", show_default=False)
]
Buy = Annotated[
    list[str] | None,
    typer.Option(
        "--buy", metavar="CANDIDATE", help="What if you had this drive from your candidates file?", show_default=False
    ),
]
OnTrial = Annotated[bool, typer.Option("--on-trial", help="Keep each original until you release it.")]


def add_to(app: typer.Typer) -> None:
    @command(app, "draft")
    def draft(
        call: Call,
        output: Annotated[str, typer.Option("-o", "--output", metavar="PLAN", help="The plan file to write.")],
        moves: Annotated[
            list[str] | None,
            typer.Argument(metavar="LIBRARY DRIVE-OR-FOLDER [LIBRARY DRIVE-OR-FOLDER]…", show_default=False),
        ] = None,
        all_to: Annotated[
            str | None,
            typer.Option("--all-to", metavar="DRIVE", help="All libraries that fit there, those you open most first."),
        ] = None,
        headroom: Headroom = None,
    ) -> None:
        """Write a plan of your own moves: each library and the drive or folder it goes to."""
        from nuvik.core.views.draft_sentences import draft_headline, totals

        words, workspace = moves or [], call.workspace
        if len(words) % 2:
            raise BadInput(f"{shown(words[-1])} has no destination.", next_step="Give pairs of LIBRARY and DRIVE.")
        pairs = list(zip(words[::2], words[1::2], strict=True))
        if all_to is not None:
            going, staying = workspace.plan.all_to(workspace.drives.find(all_to))
            pairs += going
            if staying:
                call.notice(f"Not enough room for {format_count(len(staying), 'library', 'libraries')} that could go.")
        if not pairs:
            raise BadInput("Nothing is to be moved.", next_step="Give pairs of LIBRARY and DRIVE, or --all-to DRIVE.")
        made = workspace.plan.draft(pairs, workspace.drives.sizes(headroom or ()))
        plan = workspace.plan.make(made)
        workspace.plan.write(plan, output)
        if call.as_json:
            call.document(plan)
        else:
            call.say(draft_headline(made))
            call.say(totals(made))
            call.wrote(output)
            call.say(f"Next: nuvik rehearse {shown(output)}")
        if made.breaches:
            raise typer.Exit(EXIT_FINDINGS)

    @command(app, "plan")
    def plan(
        call: Call,
        plan: Annotated[str, typer.Argument(metavar="PLAN", help="A plan file.")],
        beside: Annotated[
            str | None, typer.Option("--beside", metavar="PLAN", help="Another plan to compare it with.")
        ] = None,
        renew: Annotated[
            str | None, typer.Option("--renew", metavar="FILE", help="Write it again for what is there now.")
        ] = None,
    ) -> None:
        """Show a plan, and step by step how it stands against the last survey."""
        from nuvik.core.views.compare_drafts import otherwise
        from nuvik.core.views.documents.of_plans import PlanCheckDocument
        from nuvik.core.views.plan_sentences import plan_headline, still_holds

        workspace = call.workspace
        opened, snapshot = workspace.plan.read(plan), workspace.survey.latest()
        if not snapshot.libraries:
            raise Refused("No libraries are known yet, so the plan cannot be compared.", next_step="Survey first.")
        with call.working("Comparing"):
            standings = workspace.plan.standings(opened, snapshot)
        pair = None
        if beside is not None:
            other = workspace.plan.read(beside)
            pair = [workspace.plan.draft_of(each, snapshot)[0] for each in (opened, other)]
        if call.as_json:
            compared = (_figures(call, pair), otherwise(pair)) if pair else ((), ())
            call.document(PlanCheckDocument.of(opened, standings, plan_headline(standings), *compared))
        else:
            call.say(plan_headline(standings))
            say_steps(
                call,
                opened,
                [
                    f"{standing.state}: {standing.words}" if standing.words else str(standing.state)
                    for standing in standings
                ],
            )
        if pair and beside is not None:
            _say_beside(call, pair, (plan, beside))
        if renew is not None:
            draft, left = workspace.plan.draft_of(opened, snapshot)
            workspace.plan.write(workspace.plan.make(draft), renew)
            for words in left:
                call.say(f"  Left out: {words}.")
            call.wrote(renew)
            call.say(f"Next: nuvik rehearse {shown(renew)}")
        elif not still_holds(standings):
            raise typer.Exit(EXIT_FINDINGS)

    @command(app, "rehearse")
    def rehearse(
        call: Call,
        plan: Annotated[str, typer.Argument(metavar="PLAN", help="A plan file.")],
        on_trial: OnTrial = False,
        headroom: Headroom = None,
        away: Away = None,
        slower: Slow = None,
        small: Small = None,
        new: New = None,
        fails: Fails = None,
        buy: Buy = None,
        weeks: Annotated[
            float | None,
            typer.Option("--weeks", metavar="N", min=0, help="What if the drives fill for so many weeks?"),
        ] = None,
        stop_after: Annotated[
            int | None, typer.Option("--stop-after", metavar="N", min=1, help="What if you stop after this step?")
        ] = None,
        side_by_side: Annotated[
            bool, typer.Option("--side-by-side", help="Would running moves side by side be quicker?")
        ] = False,
    ) -> None:
        """Simulate a plan: time, free space at every step, whatever forbids it, and what-ifs. Changes nothing."""
        opened = with_headroom(call.workspace.plan.read(plan), headroom, call)
        supposed = call.workspace.rehearse.what_ifs(
            opened,
            away=away or (),
            slower=slower or (),
            small_files=small or (),
            new=new or (),
            fails=fails or (),
            buy=buy or (),
            weeks=weeks,
            stop_after=stop_after,
            side_by_side=side_by_side,
        )
        show_rehearsal(call, opened, on_trial, what_ifs=supposed)


def say_steps(call: Call, plan: Plan, notes: list[str]) -> None:
    from nuvik.core.views.tether_sentences import tether_lines

    labels = {drive: shown(label) for drive, label in call.workspace.drives.labels().items()}
    for step, note in zip(plan.steps, notes, strict=True):
        way = f"{labels.get(step.from_drive, step.from_drive)} → {labels.get(step.to_drive, step.to_drive)}"
        call.say(f"  {step.n}. {shown(step.library)}, {format_bytes(step.frees_bytes)}, {way}: {note}")
    for line in tether_lines(call.workspace.tethers.changes(plan)):
        call.say(f"  {line}")
    for landing in plan.landings:
        call.say(f"  New content of kind “{landing.kind}” goes to {shown(landing.path)}: {landing.reason}")


def _say_beside(call: Call, drafts: Sequence[Draft], names: tuple[str, str]) -> None:
    from nuvik.core.views.compare_drafts import otherwise

    rows = [(row.label, *row.figures) for row in _figures(call, drafts)]
    rows += [(shown(row.library), *row.places) for row in otherwise(drafts)]
    call.table(rows, ("", *map(shown, names)), right=(1, 2))


def _figures(call: Call, drafts: Sequence[Draft]) -> list[Row]:
    from nuvik.core.views.compare_drafts import figures

    return figures(drafts, [call.workspace.rehearse.on_paper_of(draft) for draft in drafts])


def with_headroom(plan: Plan, headroom: list[str] | None, call: Call) -> Plan:
    """The plan with the floors that the options ask for."""
    from dataclasses import replace

    return replace(plan, headroom_bytes={**plan.headroom_bytes, **call.workspace.drives.sizes(headroom or ())})


def show_rehearsal(
    call: Call, plan: Plan, on_trial: bool, one_line: bool = False, what_ifs: Sequence[WhatIf] = ()
) -> Timeline:
    """Rehearse and print; ends with exit code 3 when something forbids the plan."""
    from nuvik.core.views.rehearsal_sentences import (
        dip_line,
        effect_line,
        forecast_line,
        halfway_line,
        rehearsal_headline,
    )
    from nuvik.core.views.tether_sentences import tether_lines

    workspace = call.workspace
    with call.working("Rehearsing"):
        timeline = workspace.rehearse.rehearse(plan, on_trial, what_ifs=what_ifs)
    labels = workspace.drives.labels()
    if call.as_json:
        (call.line if one_line else call.document)(timeline)
    else:
        call.say(rehearsal_headline(timeline, labels))
        by_number = {step.n: step for step in plan.steps}
        for foreseen in timeline.steps:
            step = by_number[foreseen.n]
            call.say(
                f"  {foreseen.n}. {shown(step.library)}: {format_bytes(step.frees_bytes)}, "
                f"{labels.get(step.from_drive, step.from_drive)} → {shown(step.target_path)}, "
                f"{format_duration(foreseen.end_s - foreseen.start_s)} "
                f"(copy {format_duration(foreseen.copy_s)}, prove {format_duration(foreseen.prove_s)})"
            )
        for drive, free in timeline.free_after_bytes.items():
            if free != timeline.free_before_bytes[drive]:
                before, low = timeline.free_before_bytes[drive], timeline.lowest_free_bytes[drive]
                call.say(
                    f"  {shown(labels[drive])}: {free_from_to(before, free)}, "
                    f"lowest {format_free(low)}, headroom {format_bytes(timeline.floor_bytes[drive])}"
                )
        for dip in timeline.dips:
            call.say(f"  {dip_line(dip, timeline, labels[dip.drive])}.")
        if halfway := halfway_line(timeline):
            call.say(f"  {halfway}.")
        for effect in timeline.effects:
            call.say(f"  {effect_line(effect)}")
        for forecast in timeline.forecast:
            call.say(f"  {forecast_line(forecast, labels[forecast.drive])}.")
        if timeline.calibration:
            call.say(f"  {timeline.calibration[0].upper()}{timeline.calibration[1:]}.")
        for line in tether_lines(workspace.tethers.changes(plan)):
            call.say(f"  {line}")
        for note in timeline.notes:
            call.say(f"  Note: {note}")
    for violation in timeline.violations:
        call.problem(f"step {violation.n}, {shown(violation.library)}: {violation.problem}", violation.mend)
    if timeline.violations:
        raise typer.Exit(3)
    return timeline
