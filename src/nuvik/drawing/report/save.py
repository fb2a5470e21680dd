"""Writing the report to a file."""

from __future__ import annotations

import os

from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown
from nuvik.core.user_files.safe_file import make_folder_of, write_text
from nuvik.drawing.render import save
from nuvik.drawing.report.html import report_html
from nuvik.drawing.report.pages import Paper, report_pages
from nuvik.drawing.report.sections import Report

ENDINGS = (".pdf", ".html")


def check_ending(path: str) -> None:
    """Raises BadInput for a name that is neither that of a PDF nor of an HTML file."""
    if os.path.splitext(path)[1].lower() not in ENDINGS:
        raise BadInput(f"{shown(path)}: a report is .pdf or .html.", next_step="End the name so.")


def save_report(report: Report, path: str, paper: Paper = Paper.A4) -> None:
    """Write the report as pages or as HTML, by the ending of the name. Folders that are not there are made.

    Raises BadInput for another ending, Refused when the file cannot be written.
    """
    check_ending(path)
    if path.lower().endswith(".pdf"):
        save(report_pages(report, paper), path)
        return
    text = report_html(report)
    make_folder_of(path)
    write_text(path, text)
