"""Recording an opening: the user opens the library outside, and says when it is ready."""

from __future__ import annotations

import threading
from functools import partial
from typing import TYPE_CHECKING, cast

from rich.text import Text
from textual.binding import Binding
from textual.widgets import Static

from nuvik.core.model.errors import NuvikError, StopRequested
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop, Watching
from nuvik.core.model.units import format_bytes, format_duration
from nuvik.core.views.opening_sentences import elsewhere_sentence, recorded_sentence
from nuvik.tui.desk import Desk
from nuvik.tui.screens.sheet import Sheet
from nuvik.tui.theme import palette_of

if TYPE_CHECKING:
    from nuvik.core.model.opening import Recording
    from nuvik.tui.shell import Shell


class RecordSheet(Sheet):
    """While it is open, the opening is watched; Enter says that the library is ready, Esc stops without keeping it."""

    BINDINGS = [Binding("enter", "ready", "it is ready"), Binding("escape,q", "leave", "stop")]
    FOOT = "Enter when it is ready for use · Esc stops, and keeps nothing"

    def __init__(self, library: Library, desk: Desk) -> None:
        super().__init__(desk)
        self._library, self._stop, self._ready = library, Stop(), threading.Event()
        self._begun, self._over = False, False
        self._watching: Watching | None = None
        self._recording: Recording | None = None
        self._trouble = ""

    def on_mount(self) -> None:
        self.run_worker(self._record, thread=True, exit_on_error=False)

    def words(self) -> Text:
        text, palette, name = Text(), palette_of(self.app.theme), shown(self._library.name)
        self.add_title(text, f"How {name} opens")
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        if self._trouble:
            text.append(f"! {self._trouble}\n", style=palette.look)
        elif self._recording is not None:
            text.append(f"{recorded_sentence(self._library, self._recording, labels)}\n", style=palette.text)
            for words in (*self._recording.doubts, elsewhere_sentence(self._recording, labels)):
                text.append(f"{words}\n" if words else "", style=palette.quiet)
            text.append("Its page tells what that means on each drive. Esc closes this.\n", style=palette.quiet)
        elif not self._begun:
            text.append("putting its files out of the system's memory …\n", style=palette.quiet)
        else:
            how = f"Now open {name} as you always do, and press Enter here when it is ready for use.\n"
            text.append(how, style=palette.text)
            text.append("Without Enter, it counts as ready once nothing has been read for a while.\n", palette.quiet)
            if self._watching is not None and not self._watching.waits:
                read, seconds = format_bytes(self._watching.bytes_read), format_duration(self._watching.seconds)
                text.append(f"\n{seconds}, {read} read from its drive\n", style=palette.accent)
        return text

    def action_ready(self) -> None:
        if self._over:
            self.dismiss()
        else:
            self._ready.set()

    def action_leave(self) -> None:
        self._stop.ask()
        self.dismiss()

    def on_unmount(self) -> None:
        self._stop.ask()

    def _record(self) -> None:
        """Beside the sheet, until it is ready or stopped."""
        stage = self.desk.workspace.openings
        try:
            recording = stage.record(
                self._library, (), partial(self._tell, self._opens), self._ready.is_set, self._report, self._stop
            )
        except StopRequested:
            return
        except NuvikError as trouble:
            self._trouble = f"{trouble.what} {trouble.next_step}"
            self._over = True
            self._tell(self._draw)
            return
        self._recording, self._over = recording, True
        self._tell(self._kept)

    def _opens(self) -> None:
        self._begun = True
        self._draw()

    def _report(self, watching: Watching) -> None:
        self._watching = watching
        self._tell(self._draw)

    def _kept(self) -> None:
        self._draw()
        snapshot, survey = self.desk.snapshot, self.desk.workspace.survey
        self.desk.take_snapshot(survey.with_cards(snapshot, self._library.path))
        cast("Shell", self.app).refresh_stage()

    def _tell(self, act: object) -> None:
        if self.is_mounted and callable(act):
            self.app.call_from_thread(act)

    def _draw(self) -> None:
        if self.is_mounted:
            self.query_one("#lines", Static).update(self.words())
