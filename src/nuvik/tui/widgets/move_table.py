"""The table of moves that Carry and Logbook share."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

from nuvik.core.model.journal import Move, State
from nuvik.core.model.names import shorten
from nuvik.core.views.move_rows import MoveRow, MoveStanding
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.library_table import heading
from nuvik.tui.widgets.pointed_table import PointedTable

_LIBRARY_CELLS = 27
_STATE_CELLS = max(len(state.in_words) for state in State)


class MoveTable(PointedTable):
    """A row for each move. `numbered_by` is “step”, its place in the run, or “move”, its number in the journal; with
    the latter a row also says when it began.
    """

    def __init__(self, numbered_by: str, *, id: str | None = None) -> None:
        super().__init__(id=id, cursor_type="row")
        self._numbered_by = numbered_by
        self._rows: tuple[MoveRow, ...] = ()

    def on_mount(self) -> None:
        columns = [(f">{self._numbered_by}", 5)]
        if self._dated:
            columns.append(("started", 19))
        columns += [("library", _LIBRARY_CELLS), (">size", 9), ("from → to", 20), ("state", _STATE_CELLS)]
        columns += [(">expected", 11), (">took", 11)]
        for label, width in columns:
            self.add_column(heading(label), width=width)

    def show(self, rows: Sequence[MoveRow]) -> None:
        """Show these; the cursor stays where it is, as far as there are rows."""
        at = self.cursor_row
        self._rows = tuple(rows)
        self.clear()
        for row in rows:
            self.add_row(*self._cells(row))
        self.move_cursor(row=min(at, max(0, len(rows) - 1)), animate=False)

    @property
    def move(self) -> Move | None:
        """The move at the cursor."""
        return self._rows[self.cursor_row].move if 0 <= self.cursor_row < len(self._rows) else None

    @property
    def _dated(self) -> bool:
        return self._numbered_by == "move"

    def _cells(self, row: MoveRow) -> list[Text]:
        palette = palette_of(self.app.theme)
        style = {
            MoveStanding.WAITING: palette.quiet,
            MoveStanding.UNFINISHED: palette.look,
            MoveStanding.ON_TRIAL: palette.look,
            MoveStanding.MOVED: palette.good,
            MoveStanding.AT_REST: "",
        }[row.standing]
        number = row.move.id if self._dated else row.move.n
        return [
            Text(str(number), justify="right"),
            *([Text(row.begun)] if self._dated else []),
            Text(shorten(row.library, _LIBRARY_CELLS)),
            Text(row.size, justify="right"),
            Text(row.way),
            Text(row.state, style=style),
            Text(row.expected, justify="right"),
            Text(row.took, justify="right"),
        ]
