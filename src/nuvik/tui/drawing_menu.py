"""Drawings and the report, from any stage: a menu of them, and writing what was chosen beside the screen."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

from nuvik.core.model.errors import Refused
from nuvik.tui.desk import Desk

if TYPE_CHECKING:
    from nuvik.drawing.page import Page

REPORT = "report"
_CHOICES: dict[str, tuple[str, str]] = {
    "d": ("drives", "the drives with their libraries"),
    "f": ("tiles", "what fills each drive, by size and kind"),
    "m": ("map", "libraries by size and last use"),
    "s": ("speeds", "how fast the drives are"),
    "o": ("openings", "how long libraries take to open"),
    "p": ("plan", "the plan: drives now and then, the moves and why"),
    "t": ("timeline", "the plan over time"),
    "c": ("done", "the last plan carried: before and after"),
    "h": ("history", "free space and waiting over the weeks"),
    "r": (REPORT, "the report: the whole story on a few pages"),
}
_OF_A_PLAN = ("plan", "timeline")


def drawing_choices(desk: Desk) -> list[tuple[str, str]]:
    """Keys and what they draw; what there is no plan for is left out."""
    return [(key, words) for key, (name, words) in _CHOICES.items() if name not in _OF_A_PLAN or desk.draft.places]


def draw_into(desk: Desk, key: str, folder: str) -> list[str]:
    """Write what a key stands for as files in a folder, under names that are free; their paths. Raises Refused."""
    from nuvik.core.user_files.safe_file import free_stem
    from nuvik.drawing.render import save
    from nuvik.drawing.report.save import ENDINGS, save_report
    from nuvik.drawing.report.sections import report_of

    name, _ = _CHOICES[key]
    endings = ENDINGS if name == REPORT else (".pdf", ".svg")
    stem = free_stem(os.path.join(folder, f"nuvik-{name}"), endings)
    paths = [stem + ending for ending in endings]
    if name == REPORT:
        report = report_of(desk.workspace)
        for path in paths:
            save_report(report, path)
    else:
        page = _page(desk, name)
        for path in paths:
            save([page], path)
    return paths


def _page(desk: Desk, name: str) -> Page:
    from nuvik.drawing.registry import all_drawings

    drawing, workspace = all_drawings()[name], desk.workspace
    if drawing.draw is not None:
        return drawing.draw(workspace)
    if drawing.draw_plan is None or not desk.draft.places:
        raise Refused("There is no plan to draw.", next_step="Pick a library up first, or ask for a proposal.")
    return drawing.draw_plan(workspace, workspace.plan.make(desk.draft, desk.recommendation))
