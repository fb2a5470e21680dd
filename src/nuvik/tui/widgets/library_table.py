"""The table of libraries: the same columns wherever libraries are listed."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from rich.text import Text
from textual.widgets import DataTable

from nuvik.core.model.clock import ago
from nuvik.core.model.library import Library
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.units import format_bytes
from nuvik.core.survey.headline import is_cold
from nuvik.tui.theme import palette_of

_NAME_CELLS, _SHARE_CELLS, _NOTE_CELLS = 31, 16, 40


def heading(label: str) -> Text:
    """A column's heading; one that begins with `>` stands on the right, above figures."""
    return Text(label.removeprefix(">"), justify="right" if label.startswith(">") else "left")


class LibraryTable(DataTable[Text]):
    """Libraries with their size drawn as a share of the largest."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id, cursor_type="row", zebra_stripes=False)
        self._shown: tuple[Library, ...] = ()

    def on_mount(self) -> None:
        for label, width in (("kind", 14), ("library", _NAME_CELLS), (">size", 9), ("", _SHARE_CELLS),
                             (">last used", 10), (">opens", 9), ("drive", 10), ("", _NOTE_CELLS)):  # fmt: skip
            self.add_column(heading(label), width=width)

    @property
    def library(self) -> Library | None:
        """The library at the cursor."""
        return self._shown[self.cursor_row] if 0 <= self.cursor_row < len(self._shown) else None

    def show(
        self, libraries: Sequence[Library], labels: dict[str, str], note: Callable[[Library], str] | None = None
    ) -> None:
        """List these libraries; the cursor stays on its library if it is still there. `note` fills the last column."""
        before = self.library
        self._shown = tuple(libraries)
        largest = max((library.bytes for library in libraries), default=0) or 1
        self.clear()
        for library in libraries:
            self.add_row(*self._cells(library, largest, labels, note(library) if note else library.why_not or ""))
        ids = [library.id for library in self._shown]
        if before is not None and before.id in ids:
            self.move_cursor(row=ids.index(before.id), animate=False)

    def _cells(self, library: Library, largest: int, labels: dict[str, str], note: str) -> list[Text]:
        palette = palette_of(self.app.theme)
        hue = palette.kinds[library.kind]
        kind = Text.assemble((f" {library.kind.letter} ", f"{palette.text} on {hue}"), f" {library.kind}")
        filled = max(1, round(_SHARE_CELLS * library.bytes / largest))
        cold = is_cold(library.last_used)
        opens = f"{library.opens_per_week:g}/week" if library.opens_per_week else "–"
        return [
            kind,
            Text(shorten(library.name, _NAME_CELLS)),
            Text(format_bytes(library.bytes), justify="right"),
            Text("━" * filled, style=hue),
            Text(ago(library.last_used), style=palette.look if cold else "", justify="right"),
            Text(opens, style=palette.quiet, justify="right"),
            Text(shown(labels.get(library.drive, library.drive))[:10]),
            Text(shown(note), style=palette.quiet, no_wrap=True, overflow="ellipsis"),
        ]
