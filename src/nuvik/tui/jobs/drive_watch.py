"""Watching for drives that come and go, beside the screens: one that does not answer must not hold them up."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import ClassVar

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NuvikError
from nuvik.core.model.names import shown
from nuvik.tui.jobs.base import Job, JobHost


class DriveWatch(Job):
    """Checks every few seconds, and after a drive was renamed or measured."""

    group: ClassVar[str] = "drives"

    def __init__(self, host: JobHost, is_busy: Callable[[], bool] = lambda: False) -> None:
        """While `is_busy`, drives that only changed are left alone: they are being worked on."""
        super().__init__(host)
        self._is_busy = is_busy
        self._attached: dict[str, bool] = {}
        """Which drives were here at the last look."""
        self._looking = False
        self._trouble = ""

    def begin(self, drives: Sequence[Drive]) -> None:
        """These are the drives that the screens show."""
        self._attached = {drive.id: drive.attached for drive in drives}

    def look(self) -> None:
        """See whether a drive came or went, unless the last look still waits for an answer."""
        if not self._looking:
            self._looking = True
            self.start(lambda: self._look(anyway=False))

    def look_again(self) -> None:
        """Refresh the drives after one was renamed or measured."""
        self.start(lambda: self._look(anyway=True))

    def _look(self, anyway: bool) -> None:
        try:
            drives, new = self.host.desk.workspace.drives.look()
        except NuvikError as trouble:
            self.then(self._failed, trouble)
            return
        self.then(self._looked, drives, new, anyway)

    def _looked(self, drives: tuple[Drive, ...], new: Sequence[Drive], anyway: bool) -> None:
        self._looking, self._trouble = False, ""
        before, now = self._attached, {drive.id: drive.attached for drive in drives}
        self._attached = now
        if before == now and not anyway:
            return
        for drive in drives:
            if before.get(drive.id, not drive.attached) != drive.attached:
                self.host.notify(f"{shown(drive.label)} {'is here' if drive.attached else 'went away'}.", markup=False)
        if not self._is_busy():
            self.host.desk.take_drives(drives)
            self.host.refresh_stage()
        if before != now and new:
            self.host.greet(new[0])

    def _failed(self, trouble: NuvikError) -> None:
        """Said once, not at every look."""
        self._looking = False
        if str(trouble) != self._trouble:
            self._trouble = str(trouble)
            self.host.complain(trouble)

    def broke(self, fault: Exception) -> None:
        self._looking = False
        super().broke(fault)
