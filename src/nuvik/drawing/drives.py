"""The drawing of drives: each a strip of its libraries to a common scale."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.views.survey_headline import survey_headline
from nuvik.drawing.headed import ROOM, headed
from nuvik.drawing.page import MARGIN, SMALL, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.strips import Strip, draw_strips

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace


def drives_page(snapshot: Snapshot) -> Page:
    """Every attached drive with its libraries."""
    page, y = headed(f"The drives of {snapshot.host}", survey_headline(snapshot))
    strips = [
        Strip(drive, snapshot.on_drive(drive.id), drive.used_bytes) for drive in snapshot.drives if drive.attached
    ]
    y = draw_strips(page, strips, MARGIN, y, ROOM) if strips else y
    if away := [shown(drive.label) for drive in snapshot.drives if not drive.attached]:
        y = page.paragraph(f"Away: {', '.join(away)}.", MARGIN, y + 6, ROOM, SMALL, color=DAY.quiet)
    return page.ends_at(y + MARGIN)


@register("drives", "every drive with its libraries")
def _draw(workspace: Workspace) -> Page:
    return drives_page(workspace.survey.latest())
