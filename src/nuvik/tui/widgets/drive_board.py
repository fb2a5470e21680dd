"""The drive board: all drives as strips to a common scale, with a cursor on one of them."""

from __future__ import annotations

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
from nuvik.core.model.names import padded, shorten, shown
from nuvik.core.model.units import format_bytes, format_free
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.strip import ARRIVING, BREAK, HATCH, LEAVING, OTHER, StripData, strip_segments

_LABEL_CELLS = 13
_FACTS_CELLS = 41


@dataclass(frozen=True, slots=True)
class BoardRow:
    """A drive on the board: one strip, or two (now above, then below)."""

    strips: tuple[StripData, ...]
    captions: tuple[str, ...] = ("",)
    """A word before each strip: now, then."""

    @property
    def drive(self) -> Drive:
        return self.strips[0].drive


class DriveBoard(ScrollView, can_focus=True):
    """Drives as strips. Up and down move the cursor; `z` changes the scale."""

    BINDINGS = [
        Binding("up", "cursor(-1)", "drive ↑", show=False),
        Binding("down", "cursor(1)", "drive ↓", show=False),
        Binding("z", "scale", "scale", show=False),
    ]
    cursor: reactive[int] = reactive(0)
    whole: reactive[bool] = reactive(False)

    class Moved(Message):
        """The cursor came to another drive."""

        def __init__(self, board: DriveBoard, drive: Drive) -> None:
            super().__init__()
            self.board, self.drive = board, drive

        @property
        def control(self) -> DriveBoard:
            return self.board

    class Chosen(Message):
        """A drive was clicked twice or Enter was pressed where the screen has no other use for it."""

        def __init__(self, drive: Drive) -> None:
            super().__init__()
            self.drive = drive

    def __init__(self, *, id: str | None = None, gap: int = 1) -> None:
        super().__init__(id=id)
        self._rows: tuple[BoardRow, ...] = ()
        self._gap = gap

    # -- what it shows -------------------------------------------------------------------------------------

    def show(self, rows: Sequence[BoardRow]) -> None:
        """Draw these drives; the cursor stays on its drive if it is still there."""
        before, shown_already = self.drive, self._rows == tuple(rows)
        # Kept in any case: to compare values with themselves takes no time, and with their equals it does.
        self._rows = tuple(rows)
        if shown_already:
            return
        ids = [row.drive.id for row in self._rows]
        if before is not None and before.id in ids:
            self.set_reactive(DriveBoard.cursor, ids.index(before.id))
        self.virtual_size = Size(self.size.width, sum(self._height(row) for row in self._rows) + 1)
        self.refresh()

    def point_at(self, drive_id: str) -> None:
        """Put the cursor on a drive."""
        for number, row in enumerate(self._rows):
            if row.drive.id == drive_id:
                self.cursor = number

    @property
    def drive(self) -> Drive | None:
        """The drive at the cursor."""
        return self._rows[self.cursor].drive if self.cursor < len(self._rows) else None

    def _height(self, row: BoardRow) -> int:
        return len(row.strips) + self._gap

    # -- keys and mouse ------------------------------------------------------------------------------------

    def action_cursor(self, by: int) -> None:
        if self._rows:
            self.cursor = min(max(0, self.cursor + by), len(self._rows) - 1)

    def action_scale(self) -> None:
        self.whole = not self.whole

    def watch_cursor(self) -> None:
        if self.drive is not None:
            top = sum(self._height(row) for row in self._rows[: self.cursor])
            self.scroll_to(y=max(0, top - self.size.height + self._height(self._rows[self.cursor])), animate=False)
            self.post_message(self.Moved(self, self.drive))
        self.refresh()

    def watch_whole(self) -> None:
        self.refresh()

    def on_focus(self) -> None:
        self.refresh()

    def on_blur(self) -> None:
        self.refresh()

    def on_click(self, event: events.Click) -> None:
        line = int(event.y + self.scroll_offset.y)
        for number, row in enumerate(self._rows):
            line -= self._height(row)
            if line < 0:
                self.cursor = number
                break
        if event.chain == 2 and self.drive is not None:
            self.post_message(self.Chosen(self.drive))

    # -- drawing -------------------------------------------------------------------------------------------

    def render_line(self, y: int) -> Strip:
        line = y + self.scroll_offset.y
        for number, row in enumerate(self._rows):
            if line < self._height(row):
                return self._draw(number, row, line)
            line -= self._height(row)
        ground = Style(bgcolor=palette_of(self.app.theme).surface)
        if line == 0 and self._rows:
            return self._scale_line().adjust_cell_length(self.size.width, ground)
        return Strip.blank(self.size.width, ground)

    def _scale_line(self) -> Strip:
        palette = palette_of(self.app.theme)
        cell = format_bytes(round(self._bytes_a_cell(self._bar_cells)))
        words = f"{'':{_LABEL_CELLS}}one cell = {cell} · {OTHER} other data · {HATCH} headroom · letters are kinds (?)"
        if any(strip.arriving or strip.leaving for row in self._rows for strip in row.strips):
            words += f" · {ARRIVING} comes · {LEAVING} goes"
        words += "" if self.whole else f" · {BREAK} drawn shorter · z draws all to scale"
        return Strip([Segment(words, Style(color=palette.quiet, bgcolor=palette.surface))])

    @property
    def _bar_cells(self) -> int:
        return max(10, self.size.width - _LABEL_CELLS - _FACTS_CELLS)

    def _draw(self, number: int, row: BoardRow, line: int) -> Strip:
        palette = palette_of(self.app.theme)
        ground = Style(bgcolor=palette.surface)
        if line >= len(row.strips):
            return Strip.blank(self.size.width, ground)
        data, drive, here = row.strips[line], row.drive, number == self.cursor
        cells = self._bar_cells
        pointer = ("▶ " if self.has_focus else "▷ ") if here and line == 0 else "  "
        label_style = Style(color=palette.text, bold=here)
        if here and self.has_focus:
            label_style = Style(color=palette.accent, bold=True)
        label = shorten(drive.label, 10) if line == 0 and not row.captions[0] else ""
        if row.captions[0]:
            label = shorten(drive.label, 10) if line == 0 else row.captions[line]
        segments = [Segment(f"{pointer}{padded(label, _LABEL_CELLS - 2)}", label_style)]
        if drive.attached:
            segments += strip_segments(data, cells, self._bytes_a_cell(cells), palette)
        else:
            segments.append(Segment(f"{shown(drive.why_away):<{cells}}"[:cells], Style(color=palette.quiet)))
        segments += self._facts(data, line, len(row.strips))
        return Strip(segments).apply_style(ground).adjust_cell_length(self.size.width, ground)

    def _facts(self, data: StripData, line: int, lines: int) -> list[Segment]:
        palette, drive = palette_of(self.app.theme), data.drive
        if not drive.attached:
            return []
        free = drive.usable_bytes - data.used_bytes
        color = palette.broken if free < 0 else palette.look if free < drive.headroom_bytes else palette.text
        facts = [
            Segment(f" {format_free(free):>13}", Style(color=color, bold=free < drive.headroom_bytes)),
            Segment(f" of {format_bytes(drive.usable_bytes):>7}", Style(color=palette.quiet)),
        ]
        if line == 0:
            guess = "?" if drive.speed_source == "typical" else ""  # typical of its class, not measured
            facts.append(Segment(f" {drive.medium:<5} {drive.tier + guess:<7}", Style(color=palette.quiet)))
        elif lines > 1 and free < drive.headroom_bytes:
            facts.append(Segment(f"  {format_bytes(drive.headroom_bytes - free)} short", Style(color=color)))
        return facts

    def _bytes_a_cell(self, cells: int) -> float:
        """The common scale: a drive of middling size fills the width; with `whole`, the largest does."""
        sizes = sorted(row.drive.usable_bytes for row in self._rows if row.drive.attached) or [1]
        return (sizes[-1] if self.whole else sizes[len(sizes) // 2]) / cells
