"""The what-ifs of a rehearsal, each to be switched on and off."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from textual.content import Content
from textual.widgets import SelectionList
from textual.widgets.selection_list import Selection

if TYPE_CHECKING:
    from nuvik.core.rehearsal.whatifs import WhatIf


class StopAtCursor:
    """Stands in the list for stopping after the step at the cursor, wherever that is."""

    name = "stopped after the step at the cursor"


class WhatIfList(SelectionList[int]):
    """A line for each; space or Enter switches it, and all that are on are supposed together."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id, compact=True)
        self._what_ifs: tuple[WhatIf | StopAtCursor, ...] = ()

    def offer(self, what_ifs: Sequence[WhatIf | StopAtCursor]) -> None:
        """List these; those that were on stay on, where they are offered still."""
        if tuple(what_ifs) == self._what_ifs:
            return
        on = {library.name for library in self.chosen}
        at = self.highlighted
        self._what_ifs = tuple(what_ifs)
        with self.prevent(SelectionList.SelectedChanged):
            self.clear_options()
            self.add_options(
                Selection(Content(what_if.name), n, what_if.name in on) for n, what_if in enumerate(what_ifs)
            )
        if what_ifs:
            self.highlighted = min(at or 0, len(what_ifs) - 1)

    @property
    def chosen(self) -> tuple[WhatIf | StopAtCursor, ...]:
        """Those that are on, in the order of the list."""
        return tuple(self._what_ifs[n] for n in sorted(self.selected) if n < len(self._what_ifs))
