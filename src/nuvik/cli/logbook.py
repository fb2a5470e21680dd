"""`nuvik logbook`: what was done, expected beside actual."""

from __future__ import annotations

from typing import Annotated

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.units import format_bytes


def add_to(app: typer.Typer) -> None:
    @command(app, "logbook")
    def logbook(
        call: Call,
        openings: Annotated[
            bool, typer.Option("--openings", help="Show how moved libraries open now, beside what was expected.")
        ] = False,
    ) -> None:
        """Show every move, newest first: its state, and what it took beside what was expected."""
        from nuvik.core.views.documents.of_moves import LogbookDocument
        from nuvik.core.views.move_rows import move_row

        workspace = call.workspace
        moves = list(reversed(workspace.logbook.moves()))
        if call.as_json:
            call.document(LogbookDocument.of(moves, workspace.openings.afterwards()))
            return
        if openings:
            _say_openings(call)
            return
        if not moves:
            call.say("Nothing has been moved yet.")
            return
        labels = workspace.drives.labels()
        for leftover in workspace.logbook.broken_tethers():
            call.say(f"! {leftover.what} {leftover.right}")
        for move in moves:
            row = move_row(move, labels)
            call.say(f"{move.id:>4}  {row.begun:<19}  {row.library}, {row.size}, {row.way}: {row.state}")
            if move.started_at:
                freed = "" if move.freed_bytes is None else f"; {format_bytes(move.freed_bytes)} freed"
                call.say(f"      expected {row.expected}, took {row.took}{freed}")
            if move.problem:
                call.say(f"      {move.problem}")


def _say_openings(call: Call) -> None:
    from nuvik.core.views.opening_sentences import afterwards_headline, afterwards_sentence

    rows = call.workspace.openings.afterwards()
    call.say(afterwards_headline(rows))
    for row in rows:
        call.say(f"  {afterwards_sentence(row)}")
