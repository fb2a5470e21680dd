"""The map: libraries by size and last use, as on the screen; large and unused libraries are in one corner."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nuvik.core.model.clock import moment_of
from nuvik.core.model.cold import COLD_AFTER_DAYS
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes
from nuvik.core.views.age_board import AGE_TICKS, Spot, across_of, age_board, big_and_cold_in_words
from nuvik.drawing import fonts
from nuvik.drawing.headed import ROOM, WIDE, headed
from nuvik.drawing.legend import draw_legend, of_kinds
from nuvik.drawing.page import MARGIN, SMALL, Box, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.scales import Scale

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_TALL, _LEFT, _INSET = 400.0, 44.0, 14.0
_MOST_CELLS, _MOST_MARKS = 26, 300
"""How long a name may be, and how many libraries have a mark with their letter."""
_HALF, _ASIDE = 5.0, (0.0, 11.0, -11.0, 22.0, -22.0, 33.0, -33.0)
"""Half the side of a mark, and how far it may stand beside its place."""


def ages_page(snapshot: Snapshot) -> Page:
    """Every library, as old as it was at the survey."""
    board = age_board(snapshot.libraries, moment_of(snapshot.taken_at) if snapshot.taken_at else None)
    page, y = headed(f"Size and last use, {snapshot.host}", big_and_cold_in_words(board))
    y += 6
    left, right, bottom = MARGIN + _LEFT, WIDE - MARGIN, y + _TALL
    across = Scale(0.0, 1.0, left + _INSET, right - _INSET)
    up = Scale(0.0, 1.0, bottom - _INSET, y + _INSET)
    corner = Box(across.at(across_of(COLD_AFTER_DAYS)), y, right, up.at(board.up_of(board.big_bytes)))
    page.area(corner, DAY.free)
    page.text("big and cold", right, y - 11, SMALL, color=DAY.look, bold=True, align="right")
    for share, size in board.size_ticks:
        page.line([(left, up.at(share)), (right, up.at(share))], DAY.free, 0.8)
        tall = fonts.height(SMALL)
        page.text(format_bytes(size), left - 5, up.at(share) - tall / 2, SMALL, color=DAY.quiet, align="right")
    for days, words in AGE_TICKS:
        x = across.at(across_of(days))
        page.line([(x, y), (x, bottom)], DAY.free, 0.8)
        page.text(words, x, bottom + 4, SMALL, color=DAY.quiet, align="center")
    every = sorted(board.spots, key=lambda spot: (spot.library.on_disk_bytes, spot.library.path))
    spots = every[-_MOST_MARKS:]
    for spot in every[:-_MOST_MARKS]:  # the crowd of small ones, each a speck of its colour
        x_at, y_at = across.at(spot.across), up.at(spot.up)
        page.area(Box(x_at - 1.5, y_at - 1.5, x_at + 1.5, y_at + 1.5), DAY.kinds[spot.library.kind])
    badges = [_badge(page, spot, across, up) for spot in spots]
    page.height = bottom
    # Names find less and less room: those that matter most are set first.
    marked = list(zip(spots, badges, strict=True))[::-1]
    marked.sort(key=lambda pair: not board.is_big_and_cold(pair[0]))
    for spot, badge in marked:
        name = fonts.cut(spot.library.name, SMALL, _MOST_CELLS * SMALL * 0.6)
        page.label(name, badge)
    page.height = 0.0
    y = bottom + 22
    y = draw_legend(page, of_kinds(spot.library.kind for spot in spots), left, y, MARGIN + ROOM - left)
    return page.ends_at(y + MARGIN)


def _badge(page: Page, spot: Spot, across: Scale, up: Scale) -> Box:
    """The mark of a library; beside its place where another one stands there."""
    x, y = across.at(spot.across), up.at(spot.up)
    for aside in _ASIDE:
        box = Box(x + aside - _HALF, y - _HALF, x + aside + _HALF, y + _HALF)
        within = across.begin - _INSET + _HALF <= x + aside <= across.end + _INSET - _HALF
        if within and not any(box.meets(other) for other in page.taken):
            return page.badge(spot.library.kind, x + aside, y)
    return page.badge(spot.library.kind, x, y)


@register("map", "libraries by size and last use")
def _draw(workspace: Workspace) -> Page:
    return ages_page(workspace.survey.latest())
