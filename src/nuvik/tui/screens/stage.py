"""What all stage screens share: the rail of stages, the headline, the line of consequences, and the keys."""

from __future__ import annotations

import logging
import os
import time
from collections.abc import Callable
from functools import partial
from typing import Any, ClassVar, TypeVar, cast

from rich.cells import cell_len
from rich.style import Style
from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.timer import Timer
from textual.widgets import Static

from nuvik.core.model.errors import NuvikError, StopRequested
from nuvik.core.model.names import shorten, shown
from nuvik.tui.desk import Desk
from nuvik.tui.key_words import by_keys
from nuvik.tui.screens.laid_out_once import LaidOutOnce
from nuvik.tui.shell import STAGES, Shell
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.key_line import KeyLine
from nuvik.tui.widgets.pointed_table import POINTER

log = logging.getLogger(__name__)
Result = TypeVar("Result")
SMALLEST = (100, 30)
_TALL = 40
"""From so many lines on, there is room for a whole board of drives beside a list."""


class Rail(Static):
    """The stages, each of which can be clicked."""

    auto_links = False


class StageScreen(LaidOutOnce[None]):
    """A screen that shows a stage's value. Subclasses give `body` and `refresh_stage`."""

    _waits_for: object | None = None
    """What long work is waited for."""
    _waits_since_s = 0.0
    _says = ""
    _ticker: Timer | None = None
    _stop_waiting: Callable[[], None] = staticmethod(lambda: None)

    BINDINGS = [Binding("D", "draw", "drawings", show=False)]
    STAGE: ClassVar[str] = ""
    FIRST_FOCUS: ClassVar[str] = ""

    @property
    def shell(self) -> Shell:
        return cast("Shell", self.app)

    @property
    def desk(self) -> Desk:
        return self.shell.desk

    def compose(self) -> ComposeResult:
        yield Rail(id="rail", markup=False)
        yield Static(id="headline", markup=False)
        with Vertical(id="body"):
            yield from self.body()
        yield Static(id="consequence", markup=False)
        yield KeyLine()
        yield Static(
            f"Nuvik needs a window of {SMALLEST[0]} × {SMALLEST[1]} characters. Please make it larger.",
            id="too-small",
            markup=False,
        )

    def body(self) -> ComposeResult:
        """The stage's own widgets."""
        raise NotImplementedError

    def refresh_stage(self) -> None:
        """Show the desk as it is now."""
        raise NotImplementedError

    def follow(self, happening: str, *details: Any) -> None:
        """A job goes on: `survey`, `gauge`, or `carry` with its event. Most stages need not know."""

    def in_background(self, work: Callable[[], Result], then: Callable[[Result], None], group: str = "") -> None:
        """Do work that may take a while beside the screens, then show its result; a refusal is shown instead. Of one
        group only the latest counts.
        """
        group = group or "default"
        # Without a description Textual writes down the work with all values that it is to be done with.
        self.run_worker(
            partial(self._work, work, then),
            thread=True,
            exit_on_error=False,
            exclusive=True,
            group=group,
            description=group,
        )

    def wait_for(
        self, says: str, work: Callable[[], Result], then: Callable[[Result], None], stop: Callable[[], None] | None
    ) -> None:
        """Do long work beside the screens: the headline says for how long it goes on, and Esc stops it. Work that
        cannot be told to `stop` goes on to its end, and nobody hears of it.
        """
        self._stop_waiting = stop or (lambda: None)
        self._waits_for, self._waits_since_s = object(), time.monotonic()
        mine = self._waits_for
        if self._ticker is None:
            self._ticker = self.set_interval(1.0, self._tick)
        self._says = says
        self.say(f"{says} … Esc stops.")

        def finish(result: Result) -> None:
            if self._waits_for is mine:
                self._end_waiting()
                then(result)

        self.in_background(work, finish, group="long")

    @property
    def is_waiting(self) -> bool:
        """Whether long work goes on."""
        return self._waits_for is not None

    def stop_waiting(self) -> None:
        """Stop long work."""
        self._stop_waiting()
        self._end_waiting()
        self.stopped_waiting()
        self.notify("Stopped: nothing was changed.")

    def stopped_waiting(self) -> None:
        """The user stopped long work: show the stage without it."""
        self.refresh_stage()

    def tick(self, says: str) -> None:
        """Long work says how far it is."""
        self._says = says

    def _tick(self) -> None:
        if self.is_waiting:
            self.say(f"{self._says} … {time.monotonic() - self._waits_since_s:.0f} s. Esc stops.")

    def _end_waiting(self) -> None:
        self._waits_for = None
        if self._ticker is not None:
            self._ticker.stop()
            self._ticker = None

    def _work(self, work: Callable[[], Result], then: Callable[[Result], None]) -> None:
        try:
            result = work()
        except StopRequested:
            return
        except Exception as fault:
            self.app.call_from_thread(self._failed, fault)
            return
        self.app.call_from_thread(self._show_result, then, result)

    def _show_result(self, then: Callable[[Result], None], result: Result) -> None:
        if self.is_mounted:
            then(result)

    def _failed(self, fault: Exception) -> None:
        self._end_waiting()
        if not isinstance(fault, NuvikError):
            log.error("work beside the screen %s failed", self.STAGE, exc_info=fault)
            fault = NuvikError(f"A fault in Nuvik itself: {fault!r}", next_step="Nothing was changed.")
        self.refresh_stage()
        self.shell.complain(fault)

    def action_draw(self) -> None:
        """Choose a drawing, or the report; it is written into the folder at hand, beside the screen."""
        from nuvik.tui.drawing_menu import drawing_choices
        from nuvik.tui.screens.menu import Menu

        self.app.push_screen(Menu("What is to be drawn, as PDF and SVG?", drawing_choices(self.desk)), self._drawn)

    def _drawn(self, key: str | None) -> None:
        from nuvik.tui.drawing_menu import draw_into

        if key is not None:
            self.notify("Drawing …")
            self.in_background(lambda: draw_into(self.desk, key, os.getcwd()), self._written_to, group="drawing")

    def _written_to(self, paths: list[str]) -> None:
        self.notify(f"Written: {' and '.join(shown(path) for path in paths)}", markup=False)

    def show_desk(self) -> None:
        """Draw everything again from the desk."""
        self._draw_rail()
        self.refresh_stage()

    def on_screen_resume(self) -> None:
        self.show_desk()
        if self.FIRST_FOCUS and self.focused is None:
            self.query_one(self.FIRST_FOCUS).focus()

    def on_resize(self, event: events.Resize) -> None:
        small = event.size.width < SMALLEST[0] or event.size.height < SMALLEST[1]
        self.set_class(small, "small")
        self.set_class(event.size.height < _TALL, "short")

    def say(self, headline: str, trouble: bool = False) -> None:
        """Set the headline; one that tells of trouble begins with a mark."""
        self.put("#headline", f"! {headline}" if trouble else headline)
        self.query_one("#headline").set_class(trouble, "trouble")

    def tell(self, consequence: str) -> None:
        """Set the line that tells what pressing the key would change."""
        self.put("#consequence", consequence)

    def put(self, selector: str, words: str) -> None:
        """Let a line say something else. Laying out the screen again is slow: only when the height may change."""
        words, line = by_keys(words), self.query_one(selector, Static)
        before = str(line.content)
        if words != before:
            room = line.content_size.width
            line.update(Text(words), layout=max(cell_len(before), cell_len(words)) > room or not before)

    def _draw_rail(self) -> None:
        palette = palette_of(self.app.theme)
        rail = Text.assemble((" Nuvik ", f"{palette.ground} on {palette.accent}"))
        rail.append("  ")
        for number, stage in enumerate(STAGES, start=1):
            here = stage == self.STAGE
            click = Style(meta={"@click": f"app.go({stage!r})"})
            rail.append(f"{POINTER if here else ' '}{number} ", style=Style(color=palette.accent) + click)
            color = Style(color=palette.text, bold=True, underline=True) if here else Style(color=palette.quiet)
            rail.append(stage.capitalize(), style=color + click)
            if number < len(STAGES):
                rail.append("  → ", style=palette.quiet)
        place = self.desk.snapshot.host
        if self.shell.carry_job.is_running:
            place = "carrying …"
        room = self.size.width - rail.cell_len - 4
        if room > 6:
            rail.append(f"  {shorten(place, room)} ".rjust(room + 4), style=palette.quiet)
        self.query_one("#rail", Static).update(rail)
