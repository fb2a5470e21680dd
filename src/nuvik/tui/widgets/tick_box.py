"""A box to tick, whose two states differ in plain text too: `[x]` and `[ ]`."""

from __future__ import annotations

from textual.content import Content
from textual.widgets import Checkbox


class TickBox(Checkbox):
    """A check box that does not rest on colour."""

    @property
    def _button(self) -> Content:
        return Content.assemble(
            ("[", "$quiet"), ("x" if self.value else " ", self.get_visual_style("toggle--button")), ("]", "$quiet")
        )
