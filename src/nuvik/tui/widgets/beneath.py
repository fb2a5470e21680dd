"""What else there is to know, below a list that is shorter than the room there is."""

from __future__ import annotations

from collections.abc import Iterable

from rich.console import Group
from rich.table import Table
from rich.text import Text
from textual.widget import Widget
from textual.widgets import Static

from nuvik.tui.theme import palette_of

_LEAST = 6
"""With fewer lines than this left, the list has them all."""
_NAME_CELLS = 16


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
        palette, grid = palette_of(self.app.theme), Table.grid(padding=(0, 2))
        grid.add_column(no_wrap=True, min_width=_NAME_CELLS)
        grid.add_column()
        for name, words in what[1]:
            grid.add_row(Text(name, style=palette.quiet), Text(words, style=palette.text))
        self.update(Group(Text(title, style=f"bold {palette.accent}"), grid))

    def share_room(self, above: Widget, lines: int) -> None:
        """Take what the list above, of so many lines, leaves of the room that both have, unless that is little."""
        room = above.outer_size.height + (self.outer_size.height if self.display else 0)
        has_room = bool(self._shown[1]) and room - lines >= _LEAST
        if has_room != self.display:
            self.display = has_room
        above.styles.height = lines if has_room else "1fr"
