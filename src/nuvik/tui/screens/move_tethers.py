"""A sheet over Carry and Logbook: how programs find what a move carried, and putting that right."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from rich.text import Text
from textual.binding import Binding
from textual.widgets import Static

from nuvik.core.model.errors import NuvikError
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.model.tether import TetherState
from nuvik.core.views.landing_sentences import LOGIN_WORDS
from nuvik.core.views.leftover_sentences import mendable, outcome_words
from nuvik.core.views.tether_sentences import tether_state_words
from nuvik.tui.desk import Desk
from nuvik.tui.screens.sheet import Sheet
from nuvik.tui.theme import palette_of

if TYPE_CHECKING:
    from nuvik.core.model.leftover import Leftover
    from nuvik.core.stages.tethers import TetherRow

_STATE_CELLS = 14


class MoveTethersSheet(Sheet):
    """Everything is looked at again when it opens, and after each key; `f` puts right what is safe."""

    BINDINGS = [
        *Sheet.BINDINGS,
        Binding("f", "fix", "put right"),
        Binding("h", "done_by_hand", "done by hand"),
    ]
    FOOT = "f puts right what is safe · h what was to be done by hand is done · Esc closes this"

    def __init__(self, desk: Desk, move: Move) -> None:
        super().__init__(desk)
        self._move = move
        self._rows: list[TetherRow] | None = None
        self._broken: list[Leftover] = []
        self._users: tuple[str, ...] = ()
        self._done: list[str] = []

    def on_mount(self) -> None:
        self.run_worker(self._look, thread=True, exit_on_error=False)

    def _look(self) -> None:
        tethers, logbook = self.desk.workspace.tethers, self.desk.workspace.logbook
        try:
            rows = tethers.of_move(self._move)
            mine = [
                each for each in logbook.broken_tethers() if each.move is not None and each.move.id == self._move.id
            ]
            users = tethers.used_from(self._move.target) if self._move.state.at_target else ()
        except NuvikError as trouble:
            self._done.append(f"! {trouble.what} {trouble.next_step}")
            rows, mine, users = [], [], ()
        self.app.call_from_thread(self._take, rows, mine, users)

    def _take(self, rows: list[TetherRow], broken: list[Leftover], users: tuple[str, ...]) -> None:
        self._rows, self._broken, self._users = rows, broken, users
        if self.is_mounted:
            self.query_one("#lines", Static).update(self.words())

    def words(self) -> Text:
        text, palette = Text(), palette_of(self.app.theme)
        self.add_title(text, f"How programs find {shown(self._move.library)}")
        text.append(f"{shown(self._move.source)} → {shown(self._move.target)}\n\n", style=palette.quiet)
        if self._rows is None:
            text.append("looking at each …", style=palette.quiet)
            return text
        wrong = (TetherState.BROKEN, TetherState.LEFT)
        for row in self._rows:
            style = (
                palette.look if row.state in wrong else palette.good if row.state is TetherState.OK else palette.quiet
            )
            text.append(f"{tether_state_words(row.state):<{_STATE_CELLS}}", style=style)
            text.append(f"{shown(row.tether.in_words)}\n", style=palette.text)
            for words in filter(None, (row.trouble, LOGIN_WORDS if row.login_due else "")):
                text.append(f"{'':<{_STATE_CELLS}}{shown(words)}\n", style=palette.quiet)
        if not self._rows:
            text.append("Nothing was left behind: nobody looks for it by its old path.\n", style=palette.quiet)
        for leftover in self._broken:
            text.append(f"\n{leftover.what}\n", style=f"bold {palette.look}")
            text.append(f"{leftover.right}\n", style=palette.text)
        for user in self._users:
            text.append(f"\n✓ {shown(user)} runs from {shown(self._move.target)} now.\n", style=palette.good)
        for words in self._done:
            text.append(f"\n{words}\n", style=palette.text)
        return text

    def action_fix(self) -> None:
        if mendable(self._broken):
            self.run_worker(partial(self._fix, self._broken), thread=True, exclusive=True, exit_on_error=False)
        else:
            self.notify("Nothing here is for Nuvik to put right.")

    def _fix(self, broken: list[Leftover]) -> None:
        try:
            mended = self.desk.workspace.logbook.mend(broken)
            self._done = [f"{'✓' if each.problem is None else '!'} {outcome_words(each)}" for each in mended]
        except NuvikError as trouble:
            self._done = [f"! {trouble.what} {trouble.next_step}"]
        self._look()

    def action_done_by_hand(self) -> None:
        done = self.desk.workspace.tethers.done_by_hand(self._move)
        if not done:
            self.notify("Nothing is to be done by hand here.")
        self.run_worker(self._look, thread=True, exit_on_error=False)
