"""The table of libraries: the same columns wherever libraries are listed.

Only the lines in view are drawn, so that thousands of libraries are as quick as ten.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from rich.segment import Segment
from rich.style import Style
from rich.text import Text
from textual import events
from textual.binding import Binding
from textual.geometry import Size
from textual.message import Message
from textual.reactive import reactive
from textual.scroll_view import ScrollView
from textual.strip import Strip

from nuvik.core.model.clock import ago
from nuvik.core.model.cold import is_cold
from nuvik.core.model.library import Library
from nuvik.core.model.names import column, fitted, shown
from nuvik.core.model.units import format_bytes
from nuvik.core.views.verdict_words import verdict_words
from nuvik.drawing.palette import Palette
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.pointed_table import POINTER, RESTING

_MARK = "●"
_KIND_CELLS, _SIZE_CELLS, _USED_CELLS, _OPENS_CELLS, _DRIVE_CELLS = 14, 9, 10, 9, 9
_TETHER_CELLS = 4
_LETTER_CELLS = 4
_WIDE = 110
_MOST_NAME_CELLS, _MOST_SHARE_CELLS = 40, 16


def heading(label: str) -> Text:
    """A column's heading; one that begins with `>` stands on the right, above figures."""
    return Text(label.removeprefix(">"), justify="right" if label.startswith(">") else "left")


