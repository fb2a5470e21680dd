"""Everything about a drive, on a page over the stage."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, cast

from rich.table import Table
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import VerticalScroll
from textual.widgets import Static

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NuvikError
from nuvik.core.model.gauging import GaugeResult
from nuvik.core.model.guide import Story
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_speed
from nuvik.core.views.away_sentences import without
from nuvik.core.views.drive_page import drive_page
from nuvik.core.views.ejecting_sentences import eject_question
from nuvik.core.views.guide_sentences import STORIES
from nuvik.tui.desk import Desk
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.guide import GuidePage
from nuvik.tui.screens.menu import Menu
from nuvik.tui.screens.over import Over
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.foot import Foot

if TYPE_CHECKING:
    from nuvik.tui.shell import Shell

_HISTORY = 6


class DrivePage(Over[None]):
    """Closed by any of its keys; `e` changes what the user says of the drive."""

    BINDINGS = [
        Binding("escape,i,q,enter,space", "dismiss", "close"),
        Binding("e", "edit", "name, headroom, purpose"),
        Binding("x", "eject", "eject"),
        Binding("w", "guide", "what to do with it"),
    ]

    def __init__(self, drive: Drive, desk: Desk) -> None:
        super().__init__()
        self._drive, self._desk = drive, desk

    def compose(self) -> ComposeResult:
        with VerticalScroll(id="page"):
            yield Static(self._lines(), id="lines")
            come_or_go = "x ejects it" if self._drive.attached else "x attaches it again (in a world)"
            yield Foot(
                f"\ne changes its name, headroom and purpose · {come_or_go} · w leads through what to do with it\n"
                "Esc closes this"
            )

    def _lines(self) -> Table:
        palette, drive, workspace = palette_of(self.app.theme), self._drive, self._desk.workspace
        libraries = sum(library.on_disk_bytes for library in self._desk.snapshot.on_drive(drive.id))
        table = Table.grid(padding=(0, 2))
        table.add_row("", Text(shown(drive.label), style=f"bold {palette.accent}"))
        for name, words in drive_page(
            drive, libraries, workspace.drives.findings(self._desk.snapshot.drives).get(drive.id, [])
        ):
            style = palette.look if name == "look" else palette.text
            table.add_row(Text(name, style=palette.quiet), Text(words, style=style))
        history = workspace.drives.gauge_histories([drive])[drive.id]
        for result in reversed(history[-_HISTORY:] if len(history) > 1 else []):
            table.add_row(
                Text(result.taken_at[:10], style=palette.quiet), Text(_result_words(result), style=palette.quiet)
            )
        return table

    def action_eject(self) -> None:
        """Eject it, after asking; a drive of a world comes back with the same key."""
        if not self._drive.attached:
            self._beside(partial(self._desk.workspace.ejecting.attach, self._drive), "is attached again")
            return
        (row,) = without(self._desk.snapshot, self._drive.id)
        self.app.push_screen(Confirm(eject_question(row), "eject it"), self._answered)

    def _answered(self, agreed: bool | None) -> None:
        if agreed:
            words = "is ejected: the cable may be pulled"
            self._beside(partial(self._desk.workspace.ejecting.eject, self._drive), words)

    def _beside(self, act: Callable[[], object], words: str) -> None:
        """Do it beside the page: programs and drives are asked for it."""
        self.run_worker(partial(self._do, act, words), thread=True, exit_on_error=False)

    def _do(self, act: Callable[[], object], words: str) -> None:
        shell = cast("Shell", self.app)
        try:
            act()
            snapshot = self._desk.workspace.survey.latest()
        except NuvikError as trouble:
            self.app.call_from_thread(shell.complain, trouble)
            return
        self.app.call_from_thread(self._done, snapshot, words)

    def _done(self, snapshot: Snapshot, words: str) -> None:
        self._desk.take_snapshot(snapshot)
        if self.is_mounted:
            self.dismiss()
        cast("Shell", self.app).refresh_stage()
        self.notify(f"{shown(self._drive.label)} {words}.", markup=False)

    def action_guide(self) -> None:
        """Choose a story that leads through several steps."""
        if self._drive.system:
            words = f"{shown(self._drive.label)} holds the system and is in use: nothing has to be done first."
            self.notify(words, markup=False)
            return
        stories = dict(zip("abc", STORIES, strict=True))
        choices = [(key, STORIES[story]) for key, story in stories.items()]
        menu = Menu(f"What is to be done with {shown(self._drive.label)}?", choices)
        self.app.push_screen(menu, lambda key: self._begin(stories[key]) if key else None)

    def _begin(self, story: Story) -> None:
        self.dismiss()
        self.app.push_screen(GuidePage(story, self._drive, self._desk))

    def action_edit(self) -> None:
        from nuvik.tui.screens.drive_card import DriveCard

        self.dismiss()
        self.app.push_screen(DriveCard(self._drive, self._desk, new=False))


def _result_words(result: GaugeResult) -> str:
    write = format_speed(result.write.bytes_per_s) if result.write else "–"
    warmth = f", {result.temperature_c:.0f} °C" if result.temperature_c is not None else ""
    return (
        f"reads {format_speed(result.read.bytes_per_s):>10}  writes {write:>10}  "
        f"{result.small_reads.reads_per_s:>8,.0f} small reads a second{warmth}"
    )
