"""`nuvik logbook`: what was done, expected beside actual."""

from __future__ import annotations

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_duration


def add_to(app: typer.Typer) -> None:
    @command(app, "logbook")
    def logbook(call: Call) -> None:
        """Show every move, newest first: its state, and what it took beside what was expected."""
        from nuvik.core.views.documents import document

        workspace = call.workspace
        moves = list(reversed(workspace.logbook.moves()))
        if call.as_json:
            call.document("logbook", {"moves": [document(move) for move in moves]})
            return
        if not moves:
            call.say("Nothing has been moved yet.")
            return
        labels = workspace.drives.labels()
        for move in moves:
            here, there = move.source_drive, move.target_drive
            way = f"{shown(labels.get(here, here))} → {shown(labels.get(there, there))}"
            undoes = f"undoes move {move.undoes}: " if move.undoes else ""
            call.say(
                f"{move.id:>4}  {move.started_at or 'not started':<20}  {undoes}{shown(move.library)}, "
                f"{format_bytes(move.bytes)}, {way}: {move.state.in_words}"
            )
            if move.started_at:
                call.say(
                    f"      expected {format_duration(move.expected_s)}, took {format_duration(move.actual_s)}"
                    + (f"; {format_bytes(move.freed_bytes)} freed" if move.freed_bytes is not None else "")
                )
            if move.problem:
                call.say(f"      {move.problem}")
