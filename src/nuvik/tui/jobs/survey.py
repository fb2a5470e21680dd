"""Surveying beside the screens, which show the last snapshot meanwhile."""

from __future__ import annotations

from typing import ClassVar

from nuvik.core.model.errors import NuvikError
from nuvik.core.model.progress import Stop, SurveyProgress
from nuvik.core.model.snapshot import Snapshot
from nuvik.tui.jobs.base import Job, JobHost


class SurveyJob(Job):
    """One survey at a time."""

    group: ClassVar[str] = "survey"

    def __init__(self, host: JobHost) -> None:
        super().__init__(host)
        self.progress: SurveyProgress | None = None
        """How far the survey has got; None when none runs."""
        self._stop = Stop()

    def begin(self) -> None:
        """Survey, unless a survey runs already."""
        if self.progress is not None:
            return
        self.progress = SurveyProgress(0, 0, 0, 0)
        self._stop = Stop()
        self.host.refresh_stage()
        self.start(self._survey)

    def stop(self) -> None:
        """Let the survey end with what it has; that is shown, and marked as not complete."""
        self._stop.ask()

    def _survey(self) -> None:
        try:
            snapshot = self.host.desk.workspace.survey.take((), self._advance, self._stop)
        except NuvikError as trouble:
            self.then(self._refused, trouble)
        else:
            self.then(self._surveyed, snapshot)

    def _advance(self, progress: SurveyProgress) -> None:
        self.progress = progress
        self.then(self.host.follow, "survey")

    def _surveyed(self, snapshot: Snapshot) -> None:
        self.progress = None
        self.host.desk.take_snapshot(snapshot)
        self.host.refresh_stage()

    def _refused(self, trouble: NuvikError) -> None:
        self.progress = None
        self.host.complain(trouble)
        self.host.refresh_stage()

    def broke(self, fault: Exception) -> None:
        self.progress = None
        super().broke(fault)
