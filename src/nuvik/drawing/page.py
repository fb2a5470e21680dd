"""A page to draw on, as a list of what stands on it. Nothing is drawn until it is rendered, so that everything can be
measured, and looked at, before.

Points (1/72 inch) from the top left corner. Free words are remembered with the room that they take: a label is only
set where it covers neither words nor a mark.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown
from nuvik.drawing import fonts
from nuvik.drawing.palette import DAY

TITLE, TEXT, SMALL = 13.0, 9.0, 7.5
"""Sizes of letters: three, and no others."""
MARGIN = 28.0
_FEWEST = 4
"""Of a name that is cut so short, only the letter of its kind is shown."""
Align = Literal["left", "center", "right"]


@dataclass(frozen=True, slots=True)
class Box:
    """A rectangle on a page."""

    left: float
    top: float
    right: float
    bottom: float

    @property
    def width(self) -> float:
        return self.right - self.left

    @property
    def height(self) -> float:
        return self.bottom - self.top

    def meets(self, other: Box, by: float = 0.0) -> bool:
        """Whether they overlap by more than so much, or, below zero, come closer than that."""
        return (
            self.left < other.right - by
            and other.left < self.right - by
            and self.top < other.bottom - by
            and other.top < self.bottom - by
        )

    def holds(self, other: Box, by: float = 0.01) -> bool:
        """Whether another lies within it."""
        return (
            self.left - by <= other.left
            and other.right <= self.right + by
            and self.top - by <= other.top
            and other.bottom <= self.bottom + by
        )


@dataclass(frozen=True, slots=True)
class Words:
    """A line of text."""

    words: str
    box: Box
    size: float
    bold: bool
    color: str
    inside: Box | None = None
    """What it was set into, if into something."""


@dataclass(frozen=True, slots=True)
class Area:
    """A filled or hatched rectangle."""

    box: Box
    fill: str | None
    edge: str | None = None
    hatch: str = ""
    line: float = 0.5
    mark: bool = False
    """It stands for something, so that no words may cover it."""


@dataclass(frozen=True, slots=True)
class Line:
    """Straight pieces from point to point."""

    points: tuple[tuple[float, float], ...]
    color: str
    width: float = 1.0
    dash: str = "-"
    fill: str | None = None
    """A closed shape of this colour."""


Item = Words | Area | Line


@dataclass(slots=True)
class Page:
    """What stands on a page."""

    width: float
    height: float = 0.0
    """What was drawn so far, if it is not fixed."""
    title: str = ""
    says: str = ""
    """What it shows, in a sentence, for those who do not see it."""
    items: list[Item] = field(default_factory=list)
    taken: list[Box] = field(default_factory=list)
    """The room of words and of marks."""

    # -- words -----------------------------------------------------------------------------------------------

    def text(
        self,
        words: str,
        x: float,
        y: float,
        size: float = TEXT,
        *,
        color: str = DAY.text,
        bold: bool = False,
        align: Align = "left",
        room: float | None = None,
        inside: Box | None = None,
    ) -> Box:
        """A line of text whose top is at `y`; cut to `room` points. Gives the room that it takes."""
        clean = fonts.printable(shown(words))
        if room is not None:
            clean = fonts.cut(clean, size, room, bold)
        box = self._box(clean, x, y, size, bold, align)
        if clean:
            self._add(Words(clean, box, size, bold, color, inside))
        return box

    def paragraph(
        self,
        words: str,
        x: float,
        y: float,
        room: float,
        size: float = TEXT,
        *,
        color: str = DAY.text,
        bold: bool = False,
        most: int = 100,
    ) -> float:
        """Text in as many lines as it needs, at most so many; where it ends."""
        lines = fonts.wrapped(fonts.printable(shown(words)), size, room, bold)
        if len(lines) > most:
            lines = [*lines[: most - 1], fonts.cut(f"{lines[most - 1]} …", size, room, bold)]
        for line in lines:
            self.text(line, x, y, size, color=color, bold=bold)
            y += size * 1.35
        return y

    def label(self, words: str, beside: Box, size: float = SMALL, color: str = DAY.text, gap: float = 2.5) -> bool:
        """Words beside a mark, wherever they cover nothing; False where there is no such place."""
        clean = fonts.printable(shown(words))
        wide, tall = fonts.width(clean, size), fonts.height(size)
        middle_x, middle_y = (beside.left + beside.right) / 2, (beside.top + beside.bottom) / 2
        for x, y in (
            (beside.right + gap, middle_y - tall / 2),
            (beside.left - gap - wide, middle_y - tall / 2),
            (middle_x - wide / 2, beside.top - gap / 2 - tall),
            (middle_x - wide / 2, beside.bottom + gap / 2),
            (beside.right + gap, beside.top - tall),
            (beside.right + gap, beside.bottom),
            (beside.left - gap - wide, beside.top - tall),
            (beside.left - gap - wide, beside.bottom),
            (beside.right - wide, beside.top - gap / 2 - tall),
            (beside.right - wide, beside.bottom + gap / 2),
            (beside.left, beside.top - gap / 2 - tall),
            (beside.left, beside.bottom + gap / 2),
        ):
            box = Box(x, y, x + wide, y + tall)
            if self.is_free(box):
                self._add(Words(clean, box, size, False, color))
                return True
        return False

    def is_free(self, box: Box) -> bool:
        """Whether a place lies on the page, and neither words nor a mark are there."""
        if box.left < 2 or box.right > self.width - 2 or box.top < 2 or (self.height and box.bottom > self.height - 2):
            return False
        return not any(box.meets(other, -1.0) for other in self.taken)

    def _box(self, words: str, x: float, y: float, size: float, bold: bool, align: Align) -> Box:
        wide = fonts.width(words, size, bold)
        left = x - {"left": 0.0, "center": wide / 2, "right": wide}[align]
        return Box(left, y, left + wide, y + fonts.height(size))

    # -- shapes ----------------------------------------------------------------------------------------------

    def area(
        self,
        box: Box,
        fill: str | None,
        *,
        edge: str | None = None,
        hatch: str = "",
        line: float = 0.5,
        mark: bool = False,
    ) -> None:
        """A rectangle."""
        self._add(Area(box, fill, edge, hatch, line, mark))

    def line(
        self, points: Sequence[tuple[float, float]], color: str = DAY.text, width: float = 1.0, dash: str = "-"
    ) -> None:
        """Straight pieces; `dash` is `-`, `--` or `:`."""
        self._add(Line(tuple(points), color, width, dash))

    def shape(self, points: Sequence[tuple[float, float]], fill: str) -> None:
        """A closed shape."""
        self._add(Line(tuple(points), fill, 0.0, "-", fill))

    def badge(self, kind: Kind, x: float, y: float, side: float = 10.0) -> Box:
        """The letter of a kind on its colour, with its middle at this point: as everywhere in Nuvik."""
        box = Box(x - side / 2, y - side / 2, x + side / 2, y + side / 2)
        self.area(box, DAY.kinds[kind], mark=True)
        size = side * 0.72
        self.text(kind.letter, x, y - fonts.height(size) / 2, size, align="center", inside=box)
        return box

    def dot(self, x: float, y: float, side: float = 5.0, *, full: bool = True, color: str = DAY.text) -> Box:
        """A small square that marks a value; hollow where it is not measured."""
        box = Box(x - side / 2, y - side / 2, x + side / 2, y + side / 2)
        self.area(box, color if full else DAY.surface, edge=color, line=1.0, mark=True)
        return box

    def name_in(self, words: str, box: Box, size: float = SMALL, letter: str = "") -> None:
        """Words in the middle of a rectangle, cut to it, after the letter of a kind; where hardly any would fit, only
        the letter.
        """
        tall, room, whole = fonts.height(size), box.width - 4, fonts.printable(shown(words))
        if box.height < tall:
            return
        clean = fonts.cut(f"{letter}  {whole}" if letter else whole, size, room)
        if len(clean) < _FEWEST + 3 * bool(letter) and not clean.endswith(whole):
            clean = letter
        if clean and fonts.width(clean, size) <= room + 2:
            middle = (box.left + box.right) / 2
            self.text(clean, middle, (box.top + box.bottom - tall) / 2, size, align="center", inside=box)

    def _add(self, item: Item) -> None:
        self.items.append(item)
        if isinstance(item, Words) or (isinstance(item, Area) and item.mark):
            self.taken.append(item.box)

    # -- as a whole ------------------------------------------------------------------------------------------

    def ends_at(self, y: float) -> Page:
        """The page, as tall as what was drawn."""
        self.height = y
        return self

    def moved(self, dx: float, dy: float) -> list[Item]:
        """What stands on it, moved on: to be put on another page."""
        return [_moved(item, dx, dy) for item in self.items]


def _moved(item: Item, dx: float, dy: float) -> Item:
    if isinstance(item, Line):
        return replace(item, points=tuple((x + dx, y + dy) for x, y in item.points))
    box = _box_moved(item.box, dx, dy)
    if isinstance(item, Words):
        return replace(item, box=box, inside=_box_moved(item.inside, dx, dy) if item.inside else None)
    return replace(item, box=box)


def _box_moved(box: Box, dx: float, dy: float) -> Box:
    return Box(box.left + dx, box.top + dy, box.right + dx, box.bottom + dy)
