"""Logbook: what was done, did it work, can I take it back?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial
from types import MappingProxyType
from typing import TYPE_CHECKING

from textual import events, on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.widgets import DataTable

from nuvik.core.model.journal import Move, State
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Report, Stop
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.views.carry_headline import logbook_headline, move_facts
from nuvik.core.views.move_rows import move_page, move_row
from nuvik.core.views.opening_sentences import afterwards_headline, afterwards_sentence, came_of
from nuvik.core.views.tether_sentences import broken_headline
from nuvik.tui.key_words import by_keys
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.emptied import EmptiedSheet
from nuvik.tui.screens.leftovers import LeftoversSheet
from nuvik.tui.screens.move_tethers import MoveTethersSheet
from nuvik.tui.screens.record_opening import RecordSheet
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.widgets.beneath import Beneath
from nuvik.tui.widgets.move_table import MoveTable

if TYPE_CHECKING:
    from nuvik.core.carrying.outcome import Outcome
    from nuvik.core.carrying.undo import Way
    from nuvik.core.model.leftover import Leftover
    from nuvik.core.model.opening import Afterwards


_EMPTY = (
    ("every move", "with its state, and what it took beside what was expected."),
    ("u", "takes a move back, also long after it was made."),
    ("e", "lets the original of a move on trial go, once everything works."),
)


class LogbookScreen(StageScreen):
    """Every move, newest first."""

    STAGE = "logbook"
    FIRST_FOCUS = "#log"
    BINDINGS = [
        Binding("u", "undo", "take it back"),
        Binding("U", "undo_plan", "take the plan back"),
        Binding("e", "release", "release the original"),
        Binding("g", "go_on", "go on"),
        Binding("f", "tethers", "how programs find it"),
        Binding("o", "record", "record an opening"),
        Binding("m", "mend", "mend"),
        Binding("E", "emptied", "emptied"),
    ]

    _moves: Sequence[Move] = ()
    """All of them, newest first."""
    _broken: tuple[Leftover, ...] = ()
    """What of the tethers of moves did not hold at the last look."""
    _after: Mapping[int, Afterwards] = MappingProxyType({})
    """What came of moves for the openings of their libraries, by the number of the move."""

    def body(self) -> ComposeResult:
        yield MoveTable("move", id="log")
        yield Beneath(id="beneath")

    def refresh_stage(self) -> None:
        moves = self._moves = list(reversed(self.desk.workspace.logbook.moves()))
        self.say(logbook_headline(moves, self.desk.workspace.damaged_journal, self.shell.carry_job.at_hand))
        self._show(moves)
        self.in_background(self.desk.workspace.logbook.broken_tethers, self._take_broken, group="tethers")
        if moves:
            self.in_background(self.desk.workspace.openings.afterwards, self._take_afterwards, group="openings")

    def _take_afterwards(self, rows: list[Afterwards]) -> None:
        self._after = {row.move: row for row in rows}
        self._show_beneath()
        if lost := next((row for row in rows if row.did_not_pay), None):
            self.say(f"{afterwards_sentence(lost)} {afterwards_headline(rows)}", trouble=True)

    def _show(self, moves: list[Move]) -> None:
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        broken = {leftover.move.id for leftover in self._broken if leftover.move is not None}
        self.query_one(MoveTable).show([move_row(move, labels, move.id in broken) for move in moves])
        self._tell()
        self.refresh_bindings()

    def _take_broken(self, broken: list[Leftover]) -> None:
        if tuple(broken) != self._broken:
            self._broken = tuple(broken)
            self._show(list(reversed(self.desk.workspace.logbook.moves())))
        if words := broken_headline(broken):
            self.say(words, trouble=True)

    @property
    def _move(self) -> Move | None:
        return self.query_one(MoveTable).move

    def _tell(self) -> None:
        move = self._move
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        self.tell(move_facts(move, labels) if move is not None else "")
        self._show_beneath()

    def _show_beneath(self) -> None:
        """More of the move at the cursor, where the list leaves room."""
        beneath, table, move = self.query_one(Beneath), self.query_one(MoveTable), self._move
        if move is None:
            beneath.show("What will be here", _EMPTY)
        else:
            labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
            rows = list(move_page(move, labels))
            if move.id in self._after:
                rows.append(("opening", by_keys(came_of(self._after[move.id]))))
            beneath.show(f"Move {move.id}: {shown(move.library)}", rows)
        beneath.share_room(table, max(1, table.row_count) + 1)

    def on_resize(self, event: events.Resize) -> None:
        super().on_resize(event)
        self.call_after_refresh(self._show_beneath)

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """Keys are shown where they apply to the move at the cursor, or to any."""
        move, busy = self._move if self.is_mounted else None, self.shell.carry_job.is_running
        if action == "undo":
            return move is not None and not busy and move.state is not State.UNDONE and move.undoes is None
        if action == "release":
            return move is not None and not busy and move.state is State.ON_TRIAL
        if action == "go_on":
            return not busy and any(not each.state.finished for each in self._moves)
        if action == "undo_plan":
            return not busy and any(each.state.at_target and each.undoes is None for each in self._moves)
        if action == "record":
            return move is not None and not busy and self._library is not None
        return action != "tethers" or move is not None

    @property
    def _library(self) -> Library | None:
        """The library of the move at the cursor, where it is now."""
        move = self._move
        place = None if move is None else move.target if move.state.at_target else move.source
        return next((library for library in self.desk.snapshot.libraries if library.path == place), None)

    @on(DataTable.RowHighlighted)
    def _moved(self) -> None:
        self._tell()
        self.refresh_bindings()

    # -- keys ----------------------------------------------------------------------------------------------

    def action_undo(self) -> None:
        move = self._move
        if move is None:
            return
        stage, wanted = self.desk.workspace.logbook, str(move.id)
        self.in_background(lambda: stage.outlook(wanted), partial(self._ask_to_undo, wanted), group="outlook")

    def _ask_to_undo(self, wanted: str, outlook: tuple[Move, Way]) -> None:
        undo = self.desk.workspace.logbook.undo

        def answered(agreed: bool | None) -> None:
            if agreed:
                self.shell.carry_job.begin(lambda report, stop: undo(wanted, report, stop))

        self.app.push_screen(Confirm(f"Take move {wanted} back? {outlook[1].says}", "take it back"), answered)

    def action_record(self) -> None:
        """Record how the library of the move at the cursor opens now."""
        if self._library is not None:
            self.app.push_screen(RecordSheet(self._library, self.desk))

    def action_undo_plan(self) -> None:
        """Take back every move of the plan that was carried last."""
        logbook = self.desk.workspace.logbook
        self.in_background(logbook.last_plan, self._ask_to_undo_plan, group="outlook")

    def _ask_to_undo_plan(self, moves: list[Move]) -> None:
        workspace = self.desk.workspace
        plans = workspace.logbook.plans_of(moves)

        def take_back(report: Report, stop: Stop) -> Outcome:
            outcome = workspace.logbook.undo_plan(report, stop)
            for words in (words for plan in plans for words in workspace.landings.take_back_plan(plan).left):
                self.app.call_from_thread(self.notify, words, severity="warning", markup=False)
            return outcome

        def answered(agreed: bool | None) -> None:
            if agreed:
                self.shell.carry_job.begin(take_back)

        names = ", ".join(shown(move.library) for move in reversed(moves))
        question = f"Take back {format_count(len(moves), 'move')} of the last plan, the last one first: {names}?"
        self.app.push_screen(Confirm(question, "take them back"), answered)

    def action_release(self) -> None:
        move = self._move
        if move is None:
            return
        wanted = str(move.id)
        question = (
            f"Release the original of {shown(move.library)}? This frees {format_bytes(move.frees_bytes)}; "
            "only the moved library remains."
        )

        def answered(agreed: bool | None) -> None:
            if agreed:
                release = self.desk.workspace.logbook.release
                self.shell.carry_job.begin(
                    lambda report, stop: release(wanted, report=report, stop=stop), releasing=True
                )

        if move.state is not State.ON_TRIAL:
            self.notify(f"Move {move.id} is not on trial: {move.state.in_words}.", severity="warning", markup=False)
            return
        self.app.push_screen(Confirm(question, "release it"), answered)

    def action_go_on(self) -> None:
        if not self.desk.workspace.logbook.midway():
            self.notify("Nothing is unfinished.")
            return
        self.shell.carry_job.begin(self.desk.workspace.carry.resume)

    def action_tethers(self) -> None:
        """How programs find what the move at the cursor carried, and putting that right."""
        move = self._move
        if move is not None:
            self.app.push_screen(MoveTethersSheet(self.desk, move), lambda _: self.refresh_stage())

    def action_emptied(self) -> None:
        """What was emptied, and is set aside."""
        self.app.push_screen(EmptiedSheet(self.desk))

    def action_mend(self) -> None:
        if self.shell.carry_job.is_running:
            self.notify("Something is being carried. Wait until it is done.", severity="warning")
            return
        self.app.push_screen(LeftoversSheet(self.desk), lambda _: self.refresh_stage())

    def on_data_table_row_highlighted(self) -> None:
        self._tell()
