"""`nuvik history`: free space and waiting over time."""

from __future__ import annotations

import typer

from nuvik.cli.call import Call, command

_CELLS = 40


def add_to(app: typer.Typer) -> None:
    @command(app, "history")
    def history(call: Call) -> None:
        """Show how much was free on each drive, and how long you waited a week, at the surveys so far. “nuvik draw
        history” makes a picture of it.
        """
        from nuvik.core.views.documents.of_watching import HistoryDocument
        from nuvik.core.views.history_rows import LEGEND, history_rows

        past = call.workspace.watching.history()
        if call.as_json:
            call.document(HistoryDocument.of(past))
            return
        rows = list(history_rows(past, _CELLS))
        if not rows:
            call.say("There are too few surveys yet: three make a curve.")
        lines = [line for row in rows for line in ((row.name, row.curve, row.words), ("", row.marks, ""))]
        call.table(line for line in lines if any(cell.strip() for cell in line))
        if any(row.marks.strip() for row in rows):
            call.say(LEGEND)
