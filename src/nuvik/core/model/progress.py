"""How long work in the core is watched and stopped, without knowing who watches."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from nuvik.core.model.errors import StopRequested


class Stop:
    """A token that asks long work to end at its next safe point. May be set from another thread or a signal."""

    def __init__(self) -> None:
        self._asked = threading.Event()
        self._after_step = threading.Event()

    def ask(self) -> None:
        """Stop as soon as it is safe, even within a library."""
        self._asked.set()

    def ask_after_step(self) -> None:
        """Finish the library at hand, then stop."""
        self._after_step.set()

    @property
    def asked(self) -> bool:
        return self._asked.is_set()

    @property
    def asked_after_step(self) -> bool:
        return self._after_step.is_set() or self._asked.is_set()

    def check(self) -> None:
        """Raise StopRequested when somebody asked to stop."""
        if self._asked.is_set():
            raise StopRequested


@dataclass(frozen=True, slots=True)
class Event:
    """A thing that happened while carrying; the lines of `nuvik carry --json` are these.

    `event` is one of step-started, progress, copied, proven, switched, on-trial, released, undone, stopped, done.
    """

    event: str
    n: int = 0
    move: int = 0
    library: str = ""
    done_bytes: int = 0
    total_bytes: int = 0
    detail: dict[str, Any] = field(default_factory=dict)

    @property
    def ends_move(self) -> bool:
        """Whether its move is not at hand any more."""
        return self.event in ("on-trial", "released", "undone", "stopped", "done")


Report = Callable[[Event], None]
"""Called with each event, from the thread that does the work. Must return quickly."""


def silent(event: Event) -> None:
    """A report for callers that do not watch."""


@dataclass(frozen=True, slots=True)
class SurveyProgress:
    """How far a survey has got."""

    folders: int
    entries: int
    bytes: int
    expected_bytes: int
    """What the drives being walked have in use."""
    drive: str = ""
    """The label of the drive of the latest slice."""

    @property
    def share(self) -> float:
        """Between 0 and 1; what is not readable keeps it under 1."""
        return min(1.0, self.bytes / self.expected_bytes) if self.expected_bytes else 0.0


SurveyReport = Callable[[SurveyProgress], None]


def no_report(progress: SurveyProgress) -> None:
    """For callers that do not watch."""


@dataclass(frozen=True, slots=True)
class Watching:
    """How the recording of an opening goes on."""

    seconds: float
    """Since it began."""
    bytes_read: int
    """Of the library's drive, by whomever."""
    waits: bool
    """Nothing was read yet."""


OpeningReport = Callable[[Watching], None]
