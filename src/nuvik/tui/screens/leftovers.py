"""A sheet over Logbook: what Nuvik left on the drives, and doing what is safe about it."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from rich.text import Text
from textual.binding import Binding
from textual.widgets import Static

from nuvik.core.model.errors import NuvikError, StopRequested
from nuvik.core.model.leftover import Leftover
from nuvik.core.model.names import shorten
from nuvik.core.model.progress import Stop
from nuvik.tui.desk import Desk
from nuvik.tui.screens.sheet import Sheet
from nuvik.tui.theme import palette_of

if TYPE_CHECKING:
    from nuvik.core.carrying.mending.mend import Mended


class LeftoversSheet(Sheet):
    """First the drives are looked through; then `f` does what is safe."""

    BINDINGS = [*Sheet.BINDINGS, Binding("f", "fix", "do what is safe")]
    FOOT = "f does what is safe · Esc closes this"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._stop = Stop()
        self._leftovers: list[Leftover] | None = None
        self._mended: list[Mended] = []
        self._busy = "Looking through the names of all folders on the attached drives …"
        self._problem = ""

    def on_mount(self) -> None:
        self.run_worker(partial(self._work, False), thread=True, exit_on_error=False)

    def on_unmount(self) -> None:
        self._stop.ask()

    def action_fix(self) -> None:
        from nuvik.core.views.leftover_sentences import mendable

        if not self._busy and mendable(self._leftovers or []):
            self._busy = "Putting right what is safe …"
            self._draw()
            self.run_worker(partial(self._work, True), thread=True, exit_on_error=False)

    def _work(self, fix: bool) -> None:
        logbook = self.desk.workspace.logbook
        mended, problem = self._mended, ""
        try:
            if fix:
                mended = logbook.mend(self._leftovers or [], stop=self._stop)
            leftovers = logbook.leftovers(stop=self._stop)
        except StopRequested:
            return
        except NuvikError as fault:
            leftovers, problem = self._leftovers or [], f"{fault.what} {fault.next_step}"
        self.app.call_from_thread(self._show, leftovers, mended, problem)

    def _show(self, leftovers: list[Leftover], mended: list[Mended], problem: str) -> None:
        self._leftovers, self._mended, self._problem, self._busy = leftovers, mended, problem, ""
        self._draw()

    def _draw(self) -> None:
        if self.is_mounted:
            self.query_one("#lines", Static).update(self.words())

    def words(self) -> Text:
        from nuvik.core.views.leftover_sentences import leftovers_headline, outcome_words, where

        text, palette = Text(), palette_of(self.app.theme)
        self.add_title(text, "What Nuvik left on the drives")
        if self._busy or self._problem:
            text.append(f"{self._problem or self._busy}\n", style=palette.quiet)
        if self._leftovers is None:
            return text
        if not self._problem:
            text.append(f"{leftovers_headline(self._leftovers)}\n")
        for mended in self._mended:
            text.append(f"\n{'✓' if mended.problem is None else '!'} {outcome_words(mended)}\n")
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        for leftover in self._leftovers:
            text.append(f"\n{leftover.what}\n", style="bold")
            text.append(f"{leftover.right}\n", style="not bold")
            text.append(f"{shorten(where(leftover, labels), 100)}\n", style=palette.quiet)
        return text
