"""What Nuvik asks of a computer. Everything else in the core works on any host that keeps this protocol."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from typing import Protocol

from nuvik.core.hosts.anchors import Anchor
from nuvik.core.hosts.files import Files
from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Card
from nuvik.core.model.surroundings import Surroundings
from nuvik.core.model.timing import Pace
from nuvik.core.model.traffic import Counters


@dataclass(frozen=True, slots=True)
class Limits:
    """What besides its free space limits what can be put on a drive; None: nothing, or it is not known."""

    entries: int | None = None
    """So many more files and folders."""
    quota_bytes: int | None = None
    """What the quota of this user leaves."""


class Host(Protocol):
    """A computer with drives. It says what is there now and touches files; it remembers nothing."""

    name: str
    files: Files

    def drives(self) -> tuple[Drive, ...]:
        """The drives that the computer knows, with what is used of them now, fastest first."""
        ...

    def default_state_folder(self) -> str:
        """Where Nuvik keeps its database for this computer by default."""
        ...

    def anchors(self, drives: Iterable[Drive]) -> dict[str, tuple[Anchor, ...]]:
        """The roots of drives where they are mounted at this moment, by drive id; those that are away are left out."""
        ...

    def reaches_medium(self, drive: Drive) -> bool:
        """Make sure, once all is flushed, that what is read next from a drive comes from its medium; False where that
        cannot be had.
        """
        ...

    def attachment(self, drive: Drive) -> str:
        """A text that is another one once the drive was detached and attached again."""
        ...

    def default_roots(self) -> tuple[str, ...]:
        """The folders that a survey goes through when the user names none: one for each part of each drive."""
        ...

    def cards(self) -> tuple[Card, ...]:
        """Cards that come with this computer, with absolute paths."""
        ...

    def why_protected(self, path: str) -> str | None:
        """Why this folder must never be moved, as the end of a sentence; None when it may."""
        ...

    def why_no_place(self, folder: str) -> str | None:
        """Why nothing of the user's may be put into this folder, which need not be there, as the end of a sentence."""
        ...

    def why_not_yours(self, path: str) -> str | None:
        """Why this user may not move what lies here, as the end of a sentence; None when nothing speaks against it."""
        ...

    def packages_owning(self, paths: Sequence[str]) -> Mapping[str, str]:
        """The package of the system's package manager that owns each of these paths, as far as one does."""
        ...

    def surroundings(self) -> Surroundings:
        """What the computer itself says of its folders."""
        ...

    def open_files(self) -> Sequence[tuple[str, str]]:
        """All paths that programs have open, each with the program."""
        ...

    def used_by(self, path: str) -> tuple[str, ...]:
        """The programs that have something open in this folder, such as `sky-viewer (process 4711)`."""
        ...

    def logged_in_since_s(self) -> float:
        """Since when the user has been logged in, in seconds since 1970; infinity where nobody logs in (a world)."""
        ...

    counts_lengths: bool
    """A file's length counts as its size on disk, and folders take nothing: true in a world."""

    small_share: float
    """Below this share of its drive, a folder is no library of its own (unless a card says so)."""

    @property
    def pace(self) -> Pace:
        """What this computer adds to the drives' own times when a library is carried."""
        ...

    def mount_points(self) -> tuple[str, ...]:
        """Where drives (and other trees) are mounted: places that a survey does not enter from above."""
        ...

    def access_times(self, drive: Drive) -> str | None:
        """Why access times on this drive tell nothing, as the end of a sentence; None where they are kept."""
        ...

    def size_on_disk(self, facts: os.stat_result) -> int:
        """The bytes a file really takes where it lies."""
        ...

    def room_needed(self, sizes: Iterable[int], drive: Drive, hole_bytes: int = 0) -> int:
        """The bytes that files of these lengths, with so many bytes of holes in them, will take on a drive."""
        ...

    def limits(self, drive: Drive) -> Limits:
        """What besides its free space limits what can be put on a drive."""
        ...

    def kept_awake(self, why: str) -> AbstractContextManager[None]:
        """While this lasts, the computer does not fall asleep by itself."""
        ...

    def temperature_c(self, drive: Drive) -> float | None:
        """How warm a drive is now; None where it does not tell."""
        ...

    def counters(self, drives: Iterable[Drive]) -> dict[str, Counters]:
        """What each of these drives has read and written so far, by its id; those that do not tell are left out."""
        ...

    def unseen_reading_s(self, drive: Drive, read_bytes: int, runs: int) -> float:
        """What reading takes on a drive that only stands in for one, beyond what a clock shows; 0 on a real one."""
        ...

    def health(self, drive: Drive) -> str:
        """What the disk of a drive reports of its own health, as a clause; empty when all is well or not known."""
        ...

    def why_no_eject(self, drive: Drive) -> tuple[str, ...]:
        """Why the system itself cannot do without a drive, each as a clause."""
        ...

    def eject(self, drive: Drive) -> bool:
        """Let a drive go that nothing uses; whether its disk was switched off, too. Raises Refused."""
        ...

    def attach(self, drive: Drive) -> None:
        """Attach a drive that was ejected from a world. Raises Refused on a real computer: there a cable does that."""
        ...

    def timer_s(self) -> float:
        """A clock that only runs forward; in a world it shows simulated time."""
        ...


def drive_holding(drives: tuple[Drive, ...], path: str) -> Drive | None:
    """The drive on which a normalised path lies: the one with the longest path above it."""
    holding = [(drive, len(place)) for drive in drives if (place := drive.holds(path)) is not None]
    # Where one drive was mounted before, another may be now.
    return max(holding, key=lambda pair: (pair[1], pair[0].attached), default=(None, 0))[0]


def fastest_first(drives: Iterable[Drive]) -> tuple[Drive, ...]:
    """Attached drives before away ones, then by felt load."""
    return tuple(sorted(drives, key=lambda drive: (not drive.attached, drive.felt_load_s, drive.label)))


def held_bytes(host: Host, path: str, length: int) -> int:
    """What a file takes on its drive; its length when it cannot be asked any more."""
    try:
        return host.size_on_disk(host.files.facts(path))
    except OSError:
        return length
