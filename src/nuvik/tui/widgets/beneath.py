"""What else there is to know, below a list that is shorter than the room there is."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import accumulate

from rich.cells import cell_len
from rich.console import Group
from rich.table import Table
from rich.text import Text
from textual.widget import Widget
from textual.widgets import Static

from nuvik.tui.theme import palette_of

_LEAST = 6
"""With fewer lines than this left, the list has them all."""
_NAME_CELLS, _GAP_CELLS = 16, 2


class Beneath(Static):
    """Lines of a name and what is said of it, under a title. It takes nothing from the list above it."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id, markup=False)
        self.display = False
        self._theme = ""
        self._shown: tuple[str, tuple[tuple[str, str], ...]] = ("", ())

    def show(self, title: str, rows: Iterable[tuple[str, str]]) -> None:
        """Say this. With nothing to say it stays empty."""
        what, theme = (title, tuple(rows)), self.app.theme
        if (what, theme) == (self._shown, self._theme):
            return
        self._shown, self._theme = what, theme
        self._draw()

    def on_resize(self) -> None:
        self._draw()

    def _draw(self) -> None:
        (title, rows), palette = self._shown, palette_of(self.app.theme)
        grid = Table.grid(padding=(0, _GAP_CELLS))
        grid.add_column(no_wrap=True, min_width=_NAME_CELLS)
        grid.add_column()
        count = self._how_many_fit()
        for name, words in rows[:count]:
            grid.add_row(Text(name, style=palette.quiet), Text(words, style=palette.text))
        if count < len(rows):
            grid.add_row(Text(f"… {len(rows) - count} more", style=palette.quiet), "")
        self.update(Group(Text(title, style=f"bold {palette.accent}"), grid), layout=False)

    def _how_many_fit(self) -> int:
        """How many rows there is room for, with a line that says how many there is none for."""
        rows, (width, height) = self._shown[1], self.content_size
        names = max((cell_len(name) for name, _ in rows), default=0)
        room = max(1, width - max(names, _NAME_CELLS) - _GAP_CELLS)
        heights = [len(Text(words).wrap(self.app.console, room)) for _, words in rows] if height else []
        if sum(heights) < height or not height:  # the title takes a line
            return len(rows)
        return sum(used < height - 1 for used in accumulate(heights))

    def share_room(self, above: Widget, lines: int) -> None:
        """Take what the list above, of so many lines, leaves of the room that both have, unless that is little."""
        room = above.outer_size.height + (self.outer_size.height if self.display else 0)
        has_room = bool(self._shown[1]) and room - lines >= _LEAST
        if has_room != self.display:
            self.display = has_room
        above.styles.height = lines if has_room else "1fr"
