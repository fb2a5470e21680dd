"""A short list of choices, each with its key, for questions that have more answers than yes and no."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text
from textual import events, on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import OptionList, Static

from nuvik.tui.screens.over import Over
from nuvik.tui.theme import palette_of


class Menu(Over[str | None]):
    """Ends with the key of the choice, or None. Choose by its key, by arrows and Enter, or with the mouse."""

    BINDINGS = [Binding("escape", "dismiss", "close")]

    def __init__(self, title: str, choices: Sequence[tuple[str, str]]) -> None:
        """`choices` are keys and what they do, in the order in which they are shown."""
        super().__init__()
        self._title, self._choices = title, tuple(choices)

    def compose(self) -> ComposeResult:
        accent = palette_of(self.app.theme).accent
        with Vertical(id="dialog"):
            yield Static(Text(f"{self._title}\n", style="bold"))
            yield OptionList(
                *(Text.assemble((f"{key:>2}  ", accent), does) for key, does in self._choices), compact=True
            )
            yield Static("A key, or ↑ ↓ and Enter, chooses · Esc changes nothing", classes="quiet")

    def on_key(self, event: events.Key) -> None:
        if event.character in {key for key, _ in self._choices}:
            event.stop()
            self.dismiss(event.character)

    @on(OptionList.OptionSelected)
    def _choose(self, chosen: OptionList.OptionSelected) -> None:
        self.dismiss(self._choices[chosen.option_index][0])
