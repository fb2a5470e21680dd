"""What changes over the time of a plan: the waiting that is left, and the free space of each drive beside its headroom.
Each is a curve of blocks.
"""

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
from nuvik.core.model.timeline import Timeline, TimelineStep
from nuvik.core.model.units import format_duration, format_free, from_to
from nuvik.drawing.palette import Palette
from nuvik.tui.theme import palette_of

_BLOCKS = " ▁▂▃▄▅▆▇█"
_LABEL_CELLS, _ROWS = 11, 2
_FACTS_CELLS, _FEW_FACTS_CELLS, _WIDE = 36, 18, 80
_MARGIN = 0.1
"""Above and below what a curve passes through."""


@dataclass(frozen=True, slots=True)
class Curve:
    """A figure over time."""

    label: str
    points: tuple[tuple[float, float], ...]
    """(Seconds, the figure from then on)."""
    now: float
    """At the cursor: once a step is done and before the next begins, which is one moment of the curve."""
    facts: tuple[str, str]
    """What is said beside its two rows …"""
    few_facts: tuple[str, str]
    """… and where there is little room."""
    least: float | None = None
    """What it should not go under."""

    @property
    def lowest(self) -> float:
        return min(figure for _, figure in self.points)

    def at(self, second: float) -> float:
        """The figure at a moment."""
        return next((figure for since, figure in reversed(self.points) if since <= second), self.points[0][1])

    def least_between(self, begin: float, end: float) -> float:
        """The least in a stretch of time."""
        inside = [figure for since, figure in self.points if begin < since < end]
        return min([self.at(begin), *inside])


def free_curve(
    drive: Drive, points: tuple[tuple[float, int], ...], headroom_bytes: int, lowest: int, now: int
) -> Curve:
    """The free space of a drive, in bytes."""
    low, headroom = (format_free(each).removesuffix(" free") for each in (lowest, headroom_bytes))
    return Curve(
        drive.label,
        points,
        now,
        (f"{format_free(now)} at the cursor", f"lowest {low}, headroom {headroom}"),
        (format_free(now), f"low {low}"),
        headroom_bytes,
    )


def waiting_curve(timeline: Timeline, step: TimelineStep | None) -> Curve | None:
    """The waiting that is left, in seconds a week, from step to step; None where no step changes it."""
    before, then = timeline.waiting_before_s_per_week, timeline.waiting_after_s_per_week
    points = [(0.0, before)]
    points += [(each.end_s, each.waiting_after_s_per_week) for each in timeline.steps if each.waiting_after_s_per_week]
    if abs(before - then) < 1 or len(points) < 2:
        return None
    now = before if step is None or step.waiting_after_s_per_week is None else step.waiting_after_s_per_week
    return Curve(
        "waiting",
        tuple(points),
        now,
        (f"{format_duration(now)} a week at the cursor", from_to(format_duration(before), format_duration(then))),
        (format_duration(now), "a week"),
    )


class PlanCurves(ScrollView):
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
        room = self._cells - len("start") - len(end)
        middle = at.center(room) if len(at) + 2 < room else " " * room
        return f"{'':{_LABEL_CELLS}}start{middle}{end}"

    def _draw(self, curve: Curve, row: int, palette: Palette) -> list[Segment]:
        """One of the two rows of a curve: its label, its blocks, and its figures."""
        cells = self._cells
        step_s = self._total_s / cells
        values = [curve.least_between(number * step_s, (number + 1) * step_s) for number in range(cells)]
        bounds = [*values, curve.now if curve.least is None else curve.least]
        low, high = min(bounds), max(bounds)
        spare = (high - low) * _MARGIN or 1.0
        levels = [round((value - low + spare) / (high - low + 2 * spare) * 8 * _ROWS) for value in values]
        label = shorten(curve.label, _LABEL_CELLS - 2) if row == 0 else ""
        segments = [Segment(f"  {label:<{_LABEL_CELLS - 2}}", Style(color=palette.text))]
        base = 8 * (_ROWS - 1 - row)
        cursor = min(cells - 1, int(self._at_s / step_s))
        for number, (level, value) in enumerate(zip(levels, values, strict=True)):
            color = palette.broken if value < 0 else palette.look if _under(value, curve) else palette.quiet
            color = palette.accent if number == cursor else color
            back = palette.cursor if number == cursor else palette.free
            segments.append(Segment(_BLOCKS[min(8, max(0, level - base))], Style(color=color, bgcolor=back)))
        facts = (curve.facts if self._wide else curve.few_facts)[row]
        under = _under(curve.now if row == 0 else curve.lowest, curve)
        color = palette.look if under else palette.text if row == 0 else palette.quiet
        return [*segments, Segment(f"  {facts}", Style(color=color))]


def _under(figure: float, curve: Curve) -> bool:
    return curve.least is not None and figure < curve.least
