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
