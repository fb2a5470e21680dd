"""Survey: the drives, how full they are, and what is on them."""

from __future__ import annotations

import os
from dataclasses import replace
from functools import partial
from typing import Any

from textual import events, on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.widgets import Input, Static

from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_count
from nuvik.core.views.age_board import big_and_cold_in_words
from nuvik.core.views.carry_headline import first_of_all
from nuvik.core.views.drive_page import drive_page
from nuvik.core.views.first_step import first_drive, first_step
from nuvik.core.views.library_page import inside_lines, library_page
from nuvik.core.views.library_selection import (
    Choice,
    Only,
    Order,
    marked_in_words,
    working_set_in_words,
)
from nuvik.core.views.small_things import small_things_words
from nuvik.core.views.status_sentences import Matter, matters, status_headline
from nuvik.core.views.survey_headline import (
    drive_facts,
    library_facts,
    little_is_known,
    survey_headline,
    surveying_words,
)
from nuvik.tui.screens.menu import Menu
from nuvik.tui.screens.survey_marks import MarkingScreen
from nuvik.tui.widgets.age_board import AgeBoardView
from nuvik.tui.widgets.beneath import Beneath
from nuvik.tui.widgets.drive_board import BoardRow, DriveBoard
from nuvik.tui.widgets.library_table import LibraryTable
from nuvik.tui.widgets.strip import StripData

_PROPOSES = "Press 3, then a: Nuvik proposes moves."
_MAP = "Most data is in no library: press d to say which folders are."
_ONLY = {
    "1": Only.ALL,
    "2": Only.COLD,
    "3": Only.HIDDEN,
    "4": Only.MOVABLE,
    "5": Only.STAYS,
    "6": Only.WORKING_SET,
    "7": Only.MARKED,
}


_IN_HEADLINE = ("short", "unfinished")
"""Matters that the headline of Survey is about."""


