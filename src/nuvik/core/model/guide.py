"""A guide: a story of a drive in steps, each done or not. What is done is seen from how things are, so that a guide can
be left at any step and gone on with at any time.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.drive import Drive
from nuvik.core.model.drive_note import DriveNote
from nuvik.core.model.library import Kind


class Story(StrEnum):
    """What a guide leads through."""

    NEW_DRIVE = "new-drive"
    """A drive that was just bought."""
    TO_COMPUTER = "to-computer"
    """Libraries leave for another computer on a portable drive."""
    FROM_COMPUTER = "from-computer"
    """Libraries came from another computer on a portable drive."""


class Task(StrEnum):
    """What a step asks for."""

    NAME = "name"
    FORMAT = "format"
    MEASURE = "measure"
    LAND = "land"
    SURVEY = "survey"
    GATHER = "gather"
    NOTE = "note"
    EJECT = "eject"
    READ_NOTE = "read-note"
    ADOPT = "adopt"
    SPREAD = "spread"


@dataclass(frozen=True, slots=True, kw_only=True)
class GuideStep:
    """A step of a guide."""

    task: Task
    done: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Guide:
    """A story of one drive."""

    story: Story
    drive: Drive
    steps: tuple[GuideStep, ...]
    libraries: int = 0
    """So many are on the drive."""
    bytes: int = 0
    """What they take there."""
    advice: str = ""
    """Which file system it should have, in a sentence."""
    lands: tuple[Kind, ...] = ()
    """What new content goes there."""
    note: DriveNote | None = None
    """What it says of itself."""
    adopted: int = 0
    """So many of the noted libraries are known here."""
    moved: int = 0
    """So many libraries were moved off it."""

    @property
    def next(self) -> GuideStep | None:
        """The first step that is not done; None when all are."""
        return next((step for step in self.steps if not step.done), None)
