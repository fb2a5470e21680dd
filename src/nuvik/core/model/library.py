"""A library: a folder that moves as one, what it is, and what the user has told of it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.paths import PathText


class Kind(StrEnum):
    """What a library holds. Each has a letter as well as a colour, so nothing rests on colour alone."""

    GAME = "game"
    PROGRAM = "program"
    VIDEO = "video"
    PHOTO = "photo"
    SOUND = "sound"
    DOCUMENT = "document"
    PROJECT = "project"
    CACHE = "cache"
    BACKUP = "backup"
    DOWNLOAD = "download"
    DISC_IMAGE = "disc-image"
    OTHER = "other"

    @property
    def letter(self) -> str:
        return _LETTERS[self]

    @property
    def folder(self) -> str:
        """The folder on a drive where Nuvik puts libraries of this kind."""
        return _FOLDERS[self]


_LETTERS = {
    Kind.GAME: "G", Kind.PROGRAM: "P", Kind.VIDEO: "V", Kind.PHOTO: "F", Kind.SOUND: "S", Kind.DOCUMENT: "D",
    Kind.PROJECT: "J", Kind.CACHE: "C", Kind.BACKUP: "B", Kind.DOWNLOAD: "N", Kind.DISC_IMAGE: "I", Kind.OTHER: "O",
}  # fmt: skip
_FOLDERS = {
    Kind.GAME: "Games", Kind.PROGRAM: "Programs", Kind.VIDEO: "Videos", Kind.PHOTO: "Photos", Kind.SOUND: "Sounds",
    Kind.DOCUMENT: "Documents", Kind.PROJECT: "Projects", Kind.CACHE: "Caches", Kind.BACKUP: "Backups",
    Kind.DOWNLOAD: "Downloads", Kind.DISC_IMAGE: "Disc images", Kind.OTHER: "Other",
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A folder inside a library that may be placed on its own: media, cache, backups, plug-ins, add-ons."""

    name: str
    kind: Kind
    path: PathText
    """Relative to the library."""
    bytes: int = 0
    files: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Card:
    """What the user (or a world's cards file) has told Nuvik of a library. None means: not told."""

    path: PathText
    name: str | None = None
    kind: Kind | None = None
    opens_per_week: float | None = None
    pinned: bool = False
    """Stays where it is."""
    movable: bool = True
    why_not: str | None = None
    needs_read_bytes_per_s: int | None = None
    """A streaming need: it does not work from a drive that reads slower."""
    parts: tuple[Part, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Library:
    """One library as a survey found it."""

    id: str
    name: PathText
    kind: Kind
    path: PathText
    """Where it really lies."""
    drive: str
    bytes: int
    """The sum of its files' lengths; a file with several hard links counts once."""
    on_disk_bytes: int
    files: int
    largest_file_bytes: int
    last_used: str | None
    """The newest access or change of any file, as ISO 8601 in UTC; None for an empty library."""
    opens_per_week: float = 0.0
    movable: bool = True
    why_not: str | None = None
    tether: PathText | None = None
    """The old path that leads here by a link, when it was moved."""
    parts: tuple[Part, ...] = ()
    needs_read_bytes_per_s: int | None = None
