"""Logbook: what was done, did it work, can I take it back?"""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.widgets import DataTable

from nuvik.core.model.journal import Move, State
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.units import format_bytes, format_duration
from nuvik.core.views.carry_headline import logbook_headline, move_facts
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.library_table import heading

if TYPE_CHECKING:
    from nuvik.core.carrying.undo import Way


class LogbookScreen(StageScreen):
    """Every move, newest first."""

    STAGE = "logbook"
    FIRST_FOCUS = "#log"
    BINDINGS = [
        Binding("u", "undo", "take it back"),
        Binding("e", "release", "release the original"),
        Binding("g", "go_on", "go on"),
    ]

    def body(self) -> ComposeResult:
        yield DataTable(id="log", cursor_type="row")

    def on_mount(self) -> None:
        table = self.query_one(DataTable)
        for label, width in (
            (">move", 5),
            ("begun", 19),
            ("library", 29),
            (">size", 9),
            ("from → to", 20),
            ("state", 32),
            (">expected", 12),
            (">took", 12),
        ):
            table.add_column(heading(label), width=width)

    def refresh_stage(self) -> None:
        table = self.query_one(DataTable)
        row = table.cursor_row
        self._moves = list(reversed(self.desk.workspace.logbook.moves()))
        self.say(logbook_headline(self._moves))
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        table.clear()
        for move in self._moves:
            table.add_row(*self._cells(move, labels))
        table.move_cursor(row=min(row, max(0, len(self._moves) - 1)), animate=False)
        self._tell()

    def _cells(self, move: Move, labels: dict[str, str]) -> list[Text]:
        palette = palette_of(self.app.theme)
        style = palette.look if not move.state.finished or move.state is State.ON_TRIAL else ""
        words = f"undid move {move.undoes}" if move.undoes and move.state is State.RELEASED else move.state.in_words
        return [
            Text(str(move.id), justify="right"),
            Text((move.started_at or "not begun").replace("T", " ").replace("Z", "")),
            Text(shorten(move.library, 29)),
            Text(format_bytes(move.bytes), justify="right"),
            Text(f"{shown(labels.get(move.source_drive, '?'))} → {shown(labels.get(move.target_drive, '?'))}"),
            Text(words, style=style),
            Text(format_duration(move.expected_s), justify="right"),
            Text(format_duration(move.actual_s) if move.actual_s else "–", justify="right"),
        ]

    @property
    def _move(self) -> Move | None:
        row = self.query_one(DataTable).cursor_row
        return self._moves[row] if 0 <= row < len(self._moves) else None

    def _tell(self) -> None:
        move = self._move
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        self.tell(move_facts(move, labels) if move is not None else "")

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

    def action_release(self) -> None:
        move = self._move
        if move is None:
            return
        wanted = str(move.id)
        question = (
            f"Release the original of {shown(move.library)}? This frees {format_bytes(move.bytes)}; "
            "only the moved library remains."
        )

        def answered(agreed: bool | None) -> None:
            if agreed:
                release = self.desk.workspace.logbook.release
                self.shell.carry_job.begin(lambda report, stop: release(wanted, report=report, stop=stop))

        if move.state is not State.ON_TRIAL:
            self.notify(f"Move {move.id} is not on trial: {move.state.in_words}.", severity="warning", markup=False)
            return
        self.app.push_screen(Confirm(question, "release it"), answered)

    def action_go_on(self) -> None:
        if not self.desk.workspace.logbook.midway():
            self.notify("Nothing is unfinished.")
            return
        self.shell.carry_job.begin(self.desk.workspace.carry.resume)

    def on_data_table_row_highlighted(self) -> None:
        self._tell()
