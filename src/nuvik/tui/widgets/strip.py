"""The strip: a drive as one bar of its libraries, headroom hatched and other data grey. Everywhere the same drawing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rich.segment import Segment
from rich.style import Style

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.drawing.palette import Palette

OTHER, HATCH, LEAVING, OVERFULL, GOES_ON = "░", "╱", "┄", "!", "›"


@dataclass(frozen=True, slots=True)
class StripData:
    """What one strip shows."""

    drive: Drive
    libraries: Sequence[Library]
    used_bytes: int
    leaving: frozenset[str] = frozenset()
    """Libraries that go, drawn hollow."""
    arriving: frozenset[str] = frozenset()
    """Libraries that come, drawn with an underline."""
    marked: str | None = None
    """The library at the cursor, or in the user's hand."""


def strip_segments(data: StripData, cells: int, bytes_a_cell: float, palette: Palette) -> list[Segment]:
    """The bar as `cells` characters. A drive longer than that ends in `›`."""
    drive = data.drive
    length = max(1, round(drive.usable_bytes / bytes_a_cell))
    bar: list[tuple[str, Style]] = []
    free_style = Style(color=palette.quiet, bgcolor=palette.free)
    known = sum(library.bytes for library in data.libraries)
    at_bytes = max(0, data.used_bytes - known)
    _fill(bar, at_bytes / bytes_a_cell, OTHER, Style(color=palette.quiet, bgcolor=palette.ground))
    for library in data.libraries:
        at_bytes += library.bytes
        end = round(at_bytes / bytes_a_cell)
        if end <= len(bar):
            continue
        hue = palette.kinds[library.kind]
        style = Style(color=palette.text if palette.dark else palette.text, bgcolor=hue)
        fill = " "
        if library.id in data.leaving:
            style, fill = Style(color=hue, bgcolor=palette.free), LEAVING
        if library.id in data.arriving:
            style += Style(bold=True, underline=True)
        if library.id == data.marked:
            style, fill = Style(color=palette.ground, bgcolor=palette.accent, bold=True), " "
        bar.append((library.kind.letter, style))
        _fill(bar, end, fill, style)
    headroom_from = round((drive.usable_bytes - drive.headroom_bytes) / bytes_a_cell)
    pressed = drive.usable_bytes - data.used_bytes < drive.headroom_bytes
    hatched = Style(color=palette.look if pressed else palette.quiet, bgcolor=palette.free)
    while len(bar) < length:
        bar.append((HATCH, hatched) if len(bar) >= headroom_from else (" ", free_style))
    if len(bar) > length:
        bar[length - 1 :] = [(OVERFULL, Style(color=palette.ground, bgcolor=palette.broken, bold=True))]
    if len(bar) > cells:
        bar[cells - 1 :] = [(GOES_ON, Style(color=palette.quiet, bgcolor=palette.free))]
    bar += [(" ", Style())] * (cells - len(bar))
    return [Segment(character, style) for character, style in bar]


def _fill(bar: list[tuple[str, Style]], until: float, character: str, style: Style) -> None:
    while len(bar) < round(until):
        bar.append((character, style))
