"""Free space of each drive over the time of a plan, with its floor: a curve of blocks for each drive that changes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rich.segment import Segment
from rich.style import Style
from textual.geometry import Size
from textual.scroll_view import ScrollView
from textual.strip import Strip

from nuvik.core.model.drive import Drive
from nuvik.core.model.names import shorten
from nuvik.core.model.units import format_duration, format_free
from nuvik.drawing.palette import Palette
from nuvik.tui.theme import palette_of

_BLOCKS = " ▁▂▃▄▅▆▇█"
_LABEL_CELLS, _ROWS = 11, 2
_FACTS_CELLS, _FEW_FACTS_CELLS, _WIDE = 33, 16, 80
_MARGIN = 0.1
"""Above and below what a curve passes through."""


@dataclass(frozen=True, slots=True)
class Curve:
    """A drive."""

    drive: Drive
    points: tuple[tuple[float, int], ...]
    """(Seconds, bytes free from then on)."""
    floor_bytes: int
    lowest_bytes: int
    now_bytes: int
    """Free at the cursor: once a step is done and before the next begins, which is one moment of the curve."""

    def at(self, second: float) -> int:
        """Free bytes at a moment."""
        return next((free for since, free in reversed(self.points) if since <= second), self.points[0][1])

    def least_between(self, begin: float, end: float) -> int:
        """The least that is free in a stretch of time."""
        inside = [free for since, free in self.points if begin < since < end]
        return min([self.at(begin), *inside])


class FreeCurves(ScrollView):
    """The curves to one common time, and where the cursor stands in it."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._curves: tuple[Curve, ...] = ()
        self._total_s = self._at_s = 0.0

    def show(self, curves: Sequence[Curve], total_s: float, at_s: float) -> None:
        """Draw these, with the cursor at a moment."""
        self._curves, self._total_s, self._at_s = tuple(curves), max(total_s, 1e-9), at_s
        self.virtual_size = Size(self.size.width, len(curves) * _ROWS + 1)
        self.refresh()

    def render_line(self, y: int) -> Strip:
        palette, width = palette_of(self.app.theme), self.size.width
        ground = Style(color=palette.text, bgcolor=palette.surface)
        line = y + int(self.scroll_offset.y)
        number, row = divmod(line, _ROWS)
        if number < len(self._curves):
            segments = self._draw(self._curves[number], row, palette)
        elif line == len(self._curves) * _ROWS and self._curves:
            segments = [Segment(self._times(), Style(color=palette.quiet))]
        else:
            return Strip.blank(width, ground)
        return Strip(segments).apply_style(ground).adjust_cell_length(width, ground)

    @property
    def _cells(self) -> int:
        facts = _FACTS_CELLS if self._wide else _FEW_FACTS_CELLS
        return max(10, self.size.width - _LABEL_CELLS - facts)

    @property
    def _wide(self) -> bool:
        return self.size.width >= _WIDE

    def _times(self) -> str:
        end = format_duration(self._total_s)
        at = f"the cursor: {format_duration(self._at_s)}"
        room = self._cells - len("begin") - len(end)
        middle = at.center(room) if len(at) + 2 < room else " " * room
        return f"{'':{_LABEL_CELLS}}begin{middle}{end}"

    def _draw(self, curve: Curve, row: int, palette: Palette) -> list[Segment]:
        """One of the two rows of a curve: its label, its blocks, and its figures."""
        cells = self._cells
        step_s = self._total_s / cells
        values = [curve.least_between(number * step_s, (number + 1) * step_s) for number in range(cells)]
        low, high = min([*values, curve.floor_bytes]), max([*values, curve.floor_bytes])
        spare = (high - low) * _MARGIN or 1.0
        levels = [round((value - low + spare) / (high - low + 2 * spare) * 8 * _ROWS) for value in values]
        label = shorten(curve.drive.label, _LABEL_CELLS - 2) if row == 0 else ""
        segments = [Segment(f"  {label:<{_LABEL_CELLS - 2}}", Style(color=palette.text))]
        base = 8 * (_ROWS - 1 - row)
        cursor = min(cells - 1, int(self._at_s / step_s))
        for number, (level, value) in enumerate(zip(levels, values, strict=True)):
            color = palette.broken if value < 0 else palette.look if value < curve.floor_bytes else palette.quiet
            color = palette.accent if number == cursor else color
            back = palette.cursor if number == cursor else palette.free
            segments.append(Segment(_BLOCKS[min(8, max(0, level - base))], Style(color=color, bgcolor=back)))
        free = curve.now_bytes
        facts = f"  {format_free(free)}" + (" at the cursor" if self._wide else "")
        if row == 1:
            lowest, floor = (
                format_free(lowest).removesuffix(" free") for lowest in (curve.lowest_bytes, curve.floor_bytes)
            )
            facts = f"  lowest {lowest}, floor {floor}" if self._wide else f"  low {lowest}"
        pressed = free if row == 0 else curve.lowest_bytes
        color = palette.look if pressed < curve.floor_bytes else palette.text if row == 0 else palette.quiet
        return [*segments, Segment(facts, Style(color=color))]
