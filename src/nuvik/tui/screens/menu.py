"""A short list of choices, each with its key: for what has more answers than yes and no."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widgets import Static

from nuvik.tui.theme import palette_of


class Menu(ModalScreen[str | None]):
    """Ends with the key that was pressed, or None."""

    BINDINGS = [Binding("escape", "dismiss", "close")]

    def __init__(self, title: str, choices: Sequence[tuple[str, str]]) -> None:
        """`choices` are keys and what they do, in the order in which they are shown."""
        super().__init__()
        self._title, self._choices = title, tuple(choices)

    def compose(self) -> ComposeResult:
        palette = palette_of(self.app.theme)
        text = Text(f"{self._title}\n\n", style="bold")
        for key, does in self._choices:
            text.append(f"{key:>4}  ", style=f"not bold {palette.accent}")
            text.append(f"{does}\n", style="not bold")
        with Vertical(id="dialog"):
            yield Static(text)
            yield Static("Esc changes nothing", classes="quiet")

    def on_key(self, event: events.Key) -> None:
        if event.character in {key for key, _ in self._choices}:
            event.stop()
            self.dismiss(event.character)
