"""What screens may ask of the application, so that none of them has to know it."""

from __future__ import annotations

from typing import Any, Protocol, runtime_checkable

from nuvik.tui.jobs.base import JobHost
from nuvik.tui.jobs.carry import CarryJob
from nuvik.tui.jobs.drive_watch import DriveWatch
from nuvik.tui.jobs.gauge import GaugeJob
from nuvik.tui.jobs.survey import SurveyJob

STAGES = ("survey", "speeds", "plan", "rehearse", "carry", "logbook")
"""In the order of the work."""


def stage_key(stage: str) -> str:
    """The key that goes to a stage: its place in the order of the work."""
    return str(STAGES.index(stage) + 1)


@runtime_checkable
class Follows(Protocol):
    """A screen that hears of work that goes on: `survey`, `judged`, `gauge` or `carry`."""

    def follow(self, happening: str, *details: Any) -> None: ...


class Shell(JobHost, Protocol):
    """The application, with its jobs."""

    survey_job: SurveyJob
    gauge_job: GaugeJob
    carry_job: CarryJob
    drive_watch: DriveWatch
