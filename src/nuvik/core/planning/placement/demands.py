"""Demands: where libraries must stand, alone or to each other, as drives and cards ask. Hard, but not always met now.

A demand that is met now is never broken by a proposal; of those that are not, as many as possible are met.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from nuvik.core.model.drive import Drive, Tier
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_speed
from nuvik.core.planning.placement.waiting import needed_read_bytes_per_s

Places = Callable[[str], str]
"""The id of the drive on which a library (its id) stands."""


@dataclass(frozen=True, slots=True)
class OnOneOf:
    """A library must stand on one of some drives."""

    library: str
    drives: frozenset[str]
    words: str

    @property
    def libraries(self) -> tuple[str, ...]:
        return (self.library,)

    def met(self, place_of: Places) -> bool:
        return place_of(self.library) in self.drives


@dataclass(frozen=True, slots=True)
class Together:
    """Two libraries must stand on one drive."""

    libraries: tuple[str, str]
    words: str

    def met(self, place_of: Places) -> bool:
        return place_of(self.libraries[0]) == place_of(self.libraries[1])


@dataclass(frozen=True, slots=True)
class Apart:
    """Two libraries must not stand on one disk, be it on two volumes of it: what fails together is no backup."""

    libraries: tuple[str, str]
    disks: tuple[frozenset[str], ...]
    """The ids of the drives of each disk."""
    words: str

    def met(self, place_of: Places) -> bool:
        first, other = map(place_of, self.libraries)
        return not any(first in disk and other in disk for disk in self.disks)


Demand = OnOneOf | Together | Apart


def demands_of(snapshot: Snapshot, disks: list[frozenset[str]]) -> list[Demand]:
    """Everything that is demanded of where libraries stand. `disks` is what `rules.disks_of` tells."""
    demands: list[Demand] = []
    for library in snapshot.libraries:
        for allowed, words in _of_library(library, snapshot.drives):
            demands.append(OnOneOf(library.id, allowed, words))
        name = shown(library.name)
        for path in library.keep_with:
            if (other := snapshot.at_path(path)) is not None and other.id != library.id:
                demands.append(Together((library.id, other.id), f"{name} is on the same drive as {shown(other.name)}"))
        for path in library.apart_from:
            if (other := snapshot.at_path(path)) is not None and other.id != library.id:
                demands.append(
                    Apart((library.id, other.id), tuple(disks), f"{name} is on another disk than {shown(other.name)}")
                )
        if (fallback := snapshot.fallback_of(library)) is not None:
            words = f"{shown(fallback.name)}, which {name} falls back to, is never away"
            demands.append(OnOneOf(fallback.id, _fixed(snapshot.drives), words))
            words = f"{shown(fallback.name)} is on another disk than {name}, which falls back to it"
            demands.append(Apart((library.id, fallback.id), tuple(disks), words))
    return demands


def _of_library(library: Library, drives: tuple[Drive, ...]) -> Iterator[tuple[frozenset[str], str]]:
    name = shown(library.name)
    if library.always_attached:
        yield _fixed(drives), f"{name} is never away"
    if library.working_set:
        yield (
            frozenset(drive.id for drive in drives if drive.tier in (Tier.RAPID, Tier.BRISK)),
            f"{name}, which you really use, is on a rapid or brisk drive",
        )
    needed = needed_read_bytes_per_s(library)
    if needed is not None:
        quick = frozenset(drive.id for drive in drives if drive.read_bytes_per_s >= needed)
        if len(quick) < len(drives):
            yield quick, f"{name} can be read at {format_speed(needed)}"


def _fixed(drives: tuple[Drive, ...]) -> frozenset[str]:
    return frozenset(drive.id for drive in drives if not drive.portable)


def broken(demands: list[Demand], place_of: Places) -> list[Demand]:
    """Those that are not met."""
    return [demand for demand in demands if not demand.met(place_of)]
