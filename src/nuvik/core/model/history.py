"""History: what earlier surveys found, as far as growth and use follow from it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Sighting:
    """A library (or drive) as one survey found it."""

    taken_at: str
    """ISO 8601 in UTC."""
    bytes: int
    newest_content: str | None = None
    newest_access: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class SeenReading:
    """What openings from a drive read and compute in a week, as one survey found it."""

    survey: int
    """The number of the survey."""
    taken_at: str
    """ISO 8601 in UTC."""
    drive: str
    computing_s: float
    bytes: float
    """Read in sequence."""
    reads: float
    """Small ones."""
