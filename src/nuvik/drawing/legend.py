"""Legends: marks with what they mean, in as many lines as they need."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from nuvik.core.model.library import Kind
from nuvik.drawing import fonts
from nuvik.drawing.page import SMALL, Box, Page
from nuvik.drawing.palette import DAY

_LINE, _GAP = 14.0, 12.0


@dataclass(frozen=True, slots=True)
class Entry:
    """A mark and its words."""

    words: str
    wide: float
    """Of the mark."""
    draw: Callable[[Page, float, float], object]
    """Draws the mark at its left end and the middle of the line."""


def draw_legend(page: Page, entries: Sequence[Entry], x: float, y: float, room: float) -> float:
    """Draw the entries one after the other; where they end."""
    at = x
    for entry in entries:
        takes = entry.wide + 4 + fonts.width(entry.words, SMALL)
        if at > x and at + takes > x + room:
            at, y = x, y + _LINE
        entry.draw(page, at, y + 5)
        page.text(entry.words, at + entry.wide + 4, y + 0.7, SMALL)
        at += takes + _GAP
    return y + _LINE


def of_kinds(kinds: Iterable[Kind]) -> list[Entry]:
    """Each kind that is there, with its letter."""
    there = set(kinds)
    return [Entry(str(kind), 10.0, _badge(kind)) for kind in Kind if kind in there]


def _badge(kind: Kind) -> Callable[[Page, float, float], object]:
    return lambda page, x, y: page.badge(kind, x + 5, y)


def of_area(words: str, fill: str, hatch: str = "", wide: float = 10.0, edge: str | None = DAY.quiet) -> Entry:
    """A filled or hatched area."""

    def draw(page: Page, x: float, y: float) -> None:
        box = Box(x, y - 5, x + wide, y + 5)
        page.area(box, fill, edge=edge, mark=True)
        if hatch:
            page.area(box, None, edge=DAY.quiet, hatch=hatch)

    return Entry(words, wide, draw)


def of_line(words: str, color: str, width: float, dash: str = "-", wide: float = 20.0) -> Entry:
    """A line."""
    return Entry(words, wide, lambda page, x, y: page.line([(x, y), (x + wide, y)], color, width, dash))


def of_dot(words: str, full: bool) -> Entry:
    """A value that is known by measuring, or not."""
    return Entry(words, 6.0, lambda page, x, y: page.dot(x + 3, y, full=full))
