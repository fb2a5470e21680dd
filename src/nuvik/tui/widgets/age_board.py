"""The board of size against last use: large above, long unused to the right, so what may go is in one corner."""

from __future__ import annotations

from collections.abc import Sequence

from rich.segment import Segment
from rich.style import Style
from textual import events
from textual.binding import Binding
from textual.message import Message
from textual.strip import Strip
from textual.widget import Widget

from nuvik.core.model.clock import ago
from nuvik.core.model.cold import COLD_AFTER_DAYS
from nuvik.core.model.library import Library
from nuvik.core.model.names import column
from nuvik.core.model.units import format_bytes
from nuvik.core.views.age_board import AGE_TICKS, AgeBoard, Spot, across_of, age_board
from nuvik.drawing.palette import Palette
from nuvik.tui.theme import palette_of

_SIDE_CELLS, _FOOT_LINES = 11, 2
_LIST_CELLS, _NARROW_LIST_CELLS, _NARROW = 44, 34, 130
_CORNERS = (" big and cold ", " cold ")
"""What the corner of big and cold libraries is called, where there is room for it."""


class AgeBoardView(Widget, can_focus=True):
    """Libraries as letters of their kind. The arrows go to the nearest one; the list beside it tells what stands there.

    Where several share a place, the largest is drawn and the place is underlined.
    """

    BINDINGS = [
        Binding("up", "go(0, 1)", "larger", show=False),
        Binding("down", "go(0, -1)", "smaller", show=False),
        Binding("left", "go(-1, 0)", "newer", show=False),
        Binding("right", "go(1, 0)", "older", show=False),
        Binding("plus,pagedown", "next_here", "next of those in the same spot", show=False),
    ]

    class Moved(Message):
        """The cursor came to another library."""

    class Chosen(Message):
        """A library was clicked twice."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._board: AgeBoard = age_board([])
        self._listed: tuple[Library, ...] = ()
        self._marked: frozenset[str] = frozenset()
        self._at: str | None = None
        self._grid: dict[tuple[int, int], list[Spot]] = {}
        self._places: dict[str, tuple[int, int]] = {}
        self._laid_in: tuple[int, int] = (0, 0)

    # -- what it shows -------------------------------------------------------------------------------------

    @property
    def board(self) -> AgeBoard:
        return self._board

    @property
    def library(self) -> Library | None:
        """The library at the cursor."""
        return next((spot.library for spot in self._board.spots if spot.library.id == self._at), None)

    @property
    def listed(self) -> tuple[Library, ...]:
        return self._listed

    def show(self, libraries: Sequence[Library], marked: frozenset[str] = frozenset()) -> None:
        """Draw these libraries; the cursor stays on its library if it is still there."""
        self._marked = marked
        only_marks, self._listed = tuple(libraries) == self._listed, tuple(libraries)
        if only_marks:
            self.refresh()
            return
        self._board = age_board(libraries)
        if self.library is None:
            cold = max(self._board.spots, key=lambda spot: spot.across + spot.up, default=None)
            self._at = cold.library.id if cold is not None else None
        self._lay()
        self.refresh()

    def point_at(self, library_id: str) -> None:
        """Put the cursor on a library, if it is listed."""
        if library_id in self._places:
            self._at = library_id
            self.refresh()

    @property
    def _room(self) -> tuple[int, int]:
        """Cells across and up."""
        return max(10, self.size.width - _SIDE_CELLS - self._list_cells), max(4, self.size.height - _FOOT_LINES)

    @property
    def _list_cells(self) -> int:
        return _LIST_CELLS if self.size.width >= _NARROW else _NARROW_LIST_CELLS

    def _lay(self) -> None:
        columns, rows = self._laid_in = self._room
        self._grid, self._places = {}, {}
        for spot in self._board.spots:
            place = (round(spot.across * (columns - 1)), round(spot.up * (rows - 1)))
            self._grid.setdefault(place, []).append(spot)
            self._places[spot.library.id] = place
        for spots in self._grid.values():
            spots.sort(key=lambda spot: (-spot.library.on_disk_bytes, spot.library.path))

    # -- keys and mouse ------------------------------------------------------------------------------------

    def action_go(self, across: int, up: int) -> None:
        """To the nearest place in a direction; what lies aside counts as farther."""
        here = self._places.get(self._at or "")
        if here is None:
            return

        def far(place: tuple[int, int]) -> float:
            # A cell is about twice as high as it is wide.
            ahead = (place[0] - here[0]) * across + 2 * (place[1] - here[1]) * up
            aside = abs(place[0] - here[0]) * abs(up) + 2 * abs(place[1] - here[1]) * abs(across)
            return ahead + 2 * aside if ahead > 0 else float("inf")

        best = min(self._grid, key=far, default=here)
        if far(best) < float("inf"):
            self._go_to(self._grid[best][0].library)

    def action_next_here(self) -> None:
        spots = self._grid.get(self._places.get(self._at or "", (-1, -1)), [])
        ids = [spot.library.id for spot in spots]
        if len(ids) > 1:
            self._go_to(spots[(ids.index(self._at or ids[0]) + 1) % len(ids)].library)

    def _go_to(self, library: Library) -> None:
        self._at = library.id
        self.refresh()
        self.post_message(self.Moved())

    def on_click(self, event: events.Click) -> None:
        columns, rows = self._room
        column, row = event.x - _SIDE_CELLS, rows - 1 - event.y
        spots = self._grid.get((column, row))
        if spots and 0 <= column < columns:
            self._go_to(spots[0].library)
            if event.chain == 2:
                self.post_message(self.Chosen())

    def on_focus(self) -> None:
        self.refresh()

    def on_blur(self) -> None:
        self.refresh()

    # -- drawing -------------------------------------------------------------------------------------------

    def render_line(self, y: int) -> Strip:
        palette, (_, rows) = palette_of(self.app.theme), self._room
        if self._laid_in != self._room:
            self._lay()
        ground = Style(color=palette.text, bgcolor=palette.surface)
        if y < rows:
            segments = [*self._side(rows - 1 - y, palette), *self._row(rows - 1 - y, palette)]
        else:
            segments = [Segment(self._foot(y - rows), Style(color=palette.quiet))]
        segments.append(Segment("  "))
        segments += self._beside(y, palette)
        strip = Strip(segments).apply_style(ground).adjust_cell_length(self.size.width, ground)
        return strip.simplify()  # or each cell would have colour codes of its own

    def _side(self, row: int, palette: Palette) -> list[Segment]:
        _, rows = self._room
        if row == rows - 1:
            return [Segment(f"{'size':>{_SIDE_CELLS - 2}} ╷", Style(color=palette.quiet))]
        for up, size in self._board.size_ticks:
            if round(up * (rows - 1)) == row:
                return [Segment(f"{format_bytes(size):>{_SIDE_CELLS - 2}} ┤", Style(color=palette.quiet))]
        return [Segment(f"{'':>{_SIDE_CELLS - 1}}│", Style(color=palette.quiet))]

    def _row(self, row: int, palette: Palette) -> list[Segment]:
        columns, rows = self._room
        cold_from = round(across_of(COLD_AFTER_DAYS) * (columns - 1))
        big_from = round(self._board.up_of(self._board.big_bytes) * (rows - 1))
        segments: list[Segment] = []
        at, in_corner = 0, row >= big_from
        # From spot to spot the empty cells are one piece: a piece for each would take most of the time of drawing.
        for spot_at in [*(cell for cell in range(columns) if (cell, row) in self._grid), columns]:
            if at < (end := min(spot_at, cold_from) if in_corner else spot_at):
                segments.append(Segment(" " * (end - at)))
                at = end
            if at < spot_at:
                segments += self._corner(at - cold_from, spot_at - cold_from, columns - cold_from, row == rows - 1)
            if spot_at < columns:
                segments.append(self._spot(self._grid[spot_at, row], palette))
            at = spot_at + 1
        return segments

    def _corner(self, begin: int, end: int, cells: int, titled: bool) -> list[Segment]:
        """The cells from `begin` to `end` of a line in the corner of the big and cold, which has its name on top."""
        palette = palette_of(self.app.theme)
        plain = Style(bgcolor=palette.free)
        name = next((name for name in _CORNERS if len(name) <= cells), "") if titled else ""
        written = name[begin:end]
        return [
            Segment(written, Style(color=palette.look, bgcolor=palette.free)),
            Segment(" " * (end - begin - len(written)), plain),
        ]

    def _spot(self, spots: list[Spot], palette: Palette) -> Segment:
        library, ids = spots[0].library, {spot.library.id for spot in spots}
        here, marked = self._at in ids, bool(ids & self._marked)
        style = Style(color=palette.letter, bgcolor=palette.kinds[library.kind], bold=marked, underline=len(spots) > 1)
        if here and self.has_focus:
            style = Style(color=palette.ground, bgcolor=palette.accent, bold=True, underline=len(spots) > 1)
        elif here:
            style += Style(reverse=True)
        return Segment("●" if marked and not here else library.kind.letter, style)

    def _foot(self, line: int) -> str:
        columns, _ = self._room
        if line == 0:
            axis = ["─"] * columns
            for days, _ in AGE_TICKS:
                axis[round(across_of(days) * (columns - 1))] = "┴"
            return f"{'':>{_SIDE_CELLS - 1}}└{''.join(axis)}"
        words = [" "] * columns
        for days, name in AGE_TICKS:
            start = round(across_of(days) * (columns - 1))
            start = max(0, min(columns - len(name), start - (len(name) // 2 if days else 0)))
            if not "".join(words[max(0, start - 1) : start + len(name)]).strip():  # where there is room for it
                words[start : start + len(name)] = name
        return f"{'last used':<{_SIDE_CELLS}}{''.join(words)}"

    def _beside(self, line: int, palette: Palette) -> list[Segment]:
        """What stands at the cursor's place."""
        spots = self._grid.get(self._places.get(self._at or "", (-1, -1)), [])
        if line == 0:
            more = f"{len(spots)} are here (+ shows the next):" if len(spots) > 1 else "at the cursor:"
            return [Segment(more, Style(color=palette.quiet))] if spots else []
        first = max(0, next((n for n, spot in enumerate(spots) if spot.library.id == self._at), 0) - 8)
        if not 0 <= (number := line - 1 + first) < len(spots):
            return []
        library = spots[number].library
        mark = "●" if library.id in self._marked else " "
        style = Style(color=palette.accent, bold=True) if library.id == self._at else Style()
        size = f"{format_bytes(library.on_disk_bytes):>8}"
        if self.size.width >= _NARROW:
            size += f" {ago(library.last_used):>9}"
        name_cells = self._list_cells - 8 - len(size)
        return [
            Segment(f"{mark} ", Style(color=palette.accent)),
            Segment(f" {library.kind.letter} ", Style(color=palette.letter, bgcolor=palette.kinds[library.kind])),
            Segment(f" {column(library.name, name_cells)}{size}", style),
        ]
