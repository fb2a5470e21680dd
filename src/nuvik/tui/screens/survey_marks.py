"""Marking libraries in Survey, and what is done with the marked ones."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from nuvik.core.model.errors import NuvikError
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_count
from nuvik.core.views.library_selection import Marking, marked_by, movable_of
from nuvik.tui.screens.menu import Menu
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.widgets.age_board import AgeBoardView
from nuvik.tui.widgets.library_table import LibraryTable

_MARKINGS = {"a": Marking.ALL, "k": Marking.KIND, "y": Marking.COLD, "i": Marking.INVERT, "n": Marking.NONE}


class MarkingScreen(StageScreen):
    """A stage with libraries listed that can be marked, one or many at a time."""

    @property
    def library_at_cursor(self) -> Library | None:
        """The library at the cursor of the view on show."""
        raise NotImplementedError

    @property
    def view(self) -> LibraryTable | AgeBoardView:
        """The view on show."""
        raise NotImplementedError

    def show_libraries(self) -> None:
        """List them as they are now."""
        raise NotImplementedError

    def action_mark(self) -> None:
        library = self.library_at_cursor
        if library is None or not self.view.has_focus:
            self.notify("Tab goes to the libraries; Space marks the one at the cursor.")
            return
        self.desk.marked ^= {library.id}
        self.show_libraries()
        if isinstance(self.view, LibraryTable):
            self.view.action_move(1)

    def action_working_set(self) -> None:
        """The marked libraries, else the one at the cursor, join those the user really uses, or leave them."""
        libraries = self.desk.snapshot.libraries
        chosen = [library for library in libraries if library.id in self.desk.marked]
        at = self.library_at_cursor
        if not chosen and at is not None and self.view.has_focus:
            chosen = [at]
        if not chosen:
            self.notify("Tab goes to the libraries: w is about the marked ones, or the one at the cursor.")
            return
        joins = not all(library.working_set for library in chosen)
        workspace, paths = self.desk.workspace, {library.path for library in chosen}
        try:
            drives = self.desk.snapshot.drives
            cards = [replace(workspace.survey.card(path, drives), working_set=joins) for path in paths]
            workspace.survey.keep_cards(cards, drives)
        except NuvikError as trouble:
            self.shell.complain(trouble)
            return
        self.desk.take_snapshot(workspace.survey.with_cards(self.desk.snapshot, *paths))
        self.refresh_stage()
        what = format_count(len(chosen), "library", "libraries")
        self.notify(f"{what}: {'marked as really used' if joins else 'no longer marked as really used'}.")

    def action_merge(self) -> None:
        """The marked libraries, which lie in one folder, become one library: that folder."""
        chosen = [library for library in self.desk.snapshot.libraries if library.id in self.desk.marked]
        self.in_background(partial(self.desk.workspace.survey.merge, chosen), self._merged)

    def _merged(self, folder: str) -> None:
        self.notify(f"{shown(folder)} is one library from now on.", markup=False)
        self.shell.survey_job.look_again()

    def action_mark_many(self) -> None:
        title = f"Mark, among the {format_count(len(self.view.listed), 'library', 'libraries')} shown"
        self.app.push_screen(Menu(title, [(key, str(marking)) for key, marking in _MARKINGS.items()]), self._mark_by)

    def _mark_by(self, key: str | None) -> None:
        if key is not None:
            self.desk.marked = marked_by(_MARKINGS[key], self.desk.marked, self.view.listed, self.library_at_cursor)
            self.show_libraries()

    def action_plan(self) -> None:
        chosen = movable_of(self.desk.snapshot.libraries, self.desk.marked)
        if not chosen:
            self.notify("No movable library is marked. Space marks the library at the cursor.", severity="warning")
            return
        self.desk.hand = tuple(library.id for library in chosen)
        self.shell.go("plan")
