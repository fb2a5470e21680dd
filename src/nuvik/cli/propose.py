"""`nuvik propose` and `nuvik landing`: what belongs where, and where new content goes."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command, sizes_by_drive
from nuvik.cli.plan import Headroom, say_steps
from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.names import shown

if TYPE_CHECKING:
    from nuvik.core.model.plan import Plan
    from nuvik.core.model.wishes import Wishes
    from nuvik.core.planning.drafting.recommendation import Answer


def add_to(app: typer.Typer) -> None:
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
        forbid: Annotated[
            list[str] | None,
            typer.Option("--forbid", metavar="PATH=DRIVE", help="This one must not go to that drive."),
        ] = None,
        whole: Annotated[bool, typer.Option("--whole", help="Leave the parts of libraries with them.")] = False,
        weigh: Annotated[
            list[str] | None,
            typer.Option("--weigh", metavar="NAME=SECONDS", help="Change one of the weights; without =, show them."),
        ] = None,
    ) -> None:
        """Compute the best placement, with reasons and a proof; with -o, write it as a plan."""
        from nuvik.core.store.json_codec import plan_to_wire, to_wire
        from nuvik.core.store.plan_file import write_plan

        wishes = _wishes(call, headroom, free, weeks, style, most_moves, hours, grow, pin, forbid, whole, weigh)
        if weigh and all("=" not in one for one in weigh):
            _say_weights(call, wishes)
            return
        found = call.workspace.propose(wishes)
        plan = call.workspace.plan(found.draft) if found.draft.places else None
        if output is not None and plan is not None:
            write_plan(plan, output)
        if call.as_json:
            document = (
                {name: inner for name, inner in plan_to_wire(plan).items() if name != "format"}
                if plan
                else {"steps": [], "proven_gap": found.proposal.gap, "kept": to_wire(tuple(found.draft.kept.values()))}
            )
            call.document(
                "plan",
                {
                    **document,
                    "short_bytes": found.proposal.short_bytes,
                    "in_words": found.in_words(),
                    "unmet": [one.words for one in found.proposal.unmet],
                    "weights": to_wire(wishes.weighed),
                    "contradictions": [[one.wish, *one.others] for one in found.contradictions],
                },
            )
            call.say(found.in_words())
        else:
            _say_proposal(call, found, plan)
        if output is not None:
            call.say(
                f"Written to {shown(output)}. Next: nuvik rehearse {shown(output)}"
                if plan
                else "Nothing moves, so no plan was written."
            )
        if found.proposal.short_bytes or found.proposal.unmet or found.arranged.stuck:
            raise typer.Exit(EXIT_FINDINGS)

    @command(app, "landing")
    def landing(
        call: Call,
        kind: Annotated[str | None, typer.Argument(metavar="[KIND]", show_default=False)] = None,
        goal: Annotated[str | None, typer.Argument(metavar="[DRIVE-OR-FOLDER]", show_default=False)] = None,
        forget: Annotated[bool, typer.Option("--forget", help="Forget what was chosen for this kind.")] = False,
    ) -> None:
        """Show where new content of each kind goes, or choose where one kind goes from now on."""
        from nuvik.core.store.json_codec import to_wire
        from nuvik.core.survey.card_input import kind_of

        workspace = call.workspace
        meant = kind_of(kind) if kind else None
        if meant is not None and goal is not None:
            chosen = workspace.set_landing(meant, goal)
            call.say(
                f"New content of the kind {meant} is to go to {shown(chosen.path)}. Choose that folder in the "
                "programs that bring it."
            )
        elif meant is not None and forget:
            workspace.landings.forget(meant)
            call.say(f"Nothing is chosen for {meant} any more.")
        elif goal is None and forget:
            raise BadInput("Which kind is to be forgotten?", next_step="Say for example: nuvik landing game --forget")
        rows = [one for one in workspace.where_new_content_goes() if meant is None or one.kind is meant]
        if call.as_json:
            call.document("landing", {"landings": to_wire(rows)})
            return
        labels = workspace.labels()
        for one in rows:
            before = f", so far to {shown(labels.get(one.before, one.before))}" if one.before else ""
            call.say(f"  {one.kind:<11} {shown(one.path)}{before}: {one.reason}")
        if not rows:
            call.say("Nothing is known of where new content goes: survey first, or choose a drive for a kind.")


def _say_weights(call: Call, wishes: Wishes) -> None:
    told = list(wishes.weighed.in_words())
    if call.as_json:
        call.document("weights", {"weights": {name: seconds for name, seconds, _ in told}})
        return
    for name, seconds, says in told:
        call.say(f"  {name:<16} {seconds:>8g} s  {says}")


def _say_proposal(call: Call, found: Answer, plan: Plan | None) -> None:
    from nuvik.core.views.draft_sentences import totals

    call.say(found.in_words())
    if plan:
        say_steps(call, plan, [step.reason for step in plan.steps])
        call.say(totals(found.draft))


def _wishes(
    call: Call,
    headroom: list[str] | None,
    free: list[str] | None,
    weeks: float,
    style: str,
    most_moves: int | None,
    hours: float | None,
    grow: float | None,
    pin: list[str] | None,
    forbid: list[str] | None,
    whole: bool,
    weigh: list[str] | None,
) -> Wishes:
    """What the options ask for. Raises BadInput and Refused."""
    from nuvik.core.model.paths import normalised
    from nuvik.core.model.wishes import Wishes
    from nuvik.core.planning.drafting.wishes_input import count_of, number_of, style_of, weights_of

    wanted = style_of(style)
    growing = number_of("" if grow is None else str(grow), "--room-to-grow")
    asked = {**(call.workspace.room_to_grow(growing) if growing else {}), **sizes_by_drive(headroom, call)}
    moving_hours = number_of("" if hours is None else str(hours), "--hours")
    known = {one.path: one.id for one in call.workspace.snapshot().libraries}

    def id_of(path: str) -> str:
        if (place := os.path.realpath(normalised(path))) not in known:
            raise Refused(f"No library is known at {shown(place)}.", next_step="“nuvik survey” lists them.")
        return known[place]

    forbidden = set()
    for text in forbid or ():
        path, sign, drive = text.rpartition("=")
        if not sign:
            raise BadInput(f"“{shown(text)}” is not PATH=DRIVE.", next_step="Write for example Games/Kite=heron.")
        forbidden.add((id_of(path), call.workspace.drive_or_refuse(drive).id))
    return Wishes(
        style=wanted,
        weights=weights_of(wanted, [one for one in weigh or [] if "=" in one]),
        weeks=number_of(str(weeks), "--weeks") or 0.0,
        headroom_bytes=asked,
        free_more_bytes=sizes_by_drive(free, call),
        pinned=frozenset(map(id_of, pin or ())),
        forbidden=frozenset(forbidden),
        most_moves=count_of("" if most_moves is None else str(most_moves), "--most-moves"),
        most_moving_s=None if moving_hours is None else moving_hours * 3600,
        whole=whole,
    )
