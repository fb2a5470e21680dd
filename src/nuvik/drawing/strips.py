"""Strips: each drive one bar of its libraries, headroom hatched and other data grey, all to one scale."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.units import Base, format_bytes, format_free, preferred
from nuvik.drawing import fonts
from nuvik.drawing.legend import draw_legend, of_area, of_kinds
from nuvik.drawing.page import SMALL, TEXT, Box, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.scales import pieces, round_bytes, strip_scale

_TALL, _GAP, _NAME, _FREE = 17.0, 9.0, 92.0, 118.0
_LEAST = 0.2
"""Narrower pieces cannot be seen."""
_ZIGZAG, _BREAK = 3.0, 12.0
"""Half of how wide a break is, and the room that is kept for it at the end of a piece."""


@dataclass(frozen=True, slots=True)
class Strip:
    """What one strip shows."""

    drive: Drive
    libraries: Sequence[Library]
    used_bytes: int
    when: str = ""
    """`now` or `then`, of a drive that is drawn twice."""


def draw_strips(page: Page, strips: Sequence[Strip], x: float, y: float, room: float) -> float:
    """Draw strips one below the other, with a legend; where they end."""
    left, wide = x + _NAME, room - _NAME - _FREE
    scale = strip_scale([strip.drive.usable_bytes for strip in strips], wide)
    broken = False
    for number, strip in enumerate(strips):
        together = number > 0 and strips[number - 1].drive.id == strip.drive.id
        y += 3.0 if together else _GAP if number else 0.0
        name_y = y + (_TALL - fonts.height(TEXT)) / 2
        if not together:
            page.text(strip.drive.label, x, name_y, TEXT, bold=True, room=_NAME - 34)
        if strip.when:
            page.text(strip.when, left - 6, name_y, SMALL, color=DAY.quiet, align="right")
        broken |= _draw_strip(page, strip, left, y, wide, scale)
        y += _TALL
    y = _legend(page, strips, x, y + 10, room)
    unit = 1000**3 if preferred() is Base.DECIMAL else 1024**3
    measure = round_bytes(scale * 90, unit)
    at = page.text(f"All drives to one scale: this is {format_bytes(measure)}", x, y, SMALL, color=DAY.quiet)
    end = at.right + 6 + measure / scale
    page.line([(at.right + 6, y + 5), (end, y + 5)], DAY.text, 1.5)
    if broken:
        page.text("A zigzag: what is drawn shorter than it is.", end + 14, y, SMALL, color=DAY.quiet)
    return y + 12


def _draw_strip(page: Page, strip: Strip, left: float, y: float, wide: float, scale: float) -> bool:
    """One bar; whether something of it is drawn shorter."""
    drive, free = strip.drive, strip.drive.usable_bytes - strip.used_bytes
    libraries = sorted(strip.libraries, key=lambda each: (-each.on_disk_bytes, each.name))
    other = max(0, strip.used_bytes - sum(library.on_disk_bytes for library in libraries))
    headroom = min(drive.headroom_bytes, max(0, free))
    lengths = [other, *(library.on_disk_bytes for library in libraries), max(0, free - headroom), headroom]
    placed = pieces([length / scale for length in lengths], wide)
    boxes = [Box(left + piece.left, y, left + piece.left + piece.width, y + _TALL) for piece in placed]
    page.area(Box(left, y, boxes[-1].right, y + _TALL), DAY.free)
    page.area(boxes[0], DAY.other)
    for library, box, piece in zip(libraries, boxes[1:-2], placed[1:-2], strict=True):
        if piece.width < _LEAST:  # the smaller they are the later they come: all that is left is one grey piece
            page.area(replace(box, right=boxes[-3].right), DAY.other)
            break
        page.area(box, DAY.kinds[library.kind], edge=DAY.surface, line=0.4)
        free_box = replace(box, right=box.right - _BREAK) if piece.broken else box
        page.name_in(library.name, free_box, letter=library.kind.letter)
    page.area(boxes[-1], None, edge=DAY.quiet, hatch="////")
    page.area(Box(left, y, boxes[-1].right, y + _TALL), None, edge=DAY.quiet)
    for piece, box in zip(placed, boxes, strict=True):
        if piece.broken:
            _zigzag(page, box)
    short = free < drive.headroom_bytes
    color = DAY.broken if free < 0 else DAY.look if short else DAY.text
    tall_y = y + (_TALL - fonts.height(SMALL)) / 2
    words = format_free(free) if free < 0 else f"{'! ' if short else ''}{format_bytes(free)} free of"
    end = page.text(words, left + wide + 8, tall_y, SMALL, color=color, bold=short)
    page.text(format_bytes(drive.usable_bytes), end.right + 3, tall_y, SMALL, color=DAY.quiet)
    return any(piece.broken for piece in placed)


def _zigzag(page: Page, box: Box) -> None:
    """A break through a piece, left of its end, so that it does not cross the name."""
    x = box.right - min(_BREAK / 2, box.width / 4)
    half = (box.bottom - box.top) / 2
    path = [(x, box.top), (x + _ZIGZAG, box.top + half * 0.7), (x - _ZIGZAG, box.top + half * 1.3), (x, box.bottom)]
    page.line(path, DAY.surface, 3.0)


def _legend(page: Page, strips: Sequence[Strip], x: float, y: float, room: float) -> float:
    """The kinds that are there, with their letters; where it ends."""
    entries = [
        *of_kinds(library.kind for strip in strips for library in strip.libraries),
        of_area("other data", DAY.other),
        of_area("headroom", DAY.free, "////"),
        of_area("free", DAY.free),
    ]
    return draw_legend(page, entries, x, y, room) + 2
