"""Choosing what keeps programs finding a library: the settings that hold its path, each on or off."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, TypeVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Input, Static

from nuvik.core.model.errors import NuvikError, StopRequested
from nuvik.core.model.library import Library
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.progress import Stop
from nuvik.core.model.tether import Tether
from nuvik.tui.desk import Desk
from nuvik.tui.screens.over import Over
from nuvik.tui.widgets.tick_box import TickBox

if TYPE_CHECKING:
    from nuvik.core.settings.find_settings import FoundSetting
    from nuvik.core.stages.tethers import TetherRow

Result = TypeVar("Result")
_MOST = 24
"""So many settings are offered at most."""
_FEWEST_CELLS, _BESIDE_WORDS_CELLS = 30, 6
"""What the words of a box may take at least, and what stands beside them."""


class TetherChoice(Over[None]):
    """A box for each setting that is certain to hold the library's path; ticking it changes the library's card."""

    BINDINGS = [Binding("escape,q", "dismiss", "close"), Binding("up,down", "app.focus_next", "other", show=False)]

    def __init__(self, library: Library, desk: Desk) -> None:
        super().__init__()
        self._library, self._desk, self._stop = library, desk, Stop()
        self._in_turn = threading.Lock()
        self._acts: dict[str, Callable[[bool], object]] = {}
        """By the id of each box, what it does when it is ticked or cleared."""

    def compose(self) -> ComposeResult:
        with Vertical(id="card"):
            yield Static(
                f"How programs find {shown(self._library.name)} once it has moved", id="question", markup=False
            )
            yield Static(self._about_link(), classes="quiet", markup=False)
            yield Static("looking through your settings files …", id="looking", classes="quiet", markup=False)
            yield Vertical(id="boxes")
            yield Input(placeholder="a file in it that must be there afterwards, such as saves/last.sav", id="check")
            yield Static("Space ticks or clears · Enter teaches a check · Esc closes this", classes="quiet")

    def _about_link(self) -> str:
        drive = self._desk.snapshot.drive(self._library.drive)
        if drive.rules.symlinks:
            return "A link is left at its old path. Programs that do not follow links need their setting changed, too."
        return f"{shown(drive.label)} holds no links: it can only move when a setting leads programs to its new place."

    def on_mount(self) -> None:
        self.run_worker(self._look, thread=True, exit_on_error=False)

    def on_unmount(self) -> None:
        self._stop.ask()

    def _look(self) -> None:
        stage = self._desk.workspace.tethers
        try:
            rows = [row for row in stage.of(self._library) if row.n]
            settings = stage.find(self._library, self._stop)
        except StopRequested:
            return
        except NuvikError as trouble:
            self.app.call_from_thread(self._say, str(trouble))
            return
        self.app.call_from_thread(self._show, rows, settings)

    def _say(self, words: str) -> None:
        if self.is_mounted:
            self.query_one("#looking", Static).update(words)

    def _show(self, rows: list[TetherRow], settings: list[FoundSetting]) -> None:
        if not self.is_mounted:
            return
        boxes = self.query_one("#boxes", Vertical)
        for row in rows:
            words = f"{row.tether.in_words}  ({row.state})"
            self._add(boxes, words, True, self._switch(row.tether.kind, row.tether.file, row.tether.key))
        certain = [setting for setting in settings if setting.certain][:_MOST]
        for setting in certain:
            kind = "shortcut" if setting.format == "desktop" else "setting"
            words = f"{kind} {setting.key} in {setting.file}"
            self._add(boxes, words, False, self._switch(kind, setting.file, setting.key))
        unsure = len(settings) - sum(setting.certain for setting in settings)
        words = "" if rows or certain else "No settings file of yours is certain to hold its path. "
        if unsure:
            words += f"{unsure} more speak of it, but not for certain: they are left alone."
        self._say(words or "Tick what is to follow it:")
        if self._acts:
            boxes.query(TickBox).first().focus()

    def _add(self, boxes: Vertical, words: str, on_: bool, act: Callable[[bool], object]) -> None:
        name = f"box-{len(self._acts)}"
        self._acts[name] = act
        room = max(_FEWEST_CELLS, boxes.size.width - _BESIDE_WORDS_CELLS)
        boxes.mount(TickBox(shorten(words, room), on_, id=name, compact=True))

    def _switch(self, kind: str, file: str, key: str) -> Callable[[bool], object]:
        """What ticking or clearing a box does to the card."""
        stage, library = self._desk.workspace.tethers, self._library

        def switch(on_: bool) -> object:
            if on_:
                return stage.add(library, kind, file, key)
            tethers = self._desk.workspace.survey.card(library.path).tethers
            numbers = [n for n, tether in enumerate(tethers, start=1) if (tether.file, tether.key) == (file, key)]
            return stage.remove(library, numbers[0]) if numbers else None

        return switch

    @on(Input.Submitted)
    def _teach(self, event: Input.Submitted) -> None:
        """A file that must be there once the library has moved."""
        file, stage = event.value.strip(), self._desk.workspace.tethers

        def taught(check: Tether) -> None:
            event.input.value = ""
            switch = self._switch(check.kind, check.file, check.key)
            self._add(self.query_one("#boxes", Vertical), f"{check.in_words}  (ok)", True, switch)

        if file:
            self._beside(lambda: stage.add(self._library, "check", file), taught)

    @on(TickBox.Changed)
    def _changed(self, event: TickBox.Changed) -> None:
        act = self._acts.get(event.checkbox.id or "")
        if act is not None:
            ticked = event.value
            self._beside(lambda: act(ticked), lambda _: None)

    def _beside(self, work: Callable[[], Result], then: Callable[[Result], None]) -> None:
        """Change the card beside the screen, in turn: settings files may be on a drive that sleeps."""

        def guarded() -> None:
            try:
                with self._in_turn:
                    result = work()
            except NuvikError as trouble:
                self.app.call_from_thread(
                    partial(self.notify, f"{trouble.what} {trouble.next_step}", severity="warning", markup=False)
                )
                return
            self.app.call_from_thread(finish, result)

        def finish(result: Result) -> None:
            self._cards_changed()
            if self.is_mounted:
                then(result)

        self.app.run_worker(guarded, thread=True, exit_on_error=False)

    def _cards_changed(self) -> None:
        workspace = self._desk.workspace
        self._desk.take_snapshot(workspace.survey.with_cards(self._desk.snapshot, self._library.path))
