"""Surveying beside the screens, which show the last snapshot meanwhile."""

from __future__ import annotations

from functools import partial
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
        self._looks_again = False
        """Cards changed while a survey was running."""

    def begin(self) -> None:
        """Survey, unless a survey runs already."""
        if self.progress is not None:
            return
        self.progress = SurveyProgress(0, 0, 0, 0)
        self._stop = Stop()
        self.host.refresh_stage()
        self.start(self._survey)

    def look_again(self) -> None:
        """After cards changed: what was surveyed, as they now say. Surveys when nothing was since Nuvik began."""
        if self.progress is not None:
            self._looks_again = True
        elif self.host.desk.workspace.survey.trees:
            self.start(self._judge)
        else:
            self.begin()

    def _judge(self) -> None:
        try:
            snapshot = self.host.desk.workspace.survey.judge_again()
        except NuvikError as trouble:
            self.then(self._refused, trouble)
        else:
            self.then(self._judged, snapshot)
            self._read_past()

    def _judged(self, snapshot: Snapshot) -> None:
        self.host.desk.take_snapshot(snapshot)
        self.host.refresh_stage()
        self.host.follow("judged")

    def stop(self) -> None:
        """Let the survey end with what it has; that is shown, and marked as not complete."""
        self._stop.ask()

    def _survey(self) -> None:
        try:
            # What an earlier survey knows is worth more than what this one has come upon so far.
            so_far = None if self.host.desk.snapshot.taken_at else partial(self.then, self._glimpsed)
            snapshot = self.host.desk.workspace.survey.take((), self._advance, self._stop, so_far)
        except NuvikError as trouble:
            self.then(self._refused, trouble)
        else:
            self.host.at_rest()
            self.then(self._surveyed, snapshot)
            self._read_past()

    def _read_past(self) -> None:
        """Read earlier surveys before anybody asks for them, since they may be large."""
        snapshot = self.host.desk.snapshot
        try:
            past = self.host.desk.workspace.watching.past()
        except NuvikError:
            return  # whoever asks for them is going to be told
        self.then(self.host.desk.take_past, past, snapshot)

    def _advance(self, progress: SurveyProgress) -> None:
        self.progress = progress
        self.then(self.host.follow, "survey")

    def _glimpsed(self, snapshot: Snapshot) -> None:
        self.host.desk.take_snapshot(snapshot)
        self.host.refresh_stage()

    def _surveyed(self, snapshot: Snapshot) -> None:
        self.progress = None
        workspace = self.host.desk.workspace
        if workspace.not_kept and not workspace.why_only_read:
            self.host.notify(workspace.not_kept, severity="warning", markup=False)
        self.host.desk.take_snapshot(snapshot)
        self.host.refresh_stage()
        if self._looks_again:
            self._looks_again = False
            self.look_again()

    def _refused(self, trouble: NuvikError) -> None:
        self.progress = None
        self.host.complain(trouble)
        self.host.refresh_stage()

    def broke(self, fault: Exception) -> None:
        self.progress = None
        super().broke(fault)
