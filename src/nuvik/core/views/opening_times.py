"""What speed means to this user: how long their own libraries take to open from each drive."""

from __future__ import annotations

from collections.abc import Sequence

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.planning.placement.waiting import known_by, opening_s

MARKS = {"recorded": "●", "timed": "○", "assumed": "·"}
"""How well the seconds of a library are known, the best first."""
TELLING = 5
"""How many libraries show what speed means here."""


def telling_libraries(libraries: Sequence[Library], most: int = TELLING) -> list[Library]:
    """The libraries that best show what speed means to this user: the largest of those that are opened often, first
    those of which most is known.
    """
    opened = [library for library in libraries if library.opens_per_week >= 1]
    opened = opened or [library for library in libraries if library.opens_per_week > 0]
    opened = opened or [library for library in libraries if library.movable] or list(libraries)
    ranks = list(MARKS)
    return sorted(opened, key=lambda library: (ranks.index(known_by(library)), -library.on_disk_bytes, library.name))[
        :most
    ]


def mark_of(library: Library) -> str:
    """A sign for how well its openings are known."""
    return MARKS[known_by(library)]


def opening_times(library: Library, drives: Sequence[Drive]) -> dict[str, float]:
    """Seconds to open a library from each drive, by drive id."""
    return {drive.id: opening_s(library, drive) for drive in drives}
