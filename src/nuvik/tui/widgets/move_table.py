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
_WIDE = 130
_NARROW = {"number": 4, "library": 17, "state": 34}
"""How wide these are in a narrow window."""
_STATE_CELLS = max(len(state.in_words) for state in State)


class MoveTable(PointedTable):
    """A row for each move. `numbered_by` is “step”, its place in the run, or “move”, its number in the journal; with
    the latter a row also says when it began.
    """

    def __init__(self, numbered_by: str, *, id: str | None = None) -> None:
        super().__init__(id=id, cursor_type="row")
        self._numbered_by = numbered_by
        self._rows: tuple[MoveRow, ...] = ()
        self._narrow: bool | None = None

    def on_mount(self) -> None:
        self._set_columns()

    def on_resize(self) -> None:
        """In a narrow window some columns give way, always the same ones."""
        if self._set_columns():
            self.show(self._rows)

    def _set_columns(self) -> bool:
        """Give the table the columns that there is room for; whether these are others than before."""
        narrow = 0 < self.size.width < _WIDE
        if narrow is self._narrow:
            return False
        self._narrow = narrow
        self.clear(columns=True)
        for name, label, width in self._columns:
            self.add_column(heading(label), width=_NARROW.get(name, width) if narrow else width)
        return True

    @property
    def _columns(self) -> list[tuple[str, str, int]]:
        every = [
            ("number", f">{self._numbered_by}", 5),
            ("started", "started", 19),
            ("library", "library", _LIBRARY_CELLS),
            ("size", ">size", 9),
            ("way", "from → to", 20),
            ("state", "state", _STATE_CELLS),
            ("expected", ">expected", 11),
            ("took", ">took", 11),
        ]
        left_out = {"started", "way"} if self._narrow else set() if self._dated else {"started"}
        return [column for column in every if column[0] not in left_out]

    def show(self, rows: Sequence[MoveRow]) -> None:
        """Show these; the cursor stays where it is, as far as there are rows."""
        at = self.cursor_row
        self._rows = tuple(rows)
        self.clear()
        for row in rows:
            self.add_row(*self._cells(row))
        self.move_cursor(row=min(at, max(0, len(rows) - 1)), animate=False)

    def point_at(self, number: int) -> None:
        """Put the cursor on the move of this number in the journal, if it is listed."""
        for at, row in enumerate(self._rows):
            if row.move.id == number:
                self.move_cursor(row=at, animate=False)

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
        cells = {
            "number": Text(str(number), justify="right"),
            "started": Text(row.begun),
            "library": Text(shorten(row.library, _NARROW["library"] if self._narrow else _LIBRARY_CELLS)),
            "size": Text(row.size, justify="right"),
            "way": Text(row.way),
            "state": Text(shorten(row.state, _NARROW["state"] if self._narrow else _STATE_CELLS), style=style),
            "expected": Text(row.expected, justify="right"),
            "took": Text(row.took, justify="right"),
        }
        return [cells[name] for name, *_ in self._columns]
