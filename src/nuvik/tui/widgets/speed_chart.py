"""The speed chart: reading, writing and small reads of all drives, each on one log scale, with the link's ceiling."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from rich.segment import Segment
from rich.style import Style
from textual import events
from textual.binding import Binding
from textual.geometry import Size
from textual.message import Message
from textual.reactive import reactive
from textual.scroll_view import ScrollView
from textual.strip import Strip

from nuvik.core.model.drive import Drive
from nuvik.core.model.links import AT_CEILING_SHARE
from nuvik.core.model.names import padded, shorten, shown
from nuvik.core.model.units import format_bytes, format_duration, format_speed
from nuvik.drawing.palette import Palette
from nuvik.tui.theme import palette_of

_LABEL, _WORD, _SPEED, _COUNT, _TIER = 16, 7, 11, 9, 16
_ROW_LINES, _MOST_LINES = 3, 26
_CEILING = "┃"
_REACHED = "┫"
_BARS = {"measured": ("━", "●"), "declared": ("─", "○"), "typical": ("╌", "?")}
"""What a bar is drawn with, and its end, by how the figure is known."""


@dataclass(frozen=True, slots=True)
class _Scale:
    """A log scale of whole decades over some cells."""

    lowest: int
    highest: int
    cells: int

    @classmethod
    def over(cls, values: Sequence[float], cells: int) -> _Scale:
        sound = [value for value in values if value > 0] or [1.0, 10.0]
        lowest, highest = math.floor(math.log10(min(sound))), math.ceil(math.log10(max(sound)))
        return cls(lowest, max(highest, lowest + 1), max(4, cells))

    def cell(self, value: float) -> int:
        """The cell of a value, 0 to cells - 1."""
        share = (math.log10(max(value, 1e-9)) - self.lowest) / (self.highest - self.lowest)
        return min(self.cells - 1, max(0, round(share * (self.cells - 1))))


class SpeedChart(ScrollView, can_focus=True):
    """Drives with their speeds. Up and down move the cursor."""

    BINDINGS = [
        Binding("up", "cursor(-1)", "drive ↑", show=False),
        Binding("down", "cursor(1)", "drive ↓", show=False),
    ]
    cursor: reactive[int] = reactive(0)

    class Moved(Message):
        """The cursor came to another drive."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._drives: tuple[Drive, ...] = ()

    def show(self, drives: Sequence[Drive]) -> None:
        """Draw these drives; the cursor stays on its drive if it is still there."""
        before = self.drive
        self._drives = tuple(drives)
        ids = [drive.id for drive in self._drives]
        if before is not None and before.id in ids:
            self.set_reactive(SpeedChart.cursor, ids.index(before.id))
        lines = len(self._drives) * _ROW_LINES + 2
        self.virtual_size = Size(self.size.width, lines)
        self.styles.height = min(lines, _MOST_LINES)
        self.refresh()

    @property
    def drive(self) -> Drive | None:
        """The drive at the cursor."""
        return self._drives[self.cursor] if self.cursor < len(self._drives) else None

    # -- keys and mouse ------------------------------------------------------------------------------------

    def action_cursor(self, by: int) -> None:
        if self._drives:
            self.cursor = min(max(0, self.cursor + by), len(self._drives) - 1)

    def watch_cursor(self) -> None:
        self.scroll_to(y=max(0, (self.cursor + 1) * _ROW_LINES - self.size.height + 2), animate=False)
        self.post_message(self.Moved())
        self.refresh()

    def on_click(self, event: events.Click) -> None:
        row = int(event.y + self.scroll_offset.y) // _ROW_LINES
        if row < len(self._drives):
            self.cursor = row

    # -- drawing -------------------------------------------------------------------------------------------

    @property
    def _cells(self) -> int:
        """How wide it may draw, beside the scroll bar if there is one."""
        return self.size.width - (self.scrollbar_size_vertical if self.show_vertical_scrollbar else 0)

    @property
    def _scales(self) -> tuple[_Scale, _Scale]:
        spare = max(18, self._cells - _LABEL - 2 * _WORD - _SPEED - _COUNT - _TIER - 2)
        speeds = [speed for drive in self._drives for speed in (drive.read_bytes_per_s, drive.write_bytes_per_s)]
        speeds += [drive.link_standard.payload_bytes_per_s for drive in self._drives if drive.link_standard is not None]
        small = [drive.small_reads_per_s for drive in self._drives]
        return _Scale.over(speeds, spare * 2 // 3), _Scale.over(small, spare - spare * 2 // 3)

    def render_line(self, y: int) -> Strip:
        palette = palette_of(self.app.theme)
        ground = Style(bgcolor=palette.surface)
        line = y + self.scroll_offset.y
        row, part = divmod(line, _ROW_LINES)
        if row < len(self._drives) and part < 2:
            segments = self._line(self._drives[row], row == self.cursor, part, palette)
        elif line == len(self._drives) * _ROW_LINES:
            segments = self._axis(palette)
        elif line == len(self._drives) * _ROW_LINES + 1:
            segments = self._legend(palette)
        else:
            segments = []
        return Strip(segments).apply_style(ground).adjust_cell_length(self.size.width, ground)

    def _line(self, drive: Drive, here: bool, part: int, palette: Palette) -> list[Segment]:
        speeds, small = self._scales
        quiet = Style(color=palette.quiet)
        label_style = Style(color=palette.accent if here and self.has_focus else palette.text, bold=here)
        pointer = ("▶ " if self.has_focus else "▷ ") if here and part == 0 else "  "
        link = drive.link_standard
        ceiling = link.payload_bytes_per_s if link is not None else None
        if part == 0:
            segments = [Segment(f"{pointer}{padded(shorten(drive.label, _LABEL - 3), _LABEL - 2)}", label_style)]
            segments.append(Segment(f"{'reads':<{_WORD}}", quiet))
            segments += _bar(drive.read_bytes_per_s, speeds, drive.speed_source, ceiling, palette)
            segments.append(Segment(f"{format_speed(drive.read_bytes_per_s):>{_SPEED}}", Style(color=palette.text)))
            segments.append(Segment(f"  {'small':<{_WORD}}", quiet))
            segments += _bar(drive.small_reads_per_s, small, drive.speed_source, None, palette)
            segments.append(Segment(f"{drive.small_reads_per_s:>{_COUNT - 2},.0f}/s", Style(color=palette.text)))
            segments.append(
                Segment(f"  {drive.tier:<7}{format_duration(drive.felt_load_s):>6}", Style(color=palette.text))
            )
            return segments
        segments = [Segment(f"  {padded(shorten(_short_link(drive), _LABEL - 3), _LABEL - 2)}", quiet)]
        segments.append(Segment(f"{'writes':<{_WORD}}", quiet))
        segments += _bar(drive.write_bytes_per_s, speeds, drive.write_source, ceiling, palette)
        segments.append(Segment(f"{format_speed(drive.write_bytes_per_s):>{_SPEED}}", Style(color=palette.text)))
        room = self._cells - sum(segment.cell_length for segment in segments) - 2
        words, amber = _how_known(drive, room)
        segments.append(Segment(f"  {words}", Style(color=palette.look if amber else palette.quiet)))
        return segments

    def _axis(self, palette: Palette) -> list[Segment]:
        speeds, small = self._scales
        text = [" "] * self.size.width
        begins = _LABEL + _WORD
        _write_ticks(text, begins, speeds, lambda value: format_speed(value).replace(".00", "").replace(".0", ""))
        _write_ticks(text, begins + speeds.cells + _SPEED + _WORD + 2, small, lambda value: f"{value:,.0f}/s")
        return [Segment("".join(text), Style(color=palette.quiet))]

    def _legend(self, palette: Palette) -> list[Segment]:
        marks = " · ".join(f"{bar * 2}{end} {how}" for how, (bar, end) in _BARS.items())
        words = f"{'':{_LABEL + _WORD}}{marks} · {_CEILING} the most its link allows, {_REACHED} reached"
        return [Segment(words, Style(color=palette.quiet))]


def _bar(value: float, scale: _Scale, source: str, ceiling: float | None, palette: Palette) -> list[Segment]:
    """The line up to the value, its end mark, and the ceiling; amber where the ceiling holds the drive back."""
    line, end = _BARS.get(source, _BARS["typical"])
    at = scale.cell(value)
    cells = [line] * at + [end] + [" "] * (scale.cells - at - 1)
    plain = Style(color=palette.quiet if source == "typical" else palette.text)
    held_back = ceiling is not None and value >= AT_CEILING_SHARE * ceiling
    marked = at
    if ceiling is not None and scale.cell(ceiling) != at:
        marked = scale.cell(ceiling)
        cells[marked] = _REACHED if held_back else _CEILING
    elif held_back:
        cells[marked] = _REACHED
    mark = Style(color=palette.look, bold=True) if held_back else plain if marked == at else Style(color=palette.quiet)
    return [
        Segment("".join(cells[:marked]), plain),
        Segment(cells[marked], mark),
        Segment("".join(cells[marked + 1 :]), plain),
    ]


def _short_link(drive: Drive) -> str:
    link = drive.link_standard
    return drive.medium if link is None else link.name.split(" (")[0].replace("PCI Express", "PCIe")


def _how_known(drive: Drive, room: int) -> tuple[str, bool]:
    """How the figures are known, as far as there is room, and whether that wants a look."""
    if not drive.attached:
        return shown(drive.why_away).split(":")[0], False
    if drive.speed_source != "measured":
        return (
            ("declared, not measured", False) if drive.speed_source == "declared" else ("typical, not measured", True)
        )
    words = f"measured {(drive.gauged_at or '')[:10]} ±{100 * (drive.speed_spread or 0) / 2:.0f} %"
    if drive.write_source != "measured":
        return f"reading {words}; writing is {drive.write_source}", True
    if drive.through_cache:
        return f"{words}, through the cache", True
    if drive.sustained_write_bytes_per_s and drive.burst_bytes:
        slows = f"; {format_speed(drive.sustained_write_bytes_per_s)} after {format_bytes(drive.burst_bytes)}"
        words += slows if len(words) + len(slows) <= room else ""
    return words, False


def _write_ticks(text: list[str], begins: int, scale: _Scale, words: object) -> None:
    """Put the decades under their cells; one that would run into the next or out of the chart is left out."""
    free_from = begins
    for power in range(scale.lowest, scale.highest + 1):
        value = 10.0**power
        line = f"╵{words(value)}"  # type: ignore[operator]
        at = begins + scale.cell(value)
        if at < free_from or at + len(line) > len(text):
            continue
        text[at : at + len(line)] = line
        free_from = at + len(line) + 1
