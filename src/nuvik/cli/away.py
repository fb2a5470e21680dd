"""`nuvik away` and `nuvik fallback`: what does not open without a drive, and what is used in its place."""

from __future__ import annotations

from typing import Annotated

import typer

from nuvik.cli.call import EXIT_FINDINGS, Call, command, stoppable
from nuvik.core.model.errors import NotNamed, Refused
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop


def add_to(app: typer.Typer) -> None:
    @command(app, "away")
    def away(
        call: Call,
        drive: Annotated[
            str | None,
            typer.Argument(metavar="DRIVE", help="Suppose that this drive is unplugged. Default: the drives that are."),
        ] = None,
    ) -> None:
        """Say what does not open while a drive is away, and what still does."""
        from nuvik.core.views.away_sentences import away_lines, without
        from nuvik.core.views.documents.of_watching import AwayDocument

        snapshot = call.workspace.survey.latest()
        wanted = None if drive is None else call.workspace.drives.find(drive).id
        rows = without(snapshot, wanted)
        if call.as_json:
            call.document(AwayDocument.of(rows))
            return
        for words in away_lines(rows):
            call.say(words)

    @command(app, "fallback")
    def fallback(
        call: Call,
        library: Annotated[
            str | None,
            typer.Argument(metavar="LIBRARY", help="Its path or name. Default: every library that has a fallback."),
        ] = None,
    ) -> None:
        """Compare libraries with their fallbacks, the smaller ones that are used while a drive is away, and say what is
        newer where. “nuvik card PATH --falls-back-to PATH” names one. Nothing is merged.
        """
        from nuvik.core.views.documents.of_watching import FallbackDocument, FallbacksDocument
        from nuvik.core.views.fallback_sentences import fallback_line, newer_lines

        stage, snapshot = call.workspace.survey, call.workspace.survey.latest()
        pairs = stage.fallbacks(snapshot)
        if library is not None:
            wanted = call.workspace.plan.library_at(library)
            pairs = [pair for pair in pairs if pair[0].id == wanted.id]
            if not pairs:
                raise NotNamed(
                    f"{shown(wanted.name)} has no fallback.",
                    next_step="“nuvik card PATH --falls-back-to PATH” names it.",
                )
        if not pairs:
            call.say("No library has a fallback. “nuvik card PATH --falls-back-to PATH” names one.")
        stop, rows = Stop(), []
        for whole, small in pairs:
            call.say(f"{fallback_line(whole, small, snapshot)}.")
            newer = None
            try:
                with stoppable(call, stop, call.progress(), "stopped; nothing was changed."):
                    newer = stage.newer_where(whole, small, stop)
                for words in newer_lines(newer):
                    call.say(f"  {words}")
            except Refused as trouble:
                call.say(f"  Not compared: {trouble.what}")
            rows.append(FallbackDocument.of(whole, small, newer))
        if call.as_json:
            call.document(FallbacksDocument(fallbacks=tuple(rows)))
        if any(row.compared and not row.in_step for row in rows):
            raise typer.Exit(EXIT_FINDINGS)
