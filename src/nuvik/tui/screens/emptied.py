"""A sheet over Logbook: what was emptied and is set aside, to be let go or put back."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, cast

from rich.text import Text
from textual.binding import Binding
from textual.widgets import Static

from nuvik.core.model.emptied import Emptied
from nuvik.core.model.errors import NuvikError
from nuvik.core.views.emptying_sentences import aside_line, done_words
from nuvik.tui.screens.menu import Menu
from nuvik.tui.screens.sheet import Sheet
from nuvik.tui.theme import palette_of

if TYPE_CHECKING:
    from nuvik.tui.shell import Shell

_KEYS = "abcdefghijklmnopqrstuvwxyz"


class EmptiedSheet(Sheet):
    """One at a time is chosen from a short list."""

    BINDINGS = [*Sheet.BINDINGS, Binding("r", "release", "let go"), Binding("b", "put_back", "put back")]
    FOOT = "r lets one go for good, which frees its space · b puts one back · Esc closes this"
    _done = ""
    _kept: list[Emptied] | None = None

    def on_mount(self) -> None:
        self.run_worker(self._look, thread=True, exit_on_error=False)

    def _look(self) -> None:
        """Beside the sheet: a drive may have to wake up."""
        self._kept = self.desk.workspace.emptying.kept()
        self.app.call_from_thread(self._draw)

    def words(self) -> Text:
        text, palette = Text(), palette_of(self.app.theme)
        self.add_title(text, "Emptied, and set aside")
        for emptied in self._kept or ():
            text.append(f"{aside_line(emptied)}\n", style=palette.text)
        if self._kept is None:
            text.append("looking …\n", palette.quiet)
        elif not self._kept:
            text.append("Nothing is set aside. A cache is emptied from its page in Survey, with x.\n", palette.quiet)
        if self._done:
            text.append(f"\n{self._done}\n", style=palette.good)
        return text

    def action_release(self) -> None:
        stage = self.desk.workspace.emptying
        self._choose("Which is to go for good?", lambda emptied: stage.release(emptied.id)[0])

    def action_put_back(self) -> None:
        stage = self.desk.workspace.emptying
        self._choose("Which is to return?", lambda emptied: stage.put_back(emptied.id))

    def _choose(self, title: str, act: Callable[[Emptied], Emptied]) -> None:
        kept = dict(zip(_KEYS, self._kept or (), strict=False))
        if not kept:
            self.notify("Nothing is set aside.")
            return
        choices = [(key, aside_line(emptied)) for key, emptied in kept.items()]
        self.app.push_screen(Menu(title, choices), lambda key: self._act(act, kept[key]) if key else None)

    def _act(self, act: Callable[[Emptied], Emptied], emptied: Emptied) -> None:
        """Removing many files takes a while: beside the sheet."""
        self._done = "working …"
        self._draw()
        self.run_worker(lambda: self._work(act, emptied), thread=True, exclusive=True, exit_on_error=False)

    def _work(self, act: Callable[[Emptied], Emptied], emptied: Emptied) -> None:
        try:
            self._done = done_words(act(emptied))
        except NuvikError as trouble:
            self._done = ""
            self.app.call_from_thread(cast("Shell", self.app).complain, trouble)
        self._look()

    def _draw(self) -> None:
        if self.is_mounted:
            self.query_one("#lines", Static).update(self.words())
