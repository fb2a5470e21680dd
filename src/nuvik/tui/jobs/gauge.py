"""Measuring drives beside the screens."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import partial
from time import monotonic
from typing import ClassVar

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NuvikError, StopRequested
from nuvik.core.model.gauging import GaugeBudget, GaugeOutcome, GaugeProgress
from nuvik.core.model.progress import Stop
from nuvik.tui.jobs.base import Job, JobHost
from nuvik.tui.jobs.drive_watch import DriveWatch

_BETWEEN_REPORTS_S = 0.1


@dataclass
class Gauging:
    """What is being measured now, or was measured last."""

    stop: Stop = field(default_factory=Stop)
    progress: GaugeProgress | None = None
    curve: list[float] = field(default_factory=list)
    """The speeds of the phase at hand, oldest first."""
    outcomes: list[GaugeOutcome] = field(default_factory=list)
    trouble: str = ""
    running: bool = True

    def advance(self, progress: GaugeProgress) -> None:
        """A new phase or drive begins a new curve."""
        before = self.progress
        if before is None or (before.drive, before.phase) != (progress.drive, progress.phase):
            self.curve = []
        self.curve.append(progress.per_s)
        self.progress = progress


class GaugeJob(Job):
    """One measurement at a time; `run` is the run under way, or the last."""

    group: ClassVar[str] = "gauge"

    def __init__(self, host: JobHost, watch: DriveWatch) -> None:
        super().__init__(host)
        self.run: Gauging | None = None
        self._watch = watch
        self._reported_at_s = 0.0

    @property
    def is_running(self) -> bool:
        return self.run is not None and self.run.running

    def begin(self, budgets: Sequence[GaugeBudget]) -> None:
        """Measure drives, and go to Speeds to watch it."""
        self._begin(lambda: budgets)

    def begin_with(self, drive: Drive) -> None:
        """Measure a drive whose cost nobody has asked for."""
        self._begin(lambda: [self.host.desk.workspace.drives.budget(drive)])

    def _begin(self, budgets: Callable[[], Sequence[GaugeBudget]]) -> None:
        if self.is_running:
            self.host.notify("A drive is already being measured. Wait until it is done.", severity="warning")
            return
        self.run = Gauging()
        self.host.go("speeds")
        self.start(partial(self._gauge, budgets, self.run))

    def _gauge(self, budgets: Callable[[], Sequence[GaugeBudget]], run: Gauging) -> None:
        try:
            run.outcomes = self.host.desk.workspace.drives.gauge(budgets(), partial(self._advance, run), run.stop)
        except StopRequested:
            run.trouble = "Stopped as asked; the test file is removed, and this measurement was not kept."
        except NuvikError as trouble:
            run.trouble = f"{trouble.what} {trouble.next_step}"
        self.then(self._gauged, run)

    def _advance(self, run: Gauging, progress: GaugeProgress) -> None:
        now_s = monotonic()
        if now_s - self._reported_at_s >= _BETWEEN_REPORTS_S:
            self._reported_at_s = now_s
            self.then(self._follow, run, progress)

    def _follow(self, run: Gauging, progress: GaugeProgress) -> None:
        run.advance(progress)
        self.host.follow("gauge")

    def _gauged(self, run: Gauging) -> None:
        run.running = False
        self._watch.look_again()
        self.host.refresh_stage()

    def broke(self, fault: Exception) -> None:
        if self.run is not None:
            self.run.trouble, self.run.running = "A fault in Nuvik itself ended this measurement.", False
        super().broke(fault)