class SurveyScreen(MarkingScreen):
    """Drives as strips above, libraries below, as a list or on the board of size against last use.

    The cursor on a drive chooses whose libraries are listed.
    """

    STAGE = "survey"
    FIRST_FOCUS = "#drives"
    BINDINGS = [
        Binding("tab", "app.focus_next", "switch"),
        Binding("enter", "open", "open", key_display="Enter"),
        Binding("space", "mark", "mark"),
        Binding("m", "mark_many", "many"),
        Binding("p", "plan", "plan"),
        Binding("l", "pick_up", "pick up"),
        Binding("b", "board", "board"),
        Binding("f", "filter", "filter"),
        Binding("slash", "find", "find", key_display="/"),
        Binding("d", "map", "folders"),
        Binding("g", "changes", "changes"),
        Binding("o", "loose", "loose"),
        Binding("r", "again", "again", show=False),
        Binding("M", "merge", "merge", show=False),
        Binding("w", "working_set", "really used", show=False),
        Binding("s", "order", "order", show=False),
        Binding("a", "all", "all drives / one", show=False),
        Binding("x", "export", "export", show=False),
        Binding("i", "page", "about a drive", show=False),
        Binding("h", "status", "how things stand", show=False),
        Binding("n", "app.go('speeds')", "next: speeds", show=False),
        Binding("escape", "unfind", "clear", show=False),
    ]

    def __init__(self) -> None:
        super().__init__()
        self._choice = Choice()
        self._all_drives = False
        self._on_board = False
        self._begins_on: str | None = ""
        """The drive on which the cursor was put at the beginning: its id; None once that is over."""

    def body(self) -> ComposeResult:
        yield DriveBoard(id="drives")
        yield Input(placeholder="part of a name or path; Enter keeps the filter, Esc clears it", id="find")
        yield Static(id="choice", markup=False)
        yield LibraryTable(id="libraries")
        yield Beneath(id="beneath")
        yield AgeBoardView(id="ages")

    def on_mount(self) -> None:
        self.query_one("#find").display = self.query_one("#ages").display = False
        self.in_background(lambda: matters(self.desk.workspace.watching.status()), self._say_matters, group="status")

    def _say_matters(self, every: list[Matter]) -> None:
        """At the start: whether something needs a decision that the headline does not say."""
        if any(matter.asks and matter.kind not in _IN_HEADLINE for matter in every):
            self.notify(f"{status_headline(every)} h lists what.", markup=False)

    # -- what is shown -------------------------------------------------------------------------------------

    def refresh_stage(self) -> None:
        self._say_how_it_stands()
        self._show_drives()
        beginning = self._begin_where_it_matters()
        self.show_libraries()
        if beginning:
            self.query_one(LibraryTable).action_end(-1)

    def _begin_where_it_matters(self) -> bool:
        """Until the first survey is over, or the user moves, the cursor is where it matters most."""
        board, table = self.query_one(DriveBoard), self.query_one(LibraryTable)
        drive = first_drive(self.desk.snapshot)
        if self._begins_on is None or drive is None or board.drive is None:
            return False
        if self._begins_on not in ("", board.drive.id) or table.cursor_row > 0:
            self._begins_on = None
            return False
        board.point_at(drive.id)
        self._begins_on = drive.id if self.shell.survey_job.progress is not None else None
        return True

    def follow(self, happening: str, *details: Any) -> None:
        if happening == "survey":
            self._say_how_it_stands()

    def _say_how_it_stands(self) -> None:
        progress, snapshot = self.shell.survey_job.progress, self.desk.snapshot
        if progress is not None:
            self.say(surveying_words(snapshot, progress) + (" r stops it." if progress.entries else ""))
            return
        step = first_step(snapshot)
        earlier = first_of_all(self.desk.workspace.logbook.open_moves(), self.shell.carry_job.at_hand)
        words = [
            earlier,
            survey_headline(snapshot),
            step,
            _PROPOSES if step else "",
            _MAP if little_is_known(snapshot) else "",
        ]
        self.say(" ".join(filter(None, words)))

    @property
    def library_at_cursor(self) -> Library | None:
        """The library at the cursor of the view on show."""
        return self.query_one(AgeBoardView).library if self._on_board else self.query_one(LibraryTable).library

    @property
    def view(self) -> LibraryTable | AgeBoardView:
        return self.query_one(AgeBoardView) if self._on_board else self.query_one(LibraryTable)

    def _show_drives(self) -> None:
        snapshot, view = self.desk.snapshot, self.view
        marked = view.library.id if view.library is not None and view.has_focus else None
        rows = [
            BoardRow((StripData(drive, self.desk.on_drive(drive.id), drive.used_bytes, marked=marked),))
            for drive in snapshot.drives
        ]
        self.query_one(DriveBoard).show(rows)

    def show_libraries(self) -> None:
        snapshot, drive, marked = self.desk.snapshot, self.query_one(DriveBoard).drive, self.desk.marked
        one_drive = None if self._all_drives or self._on_board or drive is None else drive.id
        listed = replace(self._choice, drive=one_drive).of(snapshot.libraries, marked)
        labels = {drive.id: drive.label for drive in snapshot.drives}
        if self._on_board:
            self.query_one(AgeBoardView).show(listed, marked)
        else:
            self.query_one(LibraryTable).show(listed, labels, marked=marked)
        words = self._choice.in_words(len(listed), len(snapshot.libraries))
        if one_drive is not None and drive is not None and not self._choice.text:
            words = f"on {shown(drive.label)}: {words}"
        if self._choice == Choice() and (small := small_things_words(snapshot, one_drive)):
            words += f" · {small} (o)"
        if self._choice.only is Only.WORKING_SET:
            words += f" · {working_set_in_words(snapshot.libraries)}"
        if self._on_board:
            words += f" · {big_and_cold_in_words(self.query_one(AgeBoardView).board)}"
        if chosen := marked_in_words(snapshot.libraries, marked):
            words += f" · {chosen}: p takes them to Plan"
        self.query_one("#choice", Static).update(words)
        self._tell()

    def _show_beneath(self) -> None:
        """More of the drive or the library at the cursor, where the list leaves room."""
        beneath, table, library = self.query_one(Beneath), self.query_one(LibraryTable), self.library_at_cursor
        board = self.query_one(DriveBoard)
        if self._on_board:
            beneath.show("", ())
        elif board.drive is not None and (library is None or board.has_focus):
            held = sum(library.on_disk_bytes for library in self.desk.snapshot.on_drive(board.drive.id))
            beneath.show(shown(board.drive.label), drive_page(board.drive, held, list(board.drive.findings)))
        elif library is not None:
            rows = [*library_page(library, self.desk.snapshot)]
            folder = self.desk.workspace.survey.seen_folder(library.path)
            beneath.show(shown(library.name), [*rows, *inside_lines(folder)] if folder is not None else rows)
        beneath.share_room(table, table.row_count + 1)

    def on_resize(self, event: events.Resize) -> None:
        super().on_resize(event)
        self.call_after_refresh(self._show_beneath)

    def _tell(self) -> None:
        self._show_beneath()
        board, library = self.query_one(DriveBoard), self.library_at_cursor
        if self.view.has_focus and library is None:
            self.tell("No library is listed here. Esc shows all of this drive again, Tab goes to the drives.")
        elif self.view.has_focus and library is not None:
            facts = library_facts(self.desk.snapshot, library.id)
            self.tell(f"{facts} · l picks it up to put it on another drive" if library.movable else facts)
        elif board.drive is not None:
            self.tell(f"{drive_facts(board.drive)} · i shows details, Tab goes to its libraries")

    # -- keys: one library ---------------------------------------------------------------------------------

    def action_open(self) -> None:
        from nuvik.tui.screens.library_page import LibraryPage

        if self.query_one(DriveBoard).has_focus:
            self.view.focus()
        elif (library := self.library_at_cursor) is not None:
            self.app.push_screen(LibraryPage(library, self.desk))

    def action_pick_up(self) -> None:
        library = self.library_at_cursor
        if library is None or self.query_one(DriveBoard).has_focus:
            self.view.focus()
            return
        if not library.movable:
            self.notify(f"It stays: {library.why_not}.", severity="warning", markup=False)
            return
        self.desk.hand = (library.id,)
        self.shell.go("plan")

    # -- keys: what is listed ------------------------------------------------------------------------------

    def action_filter(self) -> None:
        kinds = {library.kind for library in self.desk.snapshot.libraries}
        choices = [(key, str(only)) for key, only in _ONLY.items()]
        choices += [(kind.letter.lower(), f"kind {kind}") for kind in Kind if kind in kinds]
        self.app.push_screen(Menu("Show only", choices), self._filter_by)

    def _filter_by(self, key: str | None) -> None:
        if key in _ONLY:
            kind = None if key == "1" else self._choice.kind
            self._choice = replace(self._choice, only=_ONLY[key], kind=kind)
        elif key is not None:
            self._choice = replace(self._choice, kind=next(kind for kind in Kind if kind.letter.lower() == key))
        self._all_drives = self._all_drives or key is not None
        self.show_libraries()

    def action_order(self) -> None:
        orders = list(Order)
        order = orders[(orders.index(self._choice.order) + 1) % len(orders)]
        self._choice = replace(self._choice, order=order)
        self.show_libraries()

    def action_export(self) -> None:
        """Under a name that is free: what was written before stays."""
        stage, snapshot, listed = self.desk.workspace.survey, self.desk.snapshot, self.view.listed

        def write() -> str:
            stem = stage.free_export(os.getcwd())
            for ending in (".csv", ".json"):
                stage.save(snapshot, listed, stem + ending)
            return stem

        self.in_background(write, partial(self._written, len(listed)), group="export")

    def _written(self, count: int, stem: str) -> None:
        many = format_count(count, "library", "libraries")
        self.notify(f"{many} written to {shown(stem)}.csv and .json", markup=False)

    # -- keys: views ---------------------------------------------------------------------------------------

    def action_board(self) -> None:
        before, had_focus = self.library_at_cursor, self.view.has_focus
        self._on_board = not self._on_board
        # Not by a class of the screen, for which every widget on it would be styled again.
        self.query_one("#ages").display = self._on_board
        self.query_one("#libraries").display = self.query_one(DriveBoard).display = not self._on_board
        self.show_libraries()
        if before is not None:
            self.view.point_at(before.id)
        if had_focus or self._on_board:
            self.view.focus()

    def action_all(self) -> None:
        self._all_drives = not self._all_drives
        self.show_libraries()

    def action_find(self) -> None:
        find = self.query_one("#find", Input)
        find.display, self.query_one("#choice").display = True, False  # in its place, so that nothing moves
        find.focus()

    def action_unfind(self) -> None:
        find = self.query_one("#find", Input)
        find.value, find.display, self.query_one("#choice").display = "", False, True
        self._choice = Choice(order=self._choice.order)
        self.show_libraries()
        (self.view if self.view.listed else self.query_one(DriveBoard)).focus()

    def action_page(self) -> None:
        from nuvik.tui.screens.drive_page import DrivePage

        if (drive := self.query_one(DriveBoard).drive) is not None:
            self.app.push_screen(DrivePage(drive, self.desk))

    def action_status(self) -> None:
        from nuvik.tui.screens.status import StatusSheet

        self.app.push_screen(StatusSheet(self.desk))

    def action_map(self) -> None:
        from nuvik.tui.screens.folder_map import FolderMap

        if not self.desk.workspace.survey.trees:
            self.notify("The folders are known once they are surveyed: r surveys now.", severity="warning")
            return
        self.app.push_screen(FolderMap(self.desk), lambda changed: self.refresh_stage() if changed else None)

    def action_changes(self) -> None:
        from nuvik.tui.screens.changes_sheet import ChangesSheet

        self.app.push_screen(ChangesSheet(self.desk))

    def action_loose(self) -> None:
        from nuvik.tui.screens.sheet import LooseSheet

        self.app.push_screen(LooseSheet(self.desk))

    def action_again(self) -> None:
        if self.shell.survey_job.progress is not None:
            self.shell.survey_job.stop()
        else:
            self.shell.survey_job.begin()

    # -- what the widgets tell -----------------------------------------------------------------------------

    @on(Input.Changed, "#find")
    def _find_changed(self, change: Input.Changed) -> None:
        self._choice = replace(self._choice, text=change.value)
        self.show_libraries()

    @on(Input.Submitted, "#find")
    def _find_kept(self) -> None:
        self.view.focus()

    def on_drive_board_moved(self) -> None:
        if not self._on_board:
            self.show_libraries()
        self._tell()

    def on_drive_board_chosen(self) -> None:
        self.view.focus()

    @on(LibraryTable.Moved)
    @on(AgeBoardView.Moved)
    def _moved(self) -> None:
        self._show_drives()
        self._tell()

    @on(LibraryTable.Chosen)
    @on(AgeBoardView.Chosen)
    def _chosen(self) -> None:
        self.action_open()

    def on_descendant_focus(self) -> None:
        self._show_drives()
        self._tell()
