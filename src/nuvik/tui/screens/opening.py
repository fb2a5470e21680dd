"""The first picture: shown at once, while the computer's drives are looked at."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.screen import Screen
from textual.widgets import Static

from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.key_line import KeyLine


class OpeningScreen(Screen[None]):
    """Gives way to Survey as soon as the drives are known; a drive that is asleep may take seconds to answer."""

    def compose(self) -> ComposeResult:
        palette = palette_of(self.app.theme)
        yield Static(Text.assemble((" Nuvik ", f"bold {palette.ground} on {palette.accent}")), id="rail")
        yield Static("Looking at the drives …", id="headline", markup=False)
        yield Static(id="body")
        yield KeyLine()
