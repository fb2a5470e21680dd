"""The last lines of a sheet: its keys, each with what it does; a click does the same."""

from __future__ import annotations

from rich.style import Style
from rich.text import Text
from textual.widgets import Static

from nuvik.tui.theme import palette_of

_NAMED = {"Esc": "escape", "Enter": "enter", "Space": "space"}
_BETWEEN = " · "


class Foot(Static):
    """Made from plain words: `e edits its card · Esc closes`, in several lines if there are many."""

    auto_links = False  # what is clicked here is drawn as a key, not as a link

    def __init__(self, words: str) -> None:
        super().__init__(markup=False, classes="quiet")
        self._words = words

    def on_mount(self) -> None:
        self.update(self._keys())

    def say(self, words: str) -> None:
        """Other keys from now on."""
        self._words = words
        self.update(self._keys())

    def _keys(self) -> Text:
        palette, text = palette_of(self.app.theme), Text()
        for number, line in enumerate(self._words.splitlines()):
            text.append("\n" if number else "")
            for place, clause in enumerate(line.split(_BETWEEN)):
                key, _, does = clause.partition(" ")
                text.append(_BETWEEN if place else "", style=palette.quiet)
                pressed = _NAMED.get(key, key if len(key) == 1 else "")
                click = {"@click": f"app.simulate_key({pressed!r})"} if pressed else {}
                text.append(key, style=Style(color=palette.accent, bold=True, meta=click))
                text.append(f" {does}" if does else "", style=Style(color=palette.quiet, meta=click))
        return text
