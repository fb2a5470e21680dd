"""The drawing of a plan: every drive now and then, and the moves with their reasons."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nuvik.core.model.errors import Refused
from nuvik.core.model.plan import Plan
from nuvik.core.model.units import format_bytes
from nuvik.core.views.draft_sentences import totals
from nuvik.drawing.headed import ROOM, headed
from nuvik.drawing.page import MARGIN, SMALL, TEXT, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register_plan
from nuvik.drawing.strips import Strip, draw_strips
from nuvik.drawing.tables import draw_table

if TYPE_CHECKING:
    from nuvik.core.planning.drafting.draft import Draft
    from nuvik.core.stages.workspace import Workspace


def plan_page(draft: Draft, plan: Plan | None = None) -> Page:
    """Each attached drive of a draft now and then; with the plan made of it, its moves below."""
    sentence = totals(draft)
    page, y = headed(f"A plan for {draft.snapshot.host}", sentence[:1].upper() + sentence[1:])
    y = draw_strips(page, strips_of(draft), MARGIN, y, ROOM)
    if plan is not None and plan.steps:
        page.text("The moves, best first", MARGIN, y + 10, TEXT, bold=True)
        y = draw_moves(page, plan, {drive.id: drive.label for drive in draft.drives}, MARGIN, y + 26, ROOM)
    return page.ends_at(y + MARGIN)


def strips_of(draft: Draft) -> list[Strip]:
    """Each attached drive now and then; one on which nothing changes only once."""
    strips = []
    for drive in draft.drives:
        if drive.attached:
            here, then = draft.snapshot.on_drive(drive.id), draft.on_drive_then(drive.id)
            changes = {library.id for library in here} != {library.id for library in then}
            strips.append(Strip(drive, here, drive.used_bytes, "now" if changes else ""))
            if changes:
                strips.append(Strip(drive, then, drive.usable_bytes - draft.free_then_bytes(drive.id), "then"))
    return strips


def draw_moves(
    page: Page, plan: Plan, labels: dict[str, str], x: float, y: float, room: float, most: int | None = None
) -> float:
    """The steps of a plan as a table, at most so many; where it ends."""
    rows = [
        (
            str(step.n),
            step.library,
            format_bytes(step.bytes),
            f"{labels.get(step.from_drive, step.from_drive)} → {labels.get(step.to_drive, step.to_drive)}",
            step.reason,
        )
        for step in plan.steps[:most]
    ]
    y = draw_table(page, rows, ("", "library", "size", "from → to", "why"), x, y, room, right=(0, 2))
    if rest := len(plan.steps) - len(rows):
        y = page.paragraph(f"and {rest} more", x, y + 3, room, SMALL, color=DAY.quiet)
    return y


@register_plan("plan", "every drive now and once a plan is carried, with the moves and why")
def _draw(workspace: Workspace, plan: Plan) -> Page:
    draft, left = workspace.plan.draft_of(plan, workspace.survey.latest())
    if left:
        raise Refused(f"Not all of this plan can be drawn: {left[0]}.", next_step="Survey, or make the plan again.")
    return plan_page(draft, plan)
