"""What every job shares: it works in a thread of its own and comes back to the screens with the result."""

from __future__ import annotations

import logging
from collections.abc import Callable
from functools import partial
from typing import Any, ClassVar, Literal, Protocol

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NuvikError
from nuvik.tui.desk import Desk

Severity = Literal["information", "warning", "error"]
log = logging.getLogger(__name__)


class JobHost(Protocol):
    """What jobs ask of the application."""

    desk: Desk
    at_rest: Callable[[], None]
    """To be called, beside the screens, when long work has brought much that will stay."""

    def run_worker(
        self, work: Callable[[], None], *, group: str, description: str, exit_on_error: bool, thread: bool
    ) -> Any: ...

    def call_from_thread(self, callback: Callable[..., Any], *args: Any) -> Any: ...

    def notify(
        self, message: str, *, severity: Severity = ..., timeout: float | None = ..., markup: bool = ...
    ) -> None: ...

    def go(self, stage: str) -> None:
        """Go to a stage."""
        ...

    def bell(self) -> None:
        """Ring the terminal's bell."""
        ...

    def refresh_stage(self) -> None:
        """Let the stage on view show the desk again."""
        ...

    def follow(self, happening: str, *details: Any) -> None:
        """Let the stage on view hear of work that goes on: `survey`, `judged`, `gauge` or `carry`."""
        ...

    def complain(self, trouble: NuvikError) -> None:
        """Show a refusal: what happened and what to do next."""
        ...

    def greet(self, drive: Drive) -> None:
        """Ask about a drive that is new here."""
        ...


class Job:
    """A kind of long work."""

    group: ClassVar[str] = ""

    def __init__(self, host: JobHost) -> None:
        self.host = host

    def start(self, work: Callable[[], None]) -> None:
        """Do the work in a thread of its own."""
        # Without a description Textual writes down the work with all values that it is to be done with.
        self.host.run_worker(
            partial(self._guarded, work), thread=True, group=self.group, description=self.group, exit_on_error=False
        )

    def _guarded(self, work: Callable[[], None]) -> None:
        """A fault of our own must not leave the screens waiting for ever."""
        try:
            work()
        except Exception as fault:
            if not isinstance(fault, NuvikError):
                log.exception("the job %s failed", self.group)
            self.then(self.broke, fault)

    def then(self, act: Callable[..., None], *arguments: Any) -> None:
        """From the job's thread: let the screens do something."""
        self.host.call_from_thread(act, *arguments)

    def broke(self, fault: Exception) -> None:
        """A refusal that nobody expected, or a fault of our own, ended the work; subclasses put their state right
        first.
        """
        if isinstance(fault, NuvikError):
            self.host.complain(fault)
        else:
            self.host.notify(f"A fault in Nuvik itself: {fault!r}", severity="error", timeout=20, markup=False)
        self.host.refresh_stage()
