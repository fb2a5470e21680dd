"""The what-ifs of a rehearsal, each to be switched on and off."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.segment import Segment
from rich.style import Style
from textual.binding import Binding
from textual.content import Content
from textual.strip import Strip
from textual.widgets import SelectionList
from textual.widgets.selection_list import Selection

from nuvik.tui.theme import palette_of

if TYPE_CHECKING:
    from nuvik.core.rehearsal.whatifs import WhatIf


class StopAtCursor:
    """Stands in the list for stopping after the step at the cursor, wherever that is."""

    name = "you stop after this step"


class WhatIfList(SelectionList[int]):
    """A line for each; space or Enter switches it, and all that are on are supposed together."""

    BINDINGS = [Binding("space", "select", "on / off")]

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id, compact=True)
        self._what_ifs: tuple[WhatIf | StopAtCursor, ...] = ()

    def offer(self, what_ifs: Sequence[WhatIf | StopAtCursor]) -> None:
        """List these; those that were on stay on, where they are offered still."""
        if tuple(what_ifs) == self._what_ifs:
            return
        on = {what_if.name for what_if in self.chosen}
        at = self.highlighted
        self._what_ifs = tuple(what_ifs)
        with self.prevent(SelectionList.SelectedChanged):
            self.clear_options()
            self.add_options(
                Selection(Content(what_if.name), n, what_if.name in on) for n, what_if in enumerate(what_ifs)
            )
        if what_ifs:
            self.highlighted = min(at or 0, len(what_ifs) - 1)

    def render_line(self, y: int) -> Strip:
        """With `[x]` and `[ ]` in place of a button whose states only differ in colour."""
        segments = list(super().render_line(y))
        if len(segments) < 4 or segments[0].text != "▐":
            return Strip(segments)
        number = y + int(self.scroll_offset.y)
        on = number < self.option_count and self.get_option_at_index(number).value in self.selected
        palette = palette_of(self.app.theme)
        left, inner, right = (segment.style or Style() for segment in segments[:3])
        quiet, ground = Style(color=palette.quiet), Style(bgcolor=left.bgcolor)
        mark = Style(color=palette.accent, bold=True, meta=inner.meta)
        return Strip(
            [
                Segment("[", left + quiet + ground),
                Segment("x" if on else " ", mark + ground),
                Segment("]", right + quiet + ground),
                *segments[3:],
            ]
        )

    @property
    def chosen(self) -> tuple[WhatIf | StopAtCursor, ...]:
        """Those that are on, in the order of the list."""
        return tuple(self._what_ifs[n] for n in sorted(self.selected) if n < len(self._what_ifs))
