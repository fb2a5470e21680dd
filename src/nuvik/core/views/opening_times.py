"""What speed means to this user: how long their own libraries take to open from each drive."""

from __future__ import annotations

from collections.abc import Sequence

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.planning.placement.waiting import opening_s

TELLING = 5
"""How many libraries show what speed means here."""


def telling_libraries(libraries: Sequence[Library], most: int = TELLING) -> list[Library]:
    """The libraries that best show what speed means to this user: the largest of those that are opened often."""
    opened = [library for library in libraries if library.opens_per_week >= 1]
    opened = opened or [library for library in libraries if library.opens_per_week > 0]
    opened = opened or [library for library in libraries if library.movable] or list(libraries)
    return sorted(opened, key=lambda library: (-library.on_disk_bytes, library.name))[:most]


def opening_times(library: Library, drives: Sequence[Drive]) -> dict[str, float]:
    """Seconds to open a library from each drive, by drive id."""
    return {drive.id: opening_s(library, drive) for drive in drives}
