"""A sheet of words over a stage, and that of what lies in no library."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import VerticalScroll
from textual.widgets import Static

from nuvik.core.model.clock import ago
from nuvik.core.model.errors import StopRequested
from nuvik.core.model.names import shorten
from nuvik.core.model.progress import Stop
from nuvik.core.model.snapshot import LargeFile
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.views.loose_files import loose_files, old_downloads
from nuvik.core.views.small_things import small_things_words
from nuvik.core.views.unread_words import unread_problems
from nuvik.tui.desk import Desk
from nuvik.tui.screens.over import Over
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.foot import Foot

if TYPE_CHECKING:
    from nuvik.core.survey.twins import Twins

_ROWS, _FEWEST_CELLS, _BESIDE_PATHS_CELLS = 8, 16, 38
"""The last: what a line with a path takes besides the path, with the sheet's borders."""


class Sheet(Over[None]):
    """Words over the stage; closed by any of its keys."""

    BINDINGS = [Binding("escape,q,enter", "dismiss", "close")]
    FOOT = "Esc closes this"

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk

    def compose(self) -> ComposeResult:
        with VerticalScroll(id="page"):
            yield Static(self.words(), id="lines")
            yield Foot(f"\n{self.FOOT}")

    def words(self) -> Text:
        """What stands on it."""
        raise NotImplementedError

    def add_title(self, text: Text, words: str) -> None:
        text.append(f"{words}\n", style=f"bold {palette_of(self.app.theme).accent}")


class LooseSheet(Sheet):
    """What lies in no library, old downloads, and on request what lies on two drives."""

    BINDINGS = [*Sheet.BINDINGS, Binding("d", "twins", "look for files on two drives")]
    FOOT = "d reads large files to find those on two drives · Esc closes this"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._stop = Stop()
        self._twins: list[Twins] | None = None
        self._reading = ""

    def on_unmount(self) -> None:
        self._stop.ask()

    def words(self) -> Text:
        snapshot, text, palette = self.desk.snapshot, Text(), palette_of(self.app.theme)
        self.add_title(text, "In no library")
        if small := small_things_words(snapshot):
            text.append(f"{small} altogether; the largest are listed here.\n", style=palette.quiet)
        for folder in snapshot.loose[:_ROWS]:
            text.append(f"{format_bytes(folder.bytes):>9}  {format_count(folder.files, 'file'):>12}  ")
            text.append(f"{shorten(folder.path, self._path_cells)}\n")
        if not snapshot.loose:
            text.append("Nothing: everything that was found is in a library.\n", style=palette.quiet)
        for title, files in (
            ("Largest files in no library", loose_files(snapshot)),
            ("Downloads unchanged for a year", old_downloads(snapshot)),
        ):
            text.append("\n")
            self.add_title(text, title)
            self._list(text, files)
        if unread := unread_problems(snapshot):
            text.append("\n")
            self.add_title(text, "What could not be read")
            for problem in unread[:_ROWS]:
                text.append(f"{shorten(problem.path, self._path_cells)}: {problem.problem}\n")
            if len(unread) > _ROWS:
                more = format_count(len(unread) - _ROWS, "more folder")
                text.append(f"… and {more}. These belong to the system or to other users.\n", style=palette.quiet)
        text.append("\n")
        self.add_title(text, "On two drives")
        if self._reading:
            text.append(f"{self._reading}\n")
        elif self._twins is None:
            text.append("not searched yet: press d\n", style=palette.quiet)
        elif not self._twins:
            text.append("No large file is on two drives.\n")
        for group in (self._twins or [])[:_ROWS]:
            places = "  =  ".join(shorten(file.path, 44) for file in group.files)
            text.append(f"{format_bytes(group.spare_bytes):>9}  {places}\n")
        return text

    @property
    def _path_cells(self) -> int:
        """What a path may take, so that its line is not broken."""
        return max(_FEWEST_CELLS, min(80, self.app.size.width - _BESIDE_PATHS_CELLS))

    def _list(self, text: Text, files: list[LargeFile]) -> None:
        for file in files[:_ROWS]:
            path = shorten(file.path, self._path_cells)
            text.append(f"{format_bytes(file.bytes):>9}  {ago(file.changed):>12}  {path}\n")
        if not files:
            text.append("none\n", style=palette_of(self.app.theme).quiet)

    def action_twins(self) -> None:
        if not self._reading:
            self._reading = "reading …"
            self._draw()
            self.run_worker(self._find_twins, thread=True, exit_on_error=False)

    def _find_twins(self) -> None:
        try:
            groups = self.desk.workspace.survey.twins(self._report, self._stop)
        except StopRequested:
            return
        self.app.call_from_thread(self._show_twins, groups)

    def _report(self, file: LargeFile, done_bytes: int, total_bytes: int) -> None:
        words = f"reading {shorten(file.path, 60)}: {done_bytes / max(1, total_bytes):.0%}"
        self.app.call_from_thread(partial(self._follow, words))

    def _follow(self, words: str) -> None:
        self._reading = words
        self._draw()

    def _show_twins(self, groups: list[Twins]) -> None:
        self._twins, self._reading = groups, ""
        self._draw()

    def _draw(self) -> None:
        if self.is_mounted:
            self.query_one("#lines", Static).update(self.words())
