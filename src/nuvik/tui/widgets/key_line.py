"""The line of keys at the bottom: those that apply now, each with what it does; a click does the same.

One drawn line instead of a widget for every key: the keys change with every focus, and making a score of widgets again
takes longer than a keypress may.
"""

from __future__ import annotations

from collections.abc import Iterator

from rich.cells import cell_len
from rich.style import Style
from rich.text import Text
from textual.binding import Binding
from textual.screen import Screen
from textual.widget import Widget

from nuvik.tui.theme import palette_of

_ALWAYS = frozenset(["help", "leave"])
"""Actions whose keys are left out last."""


class KeyLine(Widget):
    """The keys of the screen and of what has the focus."""

    auto_links = False  # what is clicked here is drawn as a key, not as a link
    DEFAULT_CSS = "KeyLine { dock: bottom; height: 1; background: $panel; }"

    _drawn: tuple[Binding, ...] = ()
    """The keys that it shows."""

    def on_mount(self) -> None:
        self.screen.bindings_updated_signal.subscribe(self, self._changed)

    def on_unmount(self) -> None:
        self.screen.bindings_updated_signal.unsubscribe(self)

    def _changed(self, screen: Screen[object]) -> None:
        # The screen also says so when a box covers it, and its keys are the same.
        if self.is_attached and screen is self.screen and tuple(self._shown_bindings()) != self._drawn:
            self.refresh()

    def _shown_bindings(self) -> Iterator[Binding]:
        """A binding for each action that is shown and applies."""
        seen = set()
        for _, binding, enabled, _ in self.screen.active_bindings.values():
            if binding.show and enabled and binding.action not in seen:
                seen.add(binding.action)
                yield binding

    def render(self) -> Text:
        palette = palette_of(self.app.theme)
        self._drawn = tuple(self._shown_bindings())
        parts = [
            (binding, f" {self.app.get_key_display(binding)} ", f"{binding.description} ") for binding in self._drawn
        ]
        while parts and sum(cell_len(key) + cell_len(does) for _, key, does in parts) > self.size.width:
            less = [part for part in parts if part[0].action not in _ALWAYS] or parts
            parts.remove(less[-1])  # the last ones matter least; the help has them all
        text = Text(no_wrap=True, end="")
        for binding, key, does in parts:
            click = {"@click": f"app.simulate_key({binding.key!r})"}
            text.append(key, style=Style(color=palette.accent, bold=True, meta=click))
            text.append(does, style=Style(color=palette.quiet, meta=click))
        return text
