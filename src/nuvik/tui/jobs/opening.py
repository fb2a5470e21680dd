"""Opening the workspace beside the first picture: a drive that is asleep may take seconds to answer."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, ClassVar, Protocol

from nuvik.tui.desk import Desk
from nuvik.tui.jobs.base import Job, JobHost

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace


class OpeningHost(JobHost, Protocol):
    """The application before there is a desk."""

    def opened(self, desk: Desk) -> None: ...

    def give_up(self, fault: Exception) -> None: ...


class OpeningJob(Job):
    """Done once."""

    group: ClassVar[str] = "open"

    def __init__(self, host: OpeningHost, opener: Callable[[], Workspace]) -> None:
        super().__init__(host)
        self._application, self._opener = host, opener

    def begin(self) -> None:
        self.start(self._open)

    def _open(self) -> None:
        desk = Desk.laid(self._opener())
        self.host.at_rest()
        self.then(self._application.opened, desk)

    def broke(self, fault: Exception) -> None:
        self._application.give_up(fault)
