"""A snapshot: a dated picture of drives and libraries, the value that a survey ends with."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.paths import PathText, parents


@dataclass(frozen=True, slots=True, kw_only=True)
class Problem:
    """Something a survey could not read or wants the user to know."""

    path: PathText
    problem: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LargeFile:
    """One of the largest files of a drive."""

    path: PathText
    drive: str
    bytes: int
    changed: str
    """ISO 8601 in UTC."""
    library: str | None = None
    """The id of the library it lies in; None for a loose one."""


LOOSE_LISTED = 200
"""So many loose folders a snapshot lists at most."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LooseFolder:
    """What lies in a folder and in no library."""

    path: PathText
    drive: str
    bytes: int
    files: int
    small: bool = False
    """It is a whole folder, too small on its drive to be a library."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SmallThings:
    """All folders of a drive that are too small to be libraries, together."""

    drive: str
    folders: int
    files: int
    bytes: int


@dataclass(frozen=True, kw_only=True)  # no slots: what is looked up often is kept
class Snapshot:
    """Drives and libraries as they stood at one moment."""

    taken_at: str
    """ISO 8601 in UTC."""
    host: str
    drives: tuple[Drive, ...]
    libraries: tuple[Library, ...]
    problems: tuple[Problem, ...] = ()
    complete: bool = True
    """False when the survey was stopped: then libraries may be missing or too small."""
    loose: tuple[LooseFolder, ...] = ()
    """Folders with loose things, largest first, at most `LOOSE_LISTED`."""
    small_things: tuple[SmallThings, ...] = ()
    large_files: tuple[LargeFile, ...] = ()
    """The largest files, largest first, at most a thousand a drive."""

    def with_drives(self, drives: tuple[Drive, ...]) -> Snapshot:
        """With the drives as they are now; one that is not known any more is away while libraries are known on it."""
        present = {drive.id for drive in drives}
        holding = {library.drive for library in self.libraries} - present
        gone = tuple(replace(drive, attached=False) for drive in self.drives if drive.id in holding)
        return replace(self, drives=(*drives, *gone))

    def drive(self, drive_id: str) -> Drive:
        """The drive with this id. Raises KeyError when the snapshot has none."""
        for drive in self.drives:
            if drive.id == drive_id:
                return drive
        raise KeyError(drive_id)

    def library(self, library_id: str) -> Library | None:
        return self._by_id.get(library_id)

    def at_path(self, path: str) -> Library | None:
        """The library that lies at a path, or in which it lies."""
        return next((self._by_path[place] for place in (path, *parents(path)) if place in self._by_path), None)

    def fallback_of(self, library: Library) -> Library | None:
        """The library that is used in place of another while that is away."""
        other = self.at_path(library.falls_back_to) if library.falls_back_to else None
        return None if other is None or other.id == library.id else other

    def on_drive(self, drive_id: str) -> tuple[Library, ...]:
        """The libraries on one drive, largest first."""
        return self._by_drive.get(drive_id, ())

    @cached_property
    def _by_id(self) -> dict[str, Library]:
        return {library.id: library for library in reversed(self.libraries)}  # the first of one id counts

    @cached_property
    def _by_path(self) -> dict[str, Library]:
        return {path: library for library in self.libraries for path in (library.tether, library.path) if path}

    @cached_property
    def _by_drive(self) -> dict[str, tuple[Library, ...]]:
        rows: dict[str, list[Library]] = {}
        for library in sorted(self.libraries, key=lambda library: (-library.on_disk_bytes, library.name)):
            rows.setdefault(library.drive, []).append(library)
        return {drive: tuple(libraries) for drive, libraries in rows.items()}
