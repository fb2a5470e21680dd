"""A table whose cursor is seen without colours, too: a pointer stands before its row."""

from __future__ import annotations

from rich.segment import Segment
from rich.text import Text
from textual.strip import Strip
from textual.widgets import DataTable

POINTER, RESTING = "▸", "▹"
"""Before the row at the cursor: while the table has the focus, and while something else has it."""


class PointedTable(DataTable[Text]):
    """A data table by rows."""

    def render_line(self, y: int) -> Strip:
        line = super().render_line(y)
        row = y - self.header_height + int(self.scroll_offset.y)
        if y < self.header_height or row != self.cursor_row or not self.row_count or not line.cell_length:
            return line
        style = next((segment.style for segment in line if segment.style), None)
        pointer = Segment(POINTER if self.has_focus else RESTING, style)
        return Strip([pointer, *line.crop(1)], line.cell_length)
