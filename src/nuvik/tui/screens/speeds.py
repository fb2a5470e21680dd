"""Speeds: how fast each drive really is, what that means in seconds, and what another drive would buy."""

from __future__ import annotations

import os
from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING, Any

from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.widgets import Static

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NuvikError
from nuvik.core.model.library import Library
from nuvik.core.model.names import padded, shorten, shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_duration, format_speed
from nuvik.core.views.opening_times import mark_of, opening_times, telling_libraries
from nuvik.core.views.purchase_sentences import verdict_sentence
from nuvik.core.views.speeds_headline import gauged_headline, gauging_headline, speeds_headline
from nuvik.drawing.palette import Palette
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.drive_page import DrivePage
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.shell import stage_key
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.speed_chart import SpeedChart
from nuvik.tui.widgets.traffic import TrafficPanel, curve

if TYPE_CHECKING:
    from nuvik.core.model.gauging import GaugeBudget
    from nuvik.core.planning.buying.purchases import PurchaseVerdict

_NAME_CELLS, _DRIVE_CELLS, _CURVE_CELLS = 24, 10, 40
_BUY_CELLS, _MOST_SHOWN, _SIDE_BY_SIDE = 30, 3, 136


class SpeedsScreen(StageScreen):
    """The chart above; below, what speed means for the user's own libraries, and what could be bought."""

    STAGE = "speeds"
    FIRST_FOCUS = "#speeds"
    BINDINGS = [
        Binding("g", "gauge", "measure this drive"),
        Binding("G", "gauge_all", "measure all"),
        Binding("s", "sustained", "measure longer"),
        Binding("x", "stop", "stop", show=False),
        Binding("i", "page", "details"),
        Binding("n", "app.go('plan')", "next: plan"),
    ]

    def __init__(self) -> None:
        super().__init__()
        self._findings: dict[str, list[str]] = {}
        self._verdicts: list[PurchaseVerdict] = []
        self._trouble = ""
        self._judged: tuple[Snapshot | None, float] = (None, 0.0)
        """The snapshot and the candidates file of which the verdicts are."""
        self._reckoning = True
        self._telling: tuple[Snapshot | None, list[Library]] = (None, [])
        """A snapshot, and those of its libraries that show what speed means."""

    def body(self) -> ComposeResult:
        yield SpeedChart(id="speeds")
        yield TrafficPanel(self.desk.workspace.drives.traffic, id="traffic")
        with Horizontal(id="below"):
            with Vertical(id="meaning-box"):
                yield Static(id="meaning", markup=False)
            with Vertical(id="buy-box"):
                yield Static(id="buy", markup=False)

    def on_resize(self, event: events.Resize) -> None:
        """In a narrow window the two boxes stand one below the other."""
        super().on_resize(event)
        self.set_class(event.size.width < _SIDE_BY_SIDE, "narrow")
        if self.is_mounted:
            self._show_cursor()

    def refresh_stage(self) -> None:
        stage, drives = self.desk.workspace.drives, self.desk.snapshot.drives
        self._findings = stage.findings(drives)
        path = stage.candidates_path
        written = os.path.getmtime(path) if os.path.exists(path) else 0.0
        if self._judged[0] is not self.desk.snapshot or self._judged[1] != written:  # once, in the background
            self._judged = (self.desk.snapshot, written)
            self.in_background(self._judge, self._take_verdicts, group="verdicts")
        self.query_one(SpeedChart).show(drives)
        self._say()
        self._show_cursor()

    def _judge(self) -> tuple[list[PurchaseVerdict], str]:
        """What each candidate would save, or what is wrong with the file of candidates."""
        try:
            return self.desk.workspace.drives.verdicts(), ""
        except NuvikError as trouble:
            return [], f"{trouble.what} {trouble.next_step}"

    def _take_verdicts(self, judged: tuple[list[PurchaseVerdict], str]) -> None:
        (self._verdicts, self._trouble), self._reckoning = judged, False
        self.query_one("#buy", Static).update(self._buy())

    def on_screen_suspend(self) -> None:
        """How a measurement ended was seen; from now on the headline is about the drives again."""
        if (
            self.shell.gauge_job.run is not None
            and not self.shell.gauge_job.run.running
            and self.app.screen is not self
        ):
            self.shell.gauge_job.run = None

    def follow(self, happening: str, *details: Any) -> None:
        if happening != "gauge":
            return
        self._say()
        if self.shell.gauge_job.run is not None and self.shell.gauge_job.run.running:
            self._tell_curve()

    # -- what is shown -------------------------------------------------------------------------------------

    def _say(self) -> None:
        gauging, labels = self.shell.gauge_job.run, {drive.id: drive.label for drive in self.desk.snapshot.drives}
        trouble = False
        if gauging is None:
            drives = self.desk.snapshot.drives
            self.say(speeds_headline(drives, self.desk.workspace.drives.gauge_histories(drives)))
        elif gauging.running:
            progress = gauging.progress
            self.say(gauging_headline(progress, labels.get(progress.drive, "") if progress else ""))
        else:
            trouble = gauging.trouble != "" or any(outcome.result is None for outcome in gauging.outcomes)
            self.say(gauging.trouble or gauged_headline(gauging.outcomes, labels))
        self.query_one("#headline").set_class(trouble, "trouble")

    def _tell_curve(self) -> None:
        gauging = self.shell.gauge_job.run
        if gauging is not None and gauging.curve:
            row = curve(gauging.curve, max(gauging.curve), _CURVE_CELLS)
            phase = gauging.progress.phase if gauging.progress else ""
            self.tell(f"{phase:<12}{row}  x stops, and the test file is removed")

    def _show_cursor(self) -> None:
        drive = self.query_one(SpeedChart).drive
        if drive is None:
            return
        others = [drive for drive in self.desk.snapshot.drives if drive.attached]
        beside = next((other for other in others if other.system and other.id != drive.id), None)
        beside = beside or next((other for other in others if other.id != drive.id), None)
        watched = [drive for drive in (drive, beside) if drive is not None and drive.attached]
        self.query_one(TrafficPanel).watch_drives(watched)
        self.query_one("#meaning", Static).update(self._meaning(drive))
        self.query_one("#buy", Static).update(self._buy())
        self._tell_drive(drive)

    def _tell_drive(self, drive: Drive) -> None:
        """What measuring it would cost; whether it may be written to, it has to be asked itself."""

        def cost() -> str:
            try:
                return f"g on {shown(drive.label)} {self.desk.workspace.drives.budget(drive).in_words()}"
            except NuvikError as trouble:
                return f"{trouble.what} {trouble.next_step}"

        self.in_background(cost, self.tell, group="budget")

    def _meaning(self, here: Drive) -> Text:
        """Seconds to open the user's largest often-opened libraries, from each drive."""
        palette, snapshot = palette_of(self.app.theme), self.desk.snapshot
        if self._telling[0] is not snapshot:
            self._telling = snapshot, telling_libraries(snapshot.libraries)
        libraries = self._telling[1]
        text = _titled("What speed means here: seconds to open, from each drive", palette)
        if not libraries:
            return text + Text(
                f"No libraries are known yet: {stage_key('survey')} goes to Survey.", style=palette.quiet
            )
        width = self.size.width if self.has_class("narrow") else self.size.width // 2
        drives = _fitting(snapshot.drives, here, (width - _NAME_CELLS - 4) // _DRIVE_CELLS)
        text.append(" " * _NAME_CELLS)
        for drive in drives:
            style = f"bold {palette.accent}" if drive.id == here.id else palette.quiet
            text.append(f"{shorten(drive.label, _DRIVE_CELLS - 1):>{_DRIVE_CELLS}}", style=style)
        for library in libraries:
            name = f"{mark_of(library)} {shorten(library.name, _NAME_CELLS - 3)}"
            text.append(f"\n{padded(name, _NAME_CELLS)}", style=palette.text)
            times = opening_times(library, drives)
            for drive in drives:
                stands = drive.id == library.drive
                seconds = times[drive.id]
                words = f"{'▸' if stands else ''}{seconds:,.{1 if seconds < 10 else 0}f} s"
                text.append(f"{words:>{_DRIVE_CELLS}}", style=f"bold {palette.text}" if stands else palette.quiet)
        text.append("\n▸ where it is now   ● recorded   ○ timed   · assumed by its kind", style=palette.quiet)
        if findings := self._findings.get(here.id):
            text.append(f"\n\nAbout {shown(here.label)}", style=f"bold {palette.text}")
            for finding in findings:
                text.append(f"\n· {finding}", style=palette.text)
        return text

    def _buy(self) -> Text:
        palette = palette_of(self.app.theme)
        text = _titled("What you could buy, and what it would really bring", palette)
        if self._trouble:
            return text + Text(self._trouble, style=palette.look)
        if self._reckoning:
            return text + Text("working out what each would save …", style=palette.quiet)
        if not self._verdicts:
            where = shown(self.desk.workspace.drives.candidates_path)
            return text + Text(f"Write candidates into {where}; docs/candidates.md shows how.", style=palette.quiet)
        text.append(f"{'':{_BUY_CELLS}}{'per TB':>12}{'reads':>13}{'saves a week':>14}", style=palette.quiet)
        for verdict in self._verdicts:
            candidate = verdict.candidate
            text.append(f"\n{padded(shorten(candidate.label, _BUY_CELLS - 1), _BUY_CELLS)}", style=palette.text)
            per_tb = candidate.price_per_tb
            words = f"{'–':>8}    " if per_tb is None else f"{per_tb:>8,.0f} {candidate.currency:<3}"
            text.append(words, style=palette.quiet)
            text.append(
                f"{'! ' * candidate.is_held_back + format_speed(candidate.read_bytes_per_s):>13}",
                style=palette.look if candidate.is_held_back else palette.text,
            )
            text.append(f"{format_duration(verdict.saves_s_per_week):>14}", style=palette.text)
        text.append("\n! its case or port is slower than the drive itself\n", style=palette.quiet)
        for verdict in self._verdicts[:_MOST_SHOWN]:
            text.append(f"\n· {verdict_sentence(verdict)}", style=palette.text)
        return text

    # -- keys ----------------------------------------------------------------------------------------------

    def on_speed_chart_moved(self) -> None:
        self._show_cursor()

    def action_page(self) -> None:
        drive = self.query_one(SpeedChart).drive
        if drive is not None:
            self.app.push_screen(DrivePage(drive, self.desk))

    def action_gauge(self) -> None:
        drive = self.query_one(SpeedChart).drive
        self._ask([drive] if drive is not None else [])

    def action_sustained(self) -> None:
        drive = self.query_one(SpeedChart).drive
        self._ask([drive] if drive is not None else [], sustained=True)

    def action_gauge_all(self) -> None:
        self._ask([drive for drive in self.desk.snapshot.drives if drive.attached])

    def action_stop(self) -> None:
        if self.shell.gauge_job.run is not None and self.shell.gauge_job.run.running:
            self.shell.gauge_job.run.stop.ask()

    def _ask(self, drives: Sequence[Drive], sustained: bool = False) -> None:
        """Say what it will cost, and begin when the user agrees."""

        def cost() -> list[GaugeBudget]:
            return [self.desk.workspace.drives.budget(drive, sustained=sustained) for drive in drives]

        self.in_background(cost, partial(self._agree, {drive.id: drive.label for drive in drives}), group="budgets")

    def _agree(self, labels: dict[str, str], budgets: list[GaugeBudget]) -> None:
        if not budgets:
            return
        question = "\n".join(f"{shown(labels[budget.drive])}: {budget.in_words()}." for budget in budgets)
        agreed = f"Measure {len(budgets)} drives?\n{question}" if len(budgets) > 1 else f"Measure it?\n{question}"
        self.app.push_screen(
            Confirm(agreed, "measure"), lambda yes: self.shell.gauge_job.begin(budgets) if yes else None
        )


def _titled(title: str, palette: Palette) -> Text:
    return Text.assemble((f"{title}\n", f"bold {palette.text}"))


def _fitting(drives: Sequence[Drive], here: Drive, room: int) -> list[Drive]:
    """As many drives as have room, the one at the cursor always among them."""
    shown_drives = list(drives[: max(1, room)])
    if here not in shown_drives:
        shown_drives[-1] = here
    return shown_drives
