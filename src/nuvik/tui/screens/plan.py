"""Plan: every drive now and then; pick up a library, put it down on another drive, and every figure follows."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from textual import events, on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.widgets import Static

from nuvik.core.model.errors import NuvikError
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_count
from nuvik.core.views.draft_sentences import (
    consequence_of_all,
    cursor_sentence,
    library_note,
    moves_of_draft,
    plan_screen_headline,
    totals,
)
from nuvik.core.views.tether_sentences import tether_letters
from nuvik.tui.screens.plan_asking import PlanAsking
from nuvik.tui.widgets.beneath import Beneath
from nuvik.tui.widgets.drive_board import BoardRow, DriveBoard
from nuvik.tui.widgets.library_table import LibraryTable
from nuvik.tui.widgets.strip import StripData

if TYPE_CHECKING:
    from nuvik.core.planning.drafting.draft import Draft


_BEGINNING = (
    ("a", "Nuvik works out what belongs where, with reasons; you choose one of three proposals."),
    ("l", "Pick up the library at the cursor yourself, choose a drive with ↑ ↓, and put it down with Enter."),
    ("n", "Rehearse the plan: how long it takes, how full drives get, and what happens if. Nothing is moved by that."),
)


class PlanScreen(PlanAsking):
    """The board of drives above with its cursor; the libraries that will stand on that drive below."""

    STAGE = "plan"
    FIRST_FOCUS = "#libraries"
    BINDINGS = [
        Binding("tab", "app.focus_next", "switch"),
        Binding("a", "ask", "ask"),
        Binding("l", "pick_up", "pick up"),
        Binding("enter", "put_down", "put down", key_display="Enter"),
        Binding("s", "swap", "swap"),
        Binding("m", "mend", "mend"),
        Binding("u", "step_back", "undo edit"),
        Binding("n", "next", "rehearse it"),
        Binding("k", "pin", "pin"),
        Binding("p", "part", "parts"),
        Binding("d", "landing", "new content"),
        Binding("c", "compare", "compare"),
        Binding("w", "write", "write"),
        Binding("backspace", "stay", "let it stay", key_display="Bksp"),
        Binding("f", "tethers", "how programs find it", show=False),
        Binding("escape", "put_back", "put back", show=False),
        Binding("A", "ask_within", "ask within limits", show=False),
        Binding("o", "open", "open", show=False),
        Binding("U", "step_forward", "redo", show=False),
        Binding("x", "forbid", "forbid", show=False),
    ]

    _applies: tuple[bool, bool] = (False, False)
    """Whether something is in hand, and whether something is to be mended: which keys are shown."""

    def body(self) -> ComposeResult:
        yield DriveBoard(id="drives")
        yield LibraryTable(id="libraries")
        yield Beneath(id="beneath")
        yield Static(id="totals", markup=False)

    def refresh_stage(self) -> None:
        if self.desk.in_hand is not None:
            self.query_one(DriveBoard).focus()
        self._show_drives()
        self._show_libraries()
        self._show_words()

    # -- what is shown -------------------------------------------------------------------------------------

    @property
    def _in_hand(self) -> Library | None:
        in_hand, draft = self.desk.in_hand, self.desk.draft
        return draft.library(in_hand) if in_hand is not None and draft.knows(in_hand) else None

    def _preview(self) -> Draft:
        """The draft as it would be if what is in hand were put down at the cursor."""
        drive = self.query_one(DriveBoard).drive
        if not self.desk.hand or drive is None:
            return self.desk.draft
        try:
            return self.desk.draft.put_down_all(self.desk.hand, drive.id)
        except NuvikError:
            return self.desk.draft

    def _show_drives(self) -> None:
        draft, table = self._preview(), self.query_one(LibraryTable)
        marked = self.desk.in_hand or (table.library.id if table.library is not None and table.has_focus else None)
        moving = frozenset(draft.places)
        rows = []
        for drive in draft.drives:
            now = StripData(
                drive, self.desk.on_drive(drive.id, draft.snapshot), drive.used_bytes, leaving=moving, marked=marked
            )
            used_then = drive.usable_bytes - draft.free_then_bytes(drive.id)
            then = StripData(drive, draft.on_drive_then(drive.id), used_then, arriving=moving, marked=marked)
            rows.append(BoardRow((now, then), ("now", "   then")) if drive.attached else BoardRow((now,)))
        self.query_one(DriveBoard).show(rows)

    def _show_libraries(self) -> None:
        drive, draft = self.query_one(DriveBoard).drive, self.desk.draft
        if drive is None:
            return
        labels = {drive.id: drive.label for drive in draft.drives}
        here = draft.on_drive_then(drive.id)
        left = [library for library in draft.moving() if library.drive == drive.id]

        wrong = frozenset(library for breach in draft.breaches for library in breach.libraries)

        def note(library: Library) -> str:
            return library_note(draft, self.desk.recommendation, library, drive.id)

        def letters(library: Library) -> str:
            return tether_letters(draft, library) if library.movable else ""

        self.query_one(LibraryTable).show((*here, *left), labels, note, wrong=wrong, tethers=letters)

    def _show_words(self) -> None:
        self._show_beneath()
        library, drive = self._in_hand, self.query_one(DriveBoard).drive
        self.put("#totals", totals(self._preview()))
        applies = (bool(self.desk.hand), bool(self.desk.draft.breaches))
        if applies != self._applies:  # drawing the keys again is slow
            self._applies = applies
            self.refresh_bindings()
        if library is not None and drive is not None:
            many = len(self.desk.hand)
            held = f"{shown(library.name)} is" if many == 1 else f"{many} libraries are"
            it = "it" if many == 1 else "them"
            self.say(f"{held} in your hand: choose a drive with ↑ ↓, Enter puts {it} down, Esc cancels.")
            self.tell(consequence_of_all(self.desk.draft, self.desk.hand, drive.id))
            return
        if not self.is_waiting:
            self.say(plan_screen_headline(self.desk.draft, self.desk.recommendation))
        under = self.query_one(LibraryTable).library
        if under is not None:
            self.tell(cursor_sentence(self.desk.draft, self.desk.recommendation, under))

    def _show_beneath(self) -> None:
        """All moves of the plan; while there are none, how to come by some."""
        beneath, table = self.query_one(Beneath), self.query_one(LibraryTable)
        rows = moves_of_draft(self.desk.draft, self.desk.recommendation)
        if rows:
            beneath.show(f"This plan makes {format_count(len(rows), 'move')}", rows)
        else:
            beneath.show("How to begin", _BEGINNING)
        beneath.share_room(table, table.row_count + 1)

    def on_resize(self, event: events.Resize) -> None:
        super().on_resize(event)
        self.call_after_refresh(self._show_beneath)

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """Keys are shown where they apply."""
        if action == "mend":
            return bool(self.desk.draft.breaches)
        if action == "put_back":
            return bool(self.desk.hand) or self.is_waiting
        return bool(self.desk.hand) if action == "swap" else True

    # -- wishes --------------------------------------------------------------------------------------------

    def action_pin(self) -> None:
        """The library at the cursor stays where it is, or no longer has to."""
        library = self.query_one(LibraryTable).library
        if library is None:
            return
        workspace = self.desk.workspace
        if library.piece is not None:  # a card is of the whole library
            library = self.desk.snapshot.library(library.piece.whole) or library
        card = workspace.survey.card(library.path, self.desk.snapshot.drives)
        try:
            workspace.survey.keep_cards([replace(card, pinned=not card.pinned)], self.desk.snapshot.drives)
        except NuvikError as trouble:
            self.shell.complain(trouble)
            return
        self.desk.take_snapshot(workspace.survey.with_cards(self.desk.snapshot, library.path))
        self.refresh_stage()
        self.notify(f"{shown(library.name)} {'may move again' if card.pinned else 'stays where it is'}.", markup=False)

    def action_forbid(self) -> None:
        """A proposal must not put the library in hand on the drive at the cursor, or may again."""
        library, drive = self._in_hand, self.query_one(DriveBoard).drive
        if library is None or drive is None or drive.id == library.drive:
            self.notify("Pick up a library and choose a drive where it must never go.", severity="warning")
            return
        pair = (library.id, drive.id)
        self.desk.forbidden ^= {pair}
        may = "must not go to" if pair in self.desk.forbidden else "may go to"
        self.notify(f"A proposal: {shown(library.name)} {may} {shown(drive.label)}.", markup=False)

    def action_tethers(self) -> None:
        """Choose what keeps programs finding the library at the cursor once it has moved."""
        library = self._in_hand or self.query_one(LibraryTable).library
        if library is not None:
            from nuvik.tui.screens.tether_choice import TetherChoice

            whole = self.desk.snapshot.library(library.piece.whole) if library.piece else library
            self.app.push_screen(TetherChoice(whole or library, self.desk), lambda _: self.refresh_stage())

    # -- keys ----------------------------------------------------------------------------------------------

    def action_pick_up(self) -> None:
        library = self.query_one(LibraryTable).library
        if library is None:
            return
        if not library.movable:
            self.notify(f"It stays: {library.why_not}.", severity="warning", markup=False)
            return
        self.desk.hand = (library.id,)
        self.refresh_stage()

    def action_put_down(self) -> None:
        library, drive = self._in_hand, self.query_one(DriveBoard).drive
        if library is None or drive is None:
            self.action_pick_up()
            return
        try:
            self.desk.edit(self.desk.draft.put_down_all(self.desk.hand, drive.id))
        except NuvikError as trouble:
            self.shell.complain(trouble)
            return
        self.desk.marked -= set(self.desk.hand)
        self.desk.hand = ()
        self.query_one(LibraryTable).focus()
        self.refresh_stage()

    def action_put_back(self) -> None:
        if self.is_waiting:
            self.stop_waiting()
            return
        self.desk.hand = ()
        self.query_one(LibraryTable).focus()
        self.refresh_stage()

    def action_stay(self) -> None:
        library = self._in_hand or self.query_one(LibraryTable).library
        if library is not None:
            self.desk.hand = ()
            self.desk.edit(self.desk.draft.put_down(library.id, library.drive))
            self.refresh_stage()

    def action_step_back(self) -> None:
        if not self.desk.step_back():
            self.notify("There is nothing to undo.")
        self.refresh_stage()

    def action_step_forward(self) -> None:
        if not self.desk.step_forward():
            self.notify("There is nothing to redo.")
        self.refresh_stage()

    def action_part(self) -> None:
        """The library at the cursor falls into its parts, which can then be put down each on its own."""
        library = self.query_one(LibraryTable).library
        if library is None:
            return
        try:
            self.desk.edit(self.desk.draft.parted(library.id))
        except NuvikError as trouble:
            self.shell.complain(trouble)
            return
        self.refresh_stage()

    def action_next(self) -> None:
        self.shell.go("rehearse")

    # -- what the widgets tell -----------------------------------------------------------------------------

    def on_drive_board_moved(self) -> None:
        self._show_drives()
        if self.desk.in_hand is None:
            self._show_libraries()
        self._show_words()

    @on(DriveBoard.Chosen)
    def _drive_chosen(self) -> None:
        if self.desk.in_hand is not None:
            self.action_put_down()

    @on(LibraryTable.Moved)
    def _moved(self) -> None:
        self._show_drives()
        self._show_words()

    @on(LibraryTable.Chosen)
    def _selected(self) -> None:
        self.action_pick_up()

    def on_descendant_focus(self) -> None:
        self._show_drives()
