"""The strip: a drive as one bar of its libraries, headroom hatched and other data grey. Everywhere the same drawing.

All strips on a board have one scale. Where a drive is too long for the board, its longest pieces are drawn shorter
and carry a break mark `≈`; everything else keeps the scale.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rich.segment import Segment
from rich.style import Style

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.drawing.palette import Palette

OTHER, HATCH, LEAVING, ARRIVING, MARKED, OVERFULL, BREAK = "░", "╱", "┄", "+", "•", "!", "≈"


@dataclass(frozen=True, slots=True)
class StripData:
    """What one strip shows."""

    drive: Drive
    libraries: Sequence[Library]
    used_bytes: int
    leaving: frozenset[str] = frozenset()
    """Libraries that go, drawn hollow."""
    arriving: frozenset[str] = frozenset()
    """Libraries that come, drawn with plus signs and an underline."""
    marked: str | None = None
    """The library at the cursor, or in the user's hand."""


@dataclass(slots=True)
class _Run:
    """A stretch of equal cells, perhaps with a letter in front."""

    cells: int
    fill: str
    style: Style
    letter: str = ""
    broken: bool = False

    def text(self) -> str:
        text = (self.letter + self.fill * self.cells)[: self.cells]
        if self.broken:
            middle = self.cells // 2
            text = text[:middle] + BREAK + text[middle + 1 :]
        return text


def strip_segments(data: StripData, cells: int, bytes_a_cell: float, palette: Palette) -> list[Segment]:
    """The bar, filled up with blanks to exactly `cells` characters."""
    runs = _shortened(_runs(data, bytes_a_cell, palette), cells)
    used = sum(run.cells for run in runs)
    segments = [Segment(run.text(), run.style) for run in runs if run.cells]
    return [*segments, Segment(" " * (cells - used))] if used < cells else segments


def _runs(data: StripData, bytes_a_cell: float, palette: Palette) -> list[_Run]:
    """The pieces in order. Ends are rounded, not lengths, so that no error adds up."""
    drive, runs, drawn = data.drive, [], 0
    length = max(1, round(drive.usable_bytes / bytes_a_cell))
    at_bytes = max(0, data.used_bytes - sum(library.on_disk_bytes for library in data.libraries))

    def add(until: float, fill: str, style: Style, letter: str = "") -> None:
        nonlocal drawn
        end = min(round(until), length)
        if end > drawn:
            runs.append(_Run(end - drawn, fill, style, letter))
            drawn = end

    add(at_bytes / bytes_a_cell, OTHER, Style(color=palette.quiet, bgcolor=palette.ground))
    for library in data.libraries:
        at_bytes += library.on_disk_bytes
        if min(round(at_bytes / bytes_a_cell), length) > drawn:  # of thousands, most are too small to be drawn
            fill, style = _look_of(library, data, palette)
            add(at_bytes / bytes_a_cell, fill, style, library.kind.letter)
    free_bytes = drive.usable_bytes - data.used_bytes
    pressed = free_bytes < drive.headroom_bytes
    add(
        (drive.usable_bytes - drive.headroom_bytes) / bytes_a_cell,
        " ",
        Style(color=palette.quiet, bgcolor=palette.free),
    )
    add(length, HATCH, Style(color=palette.look if pressed else palette.quiet, bgcolor=palette.free))
    if free_bytes < 0 and runs:
        runs[-1].cells -= 1
        runs.append(_Run(1, OVERFULL, Style(color=palette.ground, bgcolor=palette.broken, bold=True)))
    return runs


def _look_of(library: Library, data: StripData, palette: Palette) -> tuple[str, Style]:
    hue = palette.kinds[library.kind]
    if library.id == data.marked:
        return MARKED, Style(color=palette.ground, bgcolor=palette.accent, bold=True)
    if library.id in data.leaving:
        return LEAVING, Style(color=hue, bgcolor=palette.free)
    arriving = library.id in data.arriving
    return ARRIVING if arriving else " ", Style(color=palette.letter, bgcolor=hue, bold=arriving, underline=arriving)


def _shortened(runs: list[_Run], cells: int) -> list[_Run]:
    """Cap the longest runs, all at one length, until the bar fits."""
    if sum(run.cells for run in runs) <= cells:
        return runs
    cap = max(run.cells for run in runs)
    while cap > 1 and sum(min(run.cells, cap) for run in runs) > cells:
        cap -= 1
    for run in runs:
        if run.cells > cap:
            run.cells, run.broken = cap, cap > 2
    while sum(run.cells for run in runs) > cells:  # more pieces than cells: the last are too small to show
        runs.pop()
    return runs
