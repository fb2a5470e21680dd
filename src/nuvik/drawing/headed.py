"""A drawing of its own: a page with a title, and a sentence below it."""

from __future__ import annotations

from nuvik.core.model.names import shown
from nuvik.drawing.page import MARGIN, TEXT, TITLE, Page
from nuvik.drawing.palette import DAY

WIDE = 792.0
"""Of a drawing, in points: the long side of a Letter sheet."""
ROOM = WIDE - 2 * MARGIN


def headed(title: str, sentence: str) -> tuple[Page, float]:
    """A page with its title and what it shows in a sentence, and where the drawing begins."""
    page = Page(WIDE, title=shown(title), says=shown(sentence))
    y = page.paragraph(title, MARGIN, MARGIN, ROOM, TITLE, bold=True, most=2)
    if sentence:
        y = page.paragraph(sentence, MARGIN, y + 2, ROOM, TEXT, color=DAY.quiet, most=4)
    return page, y + 12
