"""`nuvik report`: the whole story for somebody who never saw Nuvik."""

from __future__ import annotations

from typing import Annotated, Literal

import typer

from nuvik.cli.call import Call, command


def add_to(app: typer.Typer) -> None:
    @command(app, "report")
    def report(
        call: Call,
        output: Annotated[str, typer.Option("-o", "--output", metavar="FILE", help="A file ending in .pdf or .html.")],
        paper: Annotated[
            Literal["a4", "letter"], typer.Option("--paper", case_sensitive=False, help="The paper size of a PDF.")
        ] = "a4",
        propose: Annotated[
            bool, typer.Option("--proposal/--no-proposal", help="Also work out what belongs where.")
        ] = True,
    ) -> None:
        """Write the whole story for somebody who never saw Nuvik: how full the drives are, what they hold, what you
        wait for, what was moved or is proposed and why, and how to take it back.
        """
        from nuvik.drawing.report.pages import Paper
        from nuvik.drawing.report.save import check_ending, save_report
        from nuvik.drawing.report.sections import report_of

        check_ending(output)  # before anything is worked out
        with call.working("Writing the report"):
            save_report(report_of(call.workspace, propose), output, Paper(paper))
        call.wrote(output)
