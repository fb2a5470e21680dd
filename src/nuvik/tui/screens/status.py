"""How things stand: what needs a decision, and what is good to know."""

from __future__ import annotations

from rich.text import Text
from textual.widgets import Static

from nuvik.core.views.status_sentences import Matter, matters, status_headline
from nuvik.tui.desk import Desk
from nuvik.tui.key_words import by_keys
from nuvik.tui.screens.sheet import Sheet
from nuvik.tui.theme import palette_of


class StatusSheet(Sheet):
    """The same lines as `nuvik status`; they are looked up beside the sheet."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._matters: list[Matter] | None = None

    def on_mount(self) -> None:
        self.run_worker(self._look, thread=True, exit_on_error=False)

    def _look(self) -> None:
        self._matters = matters(self.desk.workspace.watching.status())
        if self.is_mounted:
            self.app.call_from_thread(self._draw)

    def _draw(self) -> None:
        if self.is_mounted:
            self.query_one("#lines", Static).update(self.words())

    def words(self) -> Text:
        text, palette = Text(), palette_of(self.app.theme)
        self.add_title(text, "How things stand")
        if self._matters is None:
            text.append("looking …\n", style=palette.quiet)
            return text
        text.append(f"{status_headline(self._matters)}\n\n", style=palette.text)
        for matter in self._matters:
            text.append("! " if matter.asks else "  ", style=palette.look)
            text.append(matter.words, style=palette.text)
            text.append(f" {by_keys(matter.next_step)}\n", style=palette.quiet)
        return text
