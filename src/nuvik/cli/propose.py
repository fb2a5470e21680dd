"""`nuvik propose` and `nuvik why`: what belongs where, and the reasons."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command
from nuvik.cli.plan import Headroom, say_steps
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes
from nuvik.core.model.wishes import Style

if TYPE_CHECKING:
    from nuvik.core.model.plan import Plan
    from nuvik.core.model.wishes import Wishes
    from nuvik.core.planning.drafting.recommendation import Recommendation


def add_to(app: typer.Typer) -> None:
    @command(app, "propose")
    def propose(
        call: Call,
        output: Annotated[
            str | None, typer.Option("-o", "--output", metavar="PLAN", help="The plan file to write.")
        ] = None,
        headroom: Headroom = None,
        free: Annotated[
            list[str] | None, typer.Option("--free", metavar="DRIVE=SIZE", help="Free this much more on a drive.")
        ] = None,
        weeks: Annotated[
            float, typer.Option("--weeks", metavar="N", min=0, help="Within how many weeks moving should pay off.")
        ] = 26.0,
        style: Annotated[
            Style, typer.Option("--style", case_sensitive=False, help="How much moving Nuvik may propose.")
        ] = Style.BALANCED,
        most_moves: Annotated[
            int | None, typer.Option("--most-moves", metavar="N", min=1, help="Make no more moves than this.")
        ] = None,
        hours: Annotated[
            float | None, typer.Option("--hours", metavar="H", min=0, help="All moves together may take no longer.")
        ] = None,
        grow: Annotated[
            float | None,
            typer.Option("--room-to-grow", metavar="WEEKS", min=0, help="Leave room for this many weeks of growth."),
        ] = None,
        pin: Annotated[
            list[str] | None, typer.Option("--pin", metavar="PATH", help="Keep this library where it is.")
        ] = None,
        forbid: Annotated[
            list[str] | None,
            typer.Option("--forbid", metavar="PATH=DRIVE", help="Never put this library on that drive."),
        ] = None,
        every_move: Annotated[bool, typer.Option("--every-move", help="Include moves that gain little.")] = False,
        keep_headroom: Annotated[
            bool,
            typer.Option("--keep-headroom", help="No drive goes below its headroom, not even while things are moved."),
        ] = False,
        on_trial: Annotated[
            bool,
            typer.Option("--on-trial", help="Allow for the originals, which are kept until you release them."),
        ] = False,
        whole: Annotated[bool, typer.Option("--whole", help="Never split libraries into parts.")] = False,
        weigh: Annotated[
            list[str] | None,
            typer.Option("--weigh", metavar="NAME=SECONDS", help="Change one of the weights; without “=”, list them."),
        ] = None,
    ) -> None:
        """Compute the best placement, with reasons and a proof; with -o, write it as a plan."""
        from nuvik.core.views.documents.of_plans import ProposalDocument
        from nuvik.core.views.recommendation_sentences import recommendation_sentences

        workspace = call.workspace
        if workspace.why_only_read and not workspace.survey.latest().libraries:
            with call.working("Surveying"):  # the last survey could not be kept
                workspace.survey.take()
        wishes = workspace.plan.wishes_from_options(
            headroom_bytes=workspace.drives.sizes(headroom or ()),
            free_more_bytes=workspace.drives.sizes(free or ()),
            weeks=weeks,
            style=style,
            most_moves=most_moves,
            hours=hours,
            grow_weeks=grow,
            pinned=pin or (),
            forbidden=forbid or (),
            whole=whole,
            every_move=every_move,
            keep_headroom=keep_headroom,
            on_trial=on_trial,
            weights=[text for text in weigh or () if "=" in text],
        )
        if weigh and all("=" not in text for text in weigh):
            _say_weights(call, wishes)
            return
        with call.working("Looking for the best plan"):
            recommendation = workspace.plan.recommend(wishes)
        proposal, words = recommendation.proposal, recommendation_sentences(recommendation)
        plan = workspace.plan.make(recommendation.draft, recommendation) if recommendation.draft.places else None
        if output is not None and plan is not None:
            workspace.plan.write(plan, output)
        if call.as_json:
            timeline = workspace.rehearse.on_paper(plan) if plan else None
            call.document(ProposalDocument.of(recommendation, plan, timeline, wishes.weighed, words))
            call.say(words)
        else:
            _say_recommendation(call, recommendation, words, plan)
        if output is not None and plan is not None:
            call.wrote(output)
            call.say(f"Next: nuvik rehearse {shown(output)}")
        elif output is not None:
            call.say("Nothing moves, so no plan was written.")
        if proposal.short_bytes or proposal.unmet:
            raise typer.Exit(EXIT_FINDINGS)

    @command(app, "why")
    def why(
        call: Call,
        library: Annotated[str, typer.Argument(metavar="LIBRARY", help="Its path, or its name.")],
    ) -> None:
        """Say why a library should move or stay: where its seconds come from, on each drive, and what it is worth."""
        from nuvik.core.views.documents.of_plans import WhyDocument
        from nuvik.core.views.why_sentences import why_lines

        with call.working("Weighing each drive"):
            answer = call.workspace.plan.why(call.workspace.plan.library_at(library))
        if call.as_json:
            call.document(WhyDocument.of(answer))
            return
        for number, line in enumerate(why_lines(answer)):
            call.say(line if number < 2 else f"  {line}")


def _say_weights(call: Call, wishes: Wishes) -> None:
    from nuvik.core.views.documents.of_plans import WeightsDocument

    if call.as_json:
        call.document(WeightsDocument.of(wishes.weighed))
        return
    rows = ((name, f"{seconds:g} s", says) for name, seconds, says in wishes.weighed.in_words())
    call.table(rows, right=(1,), indent=2)


def _say_recommendation(call: Call, recommendation: Recommendation, words: str, plan: Plan | None) -> None:
    from nuvik.core.views.draft_sentences import totals
    from nuvik.core.views.rehearsal_sentences import on_paper_lines

    call.say(words)
    if plan:
        say_steps(call, plan, [step.reason for step in plan.steps])
        call.say(totals(recommendation.draft))
        for line in on_paper_lines(call.workspace.rehearse.on_paper(plan), call.workspace.drives.labels()):
            call.say(line)
        if plan.on_trial:
            call.say(f"The originals, {format_bytes(plan.frees_bytes)}, stay where they are until you release them.")
