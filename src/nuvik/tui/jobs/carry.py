"""Carrying beside the screens: moves, resumes, undos and releases, one run at a time."""

from __future__ import annotations

import logging
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING, ClassVar

from nuvik.core.model.errors import NuvikError
from nuvik.core.model.journal import State
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Event, Report, Stop
from nuvik.core.model.units import format_bytes
from nuvik.core.views.event_words import event_words
from nuvik.tui.jobs.base import Job, JobHost
from nuvik.tui.jobs.survey import SurveyJob

if TYPE_CHECKING:
    from nuvik.core.carrying.outcome import Outcome

log = logging.getLogger(__name__)
_REMEMBERED = 50

Act = Callable[[Report, Stop], "Outcome"]
"""A call of the stages Carry or Logbook that moves something."""


@dataclass
class CarryRun:
    """What is being carried now, or was carried last."""

    stop: Stop = field(default_factory=Stop)
    moves: list[int] = field(default_factory=list)
    """The journal's numbers of the moves seen so far."""
    at_hand: dict[int, Event] = field(default_factory=dict)
    """The latest event of each move that is being carried, the first begun first."""
    progress: dict[int, Event] = field(default_factory=dict)
    """The latest progress of each of them."""
    latest: Event | None = None
    releasing: bool = False
    """Whether this run lets kept originals go."""
    ended: str | None = None
    """How it ended, in words; None while it runs."""
    trouble: bool = False
    happened: deque[tuple[str, str]] = field(default_factory=lambda: deque(maxlen=_REMEMBERED))
    """When, and what: the latest events but for progress, oldest first."""

    @property
    def running(self) -> bool:
        return self.ended is None

    @property
    def event(self) -> Event | None:
        """The latest of the move at hand that was begun first; between moves, the latest of all."""
        return next(iter(self.at_hand.values()), self.latest)

    def take(self, event: Event) -> None:
        """Something happened."""
        if words := event_words(event):
            if event.event == "step-started":
                words = f"begins: {format_bytes(event.total_bytes)}"
            self.happened.append((datetime.now().strftime("%H:%M:%S"), f"{shown(event.library)} {words}"))
        self.latest = event
        if event.ends_move:
            self.at_hand.pop(event.move, None)
            self.progress.pop(event.move, None)
        elif event.move:
            self.at_hand[event.move] = event
            if event.event == "progress":
                self.progress[event.move] = event
        if event.move and event.move not in self.moves:
            self.moves.append(event.move)


class CarryJob(Job):
    """`run` is the run under way, or the last."""

    group: ClassVar[str] = "carry"

    def __init__(self, host: JobHost, survey: SurveyJob) -> None:
        super().__init__(host)
        self.run: CarryRun | None = None
        self._survey = survey
        self._afterwards: Callable[[], None] = lambda: None

    @property
    def is_running(self) -> bool:
        return self.run is not None and self.run.running

    @property
    def at_hand(self) -> tuple[int, ...]:
        """The journal's numbers of the moves that are being carried at this moment."""
        return tuple(self.run.at_hand) if self.run is not None and self.run.running else ()

    def begin(self, act: Act, releasing: bool = False) -> None:
        """Move something, or let kept originals go, and go to Carry to watch it. A survey that runs is stopped, and one
        begins afterwards.
        """
        if self.is_running:
            self.host.notify("Something is already being carried. Wait until it is done.", severity="warning")
            return
        self._survey.stop()
        self.run = CarryRun(releasing=releasing)
        self.host.go("carry")
        self.start(partial(self._carry, act, self.run))

    def stop_and(self, then: Callable[[], None]) -> None:
        """Stop at the next safe point, and do something else once that is reached."""
        if self.run is None or not self.run.running:
            then()
            return
        self._afterwards = then
        self.run.stop.ask()

    def _carry(self, act: Act, run: CarryRun) -> None:
        from nuvik.core.views.carry_headline import ended_headline

        try:
            outcome = act(partial(self._report, run), run.stop)
            workspace = self.host.desk.workspace
            on_trial = sum(move.state is State.ON_TRIAL for move in workspace.logbook.open_moves())
            ended, trouble = ended_headline(outcome, workspace.drives.labels(), on_trial), False
        except NuvikError as fault:
            ended, trouble = f"{fault.what} {fault.next_step}", True
        try:
            self.then(self.host.desk.take_snapshot, self.host.desk.workspace.survey.latest())
        except NuvikError:
            log.warning("the plan knows what was carried once you survey again", exc_info=True)
        self.then(self._carried, run, ended, trouble)

    def _report(self, run: CarryRun, event: Event) -> None:
        self.then(self._follow, run, event)

    def _follow(self, run: CarryRun, event: Event) -> None:
        run.take(event)
        self.host.follow("carry", event)

    def _carried(self, run: CarryRun, ended: str, trouble: bool) -> None:
        run.ended, run.trouble = ended, trouble
        self.host.bell()
        self.host.refresh_stage()
        self._survey.begin()
        self._afterwards()

    def broke(self, fault: Exception) -> None:
        if self.run is not None:
            self.run.ended = "A fault in Nuvik itself ended this. In Logbook you can continue it or take it back."
            self.run.trouble = True
        super().broke(fault)
        self._afterwards()
