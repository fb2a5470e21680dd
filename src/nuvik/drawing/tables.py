"""Tables: columns as wide as they need, the last one wrapped."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from nuvik.drawing import fonts
from nuvik.drawing.page import SMALL, Page
from nuvik.drawing.palette import DAY

_GAP, _LINE = 10.0, 1.35


def draw_table(
    page: Page,
    rows: Sequence[Sequence[str]],
    head: Sequence[str],
    x: float,
    y: float,
    room: float,
    *,
    right: Collection[int] = (),
    size: float = SMALL,
    most: float = 0.3,
) -> float:
    """Draw rows below a head; columns numbered in `right` are flush right, and none but the last takes more than
    `most` of the room. Where it ends.
    """
    last = len(head) - 1
    widths = [
        min(room * most, max(fonts.width(row[column], size, column == 0) for row in (head, *rows)) + 1)
        for column in range(last)
    ]
    widths.append(max(60.0, room - sum(widths) - _GAP * last))
    lefts = [x + sum(widths[:column]) + _GAP * column for column in range(len(head))]
    for column, words in enumerate(head):
        _cell(page, words, lefts[column], y, widths[column], size, column in right, DAY.quiet)
    y += size * _LINE + 2
    page.line([(x, y - 1), (x + room, y - 1)], DAY.other, 0.6)
    for row in rows:
        top = y
        for column, words in enumerate(row[:last]):
            _cell(page, words, lefts[column], top + 2, widths[column], size, column in right, DAY.text)
        end = page.paragraph(row[last], lefts[last], top + 2, widths[last], size)
        y = max(end, top + 2 + size * _LINE) + 1
    return y


def _cell(
    page: Page, words: str, left: float, y: float, wide: float, size: float, flush_right: bool, color: str
) -> None:
    if flush_right:
        page.text(words, left + wide, y, size, color=color, align="right", room=wide)
    else:
        page.text(words, left, y, size, color=color, room=wide)