class LibraryTable(ScrollView, can_focus=True):
    """Libraries with their size drawn as a share of the largest, with a cursor and marks."""

    BINDINGS = [
        Binding("up", "move(-1)", "library ↑", show=False),
        Binding("down", "move(1)", "library ↓", show=False),
        Binding("pageup", "page(-1)", "page ↑", show=False),
        Binding("pagedown", "page(1)", "page ↓", show=False),
        Binding("home", "end(-1)", "first", show=False),
        Binding("end", "end(1)", "last", show=False),
    ]
    cursor_row: reactive[int] = reactive(0)

    class Moved(Message):
        """The cursor came to another library."""

    class Chosen(Message):
        """A library was clicked twice."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._shown: tuple[Library, ...] = ()
        self._labels: dict[str, str] = {}
        self._note: Callable[[Library], str] | None = None
        self._marked: frozenset[str] = frozenset()
        self._wrong: frozenset[str] = frozenset()
        self._tethers: Callable[[Library], str] | None = None
        self._largest = 1
        self._longest_note = 0

    # -- what it shows -------------------------------------------------------------------------------------

    @property
    def library(self) -> Library | None:
        """The library at the cursor."""
        return self._shown[self.cursor_row] if 0 <= self.cursor_row < len(self._shown) else None

    @property
    def listed(self) -> tuple[Library, ...]:
        return self._shown

    @property
    def row_count(self) -> int:
        return len(self._shown)

    def show(
        self,
        libraries: Sequence[Library],
        labels: dict[str, str],
        note: Callable[[Library], str] | None = None,
        marked: frozenset[str] = frozenset(),
        wrong: frozenset[str] = frozenset(),
        tethers: Callable[[Library], str] | None = None,
    ) -> None:
        """List these libraries; the cursor stays on its library if it is still there. `note` fills the last column, and
        those in `wrong` have it drawn as something to look at. `tethers` gives the letters of the tethers by which
        programs find a library.
        """
        self._tethers = tethers
        before = self.library
        self._shown, self._labels, self._note, self._marked = tuple(libraries), labels, note, marked
        self._wrong = wrong
        self._largest = max((library.on_disk_bytes for library in libraries), default=0) or 1
        # What a stage says of each may take a while to make up, and is as long as there is room for it.
        own = (len(self.note_of(library)) for library in libraries if note is None)
        self._longest_note = max(own, default=0) if note is None else self.size.width
        place = min(self.cursor_row, max(0, len(self._shown) - 1))
        if before is not None:
            place = next((n for n, library_ in enumerate(self._shown) if library_.id == before.id), place)
        self.set_reactive(LibraryTable.cursor_row, place)
        self.virtual_size = Size(self.size.width, len(self._shown) + 1)
        self._keep_in_view()
        self.refresh()

    def point_at(self, library_id: str) -> None:
        """Put the cursor on a library, if it is listed."""
        for number, library in enumerate(self._shown):
            if library.id == library_id:
                self.cursor_row = number

    def note_of(self, library: Library) -> str:
        if self._note is not None:
            return self._note(library)
        signs = [name for name, is_so in (("hidden", library.hidden), ("really used", library.working_set)) if is_so]
        return verdict_words(library) or ", ".join(signs)

    # -- keys and mouse ------------------------------------------------------------------------------------

    def action_move(self, by: int) -> None:
        if self._shown:
            self.cursor_row = min(max(0, self.cursor_row + by), len(self._shown) - 1)

    def action_page(self, by: int) -> None:
        self.action_move(by * max(1, self.size.height - 2))

    def action_end(self, which: int) -> None:
        self.action_move(which * len(self._shown))

    def watch_cursor_row(self) -> None:
        self._keep_in_view()
        self.refresh()
        self.post_message(self.Moved())

    def _keep_in_view(self) -> None:
        room, top = max(1, self.size.height - 1), int(self.scroll_offset.y)
        if self.cursor_row < top:
            self.scroll_to(y=self.cursor_row, animate=False)
        elif self.cursor_row >= top + room:
            self.scroll_to(y=self.cursor_row - room + 1, animate=False)

    def on_focus(self) -> None:
        self.refresh()

    def on_blur(self) -> None:
        self.refresh()

    def on_resize(self) -> None:
        self._keep_in_view()

    def on_click(self, event: events.Click) -> None:
        row = int(event.y + self.scroll_offset.y) - 1
        if event.y >= 1 and 0 <= row < len(self._shown):
            self.cursor_row = row
            if event.chain == 2:
                self.post_message(self.Chosen())

    # -- drawing -------------------------------------------------------------------------------------------

    def render_line(self, y: int) -> Strip:
        palette, width = palette_of(self.app.theme), self.size.width
        ground = Style(color=palette.text, bgcolor=palette.surface)
        row = y + int(self.scroll_offset.y) - 1
        if y == 0:
            return Strip(self._headings(palette)).apply_style(ground).adjust_cell_length(width, ground)
        if row >= len(self._shown):
            return Strip.blank(width, ground)
        if row == self.cursor_row:
            color = palette.cursor if self.has_focus else palette.raised
            ground = Style(color=palette.text, bgcolor=color, bold=True)
        pointer = (POINTER if self.has_focus else RESTING) if row == self.cursor_row else " "
        cells = self._cells(self._shown[row], palette, pointer)
        return Strip(cells).apply_style(ground).adjust_cell_length(width, ground)

    @property
    def _widths(self) -> tuple[int, int, int, int]:
        """Of the kind, the name, the share bar and the note, by the room there is: in a narrow window the kind is its
        letter alone, and names have what notes do not need.
        """
        kind = _KIND_CELLS if self.size.width >= _WIDE else _LETTER_CELLS
        fixed = 2 + kind + _SIZE_CELLS + _USED_CELLS + _OPENS_CELLS + _DRIVE_CELLS + 8
        rest = max(30, self.size.width - fixed - (_TETHER_CELLS if self._tethers else 0))
        share = min(_MOST_SHARE_CELLS, max(4, int(rest * 0.55) // 4))
        note = min(self._longest_note, int(rest * 0.55) - share)
        name = min(_MOST_NAME_CELLS, max(18, rest - share - note))
        return kind, name, share, max(0, rest - name - share)

    def _headings(self, palette: Palette) -> list[Segment]:
        kind, name, share, _ = self._widths
        words = (
            f"  {'kind':<{kind}} {'library':<{name}} {'size':>{_SIZE_CELLS}} {'':<{share}} "
            f"{'last used':>{_USED_CELLS}} {'opens':>{_OPENS_CELLS}} {'drive':<{_DRIVE_CELLS}}"
            f"{' by' if self._tethers else ''}"
        )
        return [Segment(words, Style(color=palette.quiet))]

    def _cells(self, library: Library, palette: Palette, pointer: str) -> list[Segment]:
        kind, name, share, note = self._widths
        hue = palette.kinds[library.kind]
        filled = max(1, round(share * library.on_disk_bytes / self._largest))
        opens = f"{library.opens_per_week:g}/week" if library.opens_per_week else "–"
        used = Style(color=palette.look) if is_cold(library.last_used) else Style()
        quiet = Style(color=palette.quiet)
        look = Style(color=palette.look) if library.id in self._wrong else quiet
        return [
            Segment(f"{_MARK if library.id in self._marked else ' '}{pointer}", Style(color=palette.accent)),
            Segment(f" {library.kind.letter} ", Style(color=palette.letter, bgcolor=hue, bold=False)),
            Segment(f" {fitted(library.kind, kind - _LETTER_CELLS)} "),
            Segment(f"{column(library.name, name)} {format_bytes(library.on_disk_bytes):>{_SIZE_CELLS}} "),
            Segment(f"{'━' * filled:<{share}} ", Style(color=hue)),
            Segment(f"{ago(library.last_used):>{_USED_CELLS}}", used),
            Segment(f" {opens:>{_OPENS_CELLS}} ", quiet),
            Segment(f"{column(self._labels.get(library.drive, library.drive), _DRIVE_CELLS)} "),
            *([Segment(f"{self._tethers(library):<{_TETHER_CELLS}}", quiet)] if self._tethers else []),
            Segment(fitted(shown(self.note_of(library)), note), look),
        ]
