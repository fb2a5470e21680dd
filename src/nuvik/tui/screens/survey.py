"""Survey: the drives, how full they are, and what is on them."""

from __future__ import annotations

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.widgets import DataTable, Input

from nuvik.core.model.library import Library
from nuvik.core.survey.headline import drive_facts, library_facts, survey_headline
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.widgets.drive_board import BoardRow, DriveBoard
from nuvik.tui.widgets.library_table import LibraryTable
from nuvik.tui.widgets.strip import StripData


class SurveyScreen(StageScreen):
    """Drives as strips above, libraries below; the cursor on a drive chooses whose libraries are listed."""

    STAGE = "survey"
    FIRST_FOCUS = "#drives"
    BINDINGS = [
        Binding("tab", "app.focus_next", "drives / libraries"),
        Binding("l,enter", "lift", "lift to plan", key_display="l"),
        Binding("a", "all", "all drives / this one"),
        Binding("i", "page", "about a drive"),
        Binding("n", "app.go('speeds')", "next: speeds", show=False),
        Binding("slash", "find", "find", key_display="/"),
        Binding("escape", "unfind", "clear", show=False),
        Binding("r", "again", "survey again"),
    ]

    def __init__(self) -> None:
        super().__init__()
        self._all_drives = False
        self._wanted = ""

    def body(self) -> ComposeResult:
        yield DriveBoard(id="drives")
        yield Input(placeholder="part of a name; Enter keeps it, Esc clears it", id="find")
        yield LibraryTable(id="libraries")

    def on_mount(self) -> None:
        self.query_one("#find").display = False

    def refresh_stage(self) -> None:
        surveying = self.nuvik.surveying
        if surveying is not None and not self.desk.snapshot.libraries:
            name, done, total = surveying
            self.say(
                f"Measuring what is on the drives: {done} of {total}, {name} …" if total else "Looking at the drives …"
            )
        else:
            self.say(survey_headline(self.desk.snapshot))
        self._show_drives()
        self._show_libraries()

    def _show_drives(self) -> None:
        snapshot, table = self.desk.snapshot, self.query_one(LibraryTable)
        marked = table.library.id if table.library is not None and table.has_focus else None
        rows = [
            BoardRow((StripData(drive, snapshot.on_drive(drive.id), drive.used_bytes, marked=marked),))
            for drive in snapshot.drives
        ]
        self.query_one(DriveBoard).show(rows)

    def _show_libraries(self) -> None:
        snapshot, drive = self.desk.snapshot, self.query_one(DriveBoard).drive
        listed: tuple[Library, ...] = snapshot.libraries
        if not self._all_drives and drive is not None:
            listed = snapshot.on_drive(drive.id)
        if self._wanted:
            listed = tuple(one for one in snapshot.libraries if self._wanted in one.name.casefold())
        labels = {one.id: one.label for one in snapshot.drives}
        self.query_one(LibraryTable).show(listed, labels)
        self._tell()

    def _tell(self) -> None:
        board, table = self.query_one(DriveBoard), self.query_one(LibraryTable)
        if table.has_focus and table.library is not None:
            facts = library_facts(self.desk.snapshot, table.library.id)
            self.tell(f"{facts} · l lifts it: set it down on another drive" if table.library.movable else facts)
        elif board.drive is not None:
            self.tell(f"{drive_facts(board.drive)} · Tab goes to its libraries, l lifts one to move it")

    # -- keys ----------------------------------------------------------------------------------------------

    def action_lift(self) -> None:
        table = self.query_one(LibraryTable)
        library = table.library
        if library is None or (not table.has_focus and self.query_one(DriveBoard).has_focus):
            table.focus()
            return
        self.desk.lifted = library.id if library.movable else None
        if not library.movable:
            self.notify(f"It stays: {library.why_not}.", severity="warning", markup=False)
            return
        self.nuvik.action_go("plan")

    def action_page(self) -> None:
        from nuvik.tui.screens.drive_page import DrivePage

        if (drive := self.query_one(DriveBoard).drive) is not None:
            self.app.push_screen(DrivePage(drive, self.desk))

    def action_all(self) -> None:
        self._all_drives = not self._all_drives
        self._show_libraries()

    def action_find(self) -> None:
        find = self.query_one("#find", Input)
        find.display = True
        find.focus()

    def action_unfind(self) -> None:
        find = self.query_one("#find", Input)
        find.value, find.display = "", False
        self.query_one(LibraryTable).focus()

    def action_again(self) -> None:
        self.nuvik.begin_survey()

    # -- what the widgets tell -----------------------------------------------------------------------------

    @on(Input.Changed, "#find")
    def _find_changed(self, change: Input.Changed) -> None:
        self._wanted = change.value.casefold()
        self._show_libraries()

    @on(Input.Submitted, "#find")
    def _find_kept(self) -> None:
        self.query_one(LibraryTable).focus()

    def on_drive_board_moved(self) -> None:
        self._show_libraries()

    def on_drive_board_chosen(self) -> None:
        self.query_one(LibraryTable).focus()

    def on_data_table_row_highlighted(self) -> None:
        self._show_drives()
        self._tell()

    @on(DataTable.RowSelected)
    def _selected(self) -> None:
        self.action_lift()

    def on_descendant_focus(self) -> None:
        self._show_drives()
        self._tell()
