"""What a portable drive says of its libraries to another computer, and how that compares with what is there."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.library import Kind
from nuvik.core.model.opening import ReadPattern
from nuvik.core.model.paths import PathText


@dataclass(frozen=True, slots=True, kw_only=True)
class NotedPart:
    """A part of a library, as the note of its drive has it."""

    path: str
    """Relative to the library, with `/` between names."""
    kind: Kind


@dataclass(frozen=True, slots=True, kw_only=True)
class NotedLibrary:
    """A library as the note of its drive has it."""

    path: PathText
    """Relative to the drive, with `/` between names."""
    name: str
    kind: Kind
    bytes: int
    files: int
    opens_per_week: float = 0.0
    working_set: bool = False
    needs_read_bytes_per_s: int | None = None
    parts: tuple[NotedPart, ...] = ()
    """Folders in it that may be placed on their own."""
    pattern: ReadPattern | None = None
    """What opening it reads, where that was recorded."""
    checksum: str | None = None
    """Of all its files, their names and their contents (xxh3-128); None where it was not taken."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveNote:
    """All that a drive says of what it holds. It is read like any other input: nothing in it is trusted."""

    label: str
    written_at: str
    libraries: tuple[NotedLibrary, ...]


class NotedState(StrEnum):
    """How a noted library compares with what is on the drive."""

    SAME = "as noted"
    CHANGED = "changed since"
    MISSING = "not there"
    LEADS_OUT = "leads out of the drive"
    DIFFERS = "its contents are not those noted"


@dataclass(frozen=True, slots=True, kw_only=True)
class Adoptable:
    """A noted library beside what is there."""

    noted: NotedLibrary
    place: PathText
    """Where it would be on this computer."""
    state: NotedState
    bytes: int = 0
    """What is there now."""
    files: int = 0
    checked: bool = False
    """Its contents were read and compared."""

    @property
    def able(self) -> bool:
        """Whether its card can be taken over."""
        return self.state in (NotedState.SAME, NotedState.CHANGED)
