"""What opening a library takes, as it was recorded."""

from __future__ import annotations

import os
from dataclasses import dataclass

from nuvik.core.model.paths import PathText

_FELT = 0.95
"""What takes more than this share of the time before is no quicker."""
_NOTABLE = 0.05
"""The share of what was read from which on it matters where that is known from."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """Bytes of a file that lie in a row and were read."""

    file: PathText
    """Relative to the library."""
    offset: int
    bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class FolderShare:
    """A folder directly in a library, and its share of what opening the library reads."""

    path: PathText
    """Relative to the library; empty for the files beside the folders."""
    share: float
    """Of its bytes, from 0 to 1."""
    seeks: float
    """Of its stretches in a row, from 0 to 1."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadPattern:
    """What opening a library reads, wherever it is: the middle of its recordings."""

    bytes: int
    runs: int
    """Stretches of bytes in a row: each costs a drive with platters a seek."""
    folders: tuple[FolderShare, ...] = ()
    """Where that lies; empty where it is not known. A folder that is not among them is not read."""

    def shares_of(self, path: str) -> tuple[float, float] | None:
        """The shares of bytes and of stretches that lie in a folder directly in the library; None where that is not
        known.
        """
        if not self.folders or os.sep in path:
            return None
        return next(((each.share, each.seeks) for each in self.folders if each.path == path), (0.0, 0.0))


@dataclass(frozen=True, slots=True)
class Warm:
    """A folder directly in a library (or the files beside those), and what of it was ever read."""

    name: str
    """Empty for the files beside the folders."""
    bytes: int
    read_bytes: int
    may_go_apart: bool
    """It is large, and no opening read more than next to nothing of it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class KindLearnt:
    """How openings of recorded libraries of one kind compare with the table of kinds."""

    libraries: int
    """So many were recorded."""
    sequence: float
    """Reading in one go: 2 is twice as much as in the table."""
    small_reads: float
    """Small reads, in the same way."""
    computing: float
    """Computing, in the same way."""


@dataclass(frozen=True, slots=True, kw_only=True)
class OtherRead:
    """Another library of which the same opening had files open."""

    library: PathText
    """Its path then."""
    bytes: int | None = None
    """What of it was read; None where it was not watched, since nobody knew that it would be needed."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Recording:
    """One opening of a library, as it was watched."""

    library: PathText
    """Its path then."""
    drive: str
    taken_at: str
    """ISO 8601 in UTC."""
    seconds: float
    """From the start until it was ready for use."""
    bytes_read: int
    """Of its files, what came into memory; what the system read ahead counts with it."""
    runs: int
    files_read: int
    untold_bytes: int = 0
    """Of `bytes_read`, what is only known from what its drive has read in all."""
    computing_s: float
    """Processor time of the programs that had its files open."""
    stretches: tuple[Stretch, ...] = ()
    """What was read, in the order in which it came as far as that was seen; empty where pages cannot be asked for."""
    elsewhere_bytes: dict[str, int] | None = None
    """What other drives read meanwhile, by drive id; None where the system does not tell."""
    others: tuple[OtherRead, ...] = ()
    """Other libraries that it needed: settings, caches, add-ons."""
    doubts: tuple[str, ...] = ()
    """Why this may not be all, each in one sentence."""

    @property
    def certainty(self) -> str:
        """`pages` where pages of files were seen, `counters` where much is only known from the drive's counters."""
        return "counters" if self.untold_bytes > _NOTABLE * self.bytes_read else "pages"


@dataclass(frozen=True, slots=True, kw_only=True)
class Taste:
    """How a library would open from another drive, found out by reading there what its recorded opening read."""

    library: PathText
    drive: str
    """Where it was tasted."""
    taken_at: str
    here_s: float
    """An opening from where it is, as recorded."""
    there_s: float
    """An opening from there …"""
    low_s: float
    high_s: float
    """… and between what it lies, as the passes differ."""
    copied_bytes: int
    reads_here_s: float
    """Reading all that where it is now: the control."""
    reads_there_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Afterwards:
    """What came of a move: how its library was expected to open from its new drive, and how it does."""

    move: int
    library: PathText
    before_s: float
    """An opening from the old drive, as recorded."""
    expected_s: float
    """An opening from the new drive, by what was recorded before the move …"""
    low_s: float
    high_s: float
    """… and between what that was taken to lie."""
    took_s: float | None
    """As recorded since; None where it was not."""
    opens_per_week: float

    @property
    def as_expected(self) -> bool:
        """Whether it lies where it was expected."""
        return self.took_s is not None and self.low_s <= self.took_s <= self.high_s

    @property
    def did_not_pay(self) -> bool:
        """It was moved to open quicker, and does not."""
        quicker = _FELT * self.before_s
        return self.took_s is not None and self.expected_s < quicker and self.took_s >= quicker
