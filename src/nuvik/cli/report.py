"""`nuvik report`: the whole story for somebody who never saw Nuvik."""

from __future__ import annotations

import os
from typing import Annotated, Literal

import typer

from nuvik.cli.call import Call, command
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown


def add_to(app: typer.Typer) -> None:
    @command(app, "report")
    def report(
        call: Call,
        output: Annotated[str, typer.Option("-o", "--output", metavar="FILE", help="A file ending in .pdf or .html.")],
        paper: Annotated[
            Literal["a4", "letter"], typer.Option("--paper", case_sensitive=False, help="What a PDF is printed on.")
        ] = "a4",
        propose: Annotated[
            bool, typer.Option("--proposal/--no-proposal", help="Also work out what belongs where.")
        ] = True,
    ) -> None:
        """Write the whole story for somebody who never saw Nuvik: how full the drives are, what they hold, what you
        wait for, what was moved or is proposed and why, and how to take it back.
        """
        ending = os.path.splitext(output)[1].lower()
        if ending not in (".pdf", ".html"):
            raise BadInput(f"{shown(output)}: a report is .pdf or .html.", next_step="End the name so.")
        from nuvik.core.user_files.safe_file import make_folder_of, write_text
        from nuvik.drawing.render import save
        from nuvik.drawing.report.html import report_html
        from nuvik.drawing.report.pages import Paper, report_pages
        from nuvik.drawing.report.sections import report_of

        with call.working("Writing the report"):
            made = report_of(call.workspace, propose)
            if ending == ".pdf":
                save(report_pages(made, Paper(paper)), output)
            else:
                text = report_html(made)
                make_folder_of(output)
                write_text(output, text)
        call.wrote(output)
