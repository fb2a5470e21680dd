"""A library: a folder that moves as one, what it is, and its card."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from enum import StrEnum

from nuvik.core.model.drive import Drive
from nuvik.core.model.extent import room_bytes
from nuvik.core.model.opening import KindLearnt, ReadPattern
from nuvik.core.model.paths import PathText
from nuvik.core.model.tether import Tether


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
    Kind.GAME: "G",
    Kind.PROGRAM: "P",
    Kind.VIDEO: "V",
    Kind.PHOTO: "F",
    Kind.SOUND: "S",
    Kind.DOCUMENT: "D",
    Kind.PROJECT: "J",
    Kind.CACHE: "C",
    Kind.BACKUP: "B",
    Kind.DOWNLOAD: "N",
    Kind.DISC_IMAGE: "I",
    Kind.OTHER: "O",
}
_FOLDERS = {
    Kind.GAME: "Games",
    Kind.PROGRAM: "Programs",
    Kind.VIDEO: "Videos",
    Kind.PHOTO: "Photos",
    Kind.SOUND: "Sounds",
    Kind.DOCUMENT: "Documents",
    Kind.PROJECT: "Projects",
    Kind.CACHE: "Caches",
    Kind.BACKUP: "Backups",
    Kind.DOWNLOAD: "Downloads",
    Kind.DISC_IMAGE: "Disc images",
    Kind.OTHER: "Other",
}


class Verdict(StrEnum):
    """Whether a library may move."""

    FREE = "free"
    LATER = "later"
    """It may, but not at this moment: it is open, or something in it is not finished."""
    UNWISE = "unwise"
    """It should not; the user may overrule that."""
    IMPOSSIBLE = "impossible"
    """It cannot, whatever the user says."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A folder inside a library that may be placed on its own: media, cache, backups, plug-ins, add-ons."""

    name: str
    kind: Kind
    path: PathText
    """Relative to the library."""
    bytes: int = 0
    files: int = 0
    on_disk_bytes: int = 0
    folders: int = 0
    largest_file_bytes: int = 0
    sizes: tuple[tuple[int, int], ...] = ()
    """How many files by size class, as in a library."""
    links: int = 0
    """Links inside it, wherever they lead."""
    hole_bytes: int = 0
    """As in a library."""
    stays: bool = False
    """Programs look for it in its place (plug-ins): it goes where the library goes."""
    rebuildable: bool = False
    """Programs make it again from the rest of the library: dependencies, build output, caches, renders."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Timing:
    """How long the user saw a library take to open from one drive."""

    drive: str
    """The drive's id."""
    seconds: float
    computing_s: float | None = None
    """Of that, what its programs computed; None where it was timed by hand, or tasted."""
    tasted: bool = False
    """Nobody opened it there: Nuvik read there what a recorded opening reads."""

    @property
    def recorded(self) -> bool:
        """Whether Nuvik watched it."""
        return self.computing_s is not None


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """What makes a library stand for a piece of a whole one while it is planned: its body, or one of its parts."""

    whole: str
    """The id of the whole library."""
    kind: Kind
    """Of the whole: by it the opening is reckoned."""
    bytes: int
    """Of the whole."""
    files: int
    """Of the whole."""
    read_bytes: int
    """Of the whole, those that opening it may read: all but its backups."""
    reads: float
    """The share of what opening the whole reads in sequence that lies in this piece; all shares together are 1."""
    seeks: float
    """The same, of its small reads."""
    body: bool
    """What is left of the library without the parts that stand on their own."""

    @property
    def is_needed(self) -> bool:
        """Whether the library opens only with it."""
        return self.body or self.reads > 0 or self.seeks > 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Card:
    """What the user (or a world's cards file) states about a library. None means: not stated."""

    path: PathText
    name: str | None = None
    kind: Kind | None = None
    opens_per_week: float | None = None
    pinned: bool = False
    """Stays where it is."""
    movable: bool = True
    overrule: bool = False
    """The user wants it to be movable although that seems unwise."""
    ignored: bool = False
    """No library: what lies there counts as loose."""
    titles: bool = False
    """Treat each subfolder as a library of its own."""
    working_set: bool = False
    """One of those the user really uses."""
    why_not: str | None = None
    needs_read_bytes_per_s: int | None = None
    """A streaming need: it does not work from a drive that reads slower."""
    opening_factor: float | None = None
    """How many times as long as reckoned it really takes to open; where `computing_s` is known, to read."""
    computing_s: float | None = None
    """What it computes at each opening, known from timings on two drives."""
    timings: tuple[Timing, ...] = ()
    """What was timed or recorded, the latest of each drive."""
    pattern: ReadPattern | None = None
    """What opening it reads, by its recordings."""
    always_attached: bool = False
    """It must never be away: no portable drive may hold it."""
    keep_with: tuple[PathText, ...] = ()
    """Paths of libraries that must stand on the same drive: a title and what was added to it."""
    apart_from: tuple[PathText, ...] = ()
    """Paths of libraries that must stand on another disk: a backup and its original."""
    collection: str | None = None
    """The name of a collection whose libraries are better gathered on one drive."""
    falls_back_to: PathText | None = None
    """The path of a smaller library that is used in its place while its drive is away."""
    parts: tuple[Part, ...] = ()
    tethers: tuple[Tether, ...] = ()
    """What keeps programs finding it when it moves, beside the link or in its place."""

    @property
    def leads(self) -> bool:
        """Whether something else than a link leads programs to it once it has moved."""
        return any(tether.kind.leads for tether in self.tethers)

    def laid_over(self, other: Card) -> Card:
        """This card where it says something, else the other one."""
        plain = Card(path=self.path)
        fields_given = {
            field.name: getattr(self, field.name)
            for field in fields(self)
            if getattr(self, field.name) != getattr(plain, field.name)
        }
        return replace(other, **{**fields_given, "path": self.path})


OPENINGS_UNKNOWN = "openings: unknown"
"""The end of `Library.use_source` where nothing tells how often it is opened."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Library:
    """A library as a survey found it."""

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
    opening_factor: float = 1.0
    """How many times as long as reckoned from its kind it takes to open, as the user timed it; where `computing_s` is
    known, to read.
    """
    computing_s: float | None = None
    """What it computes at each opening, as timings on two drives tell; None where that follows from its kind."""
    timings: tuple[Timing, ...] = ()
    """As its card says."""
    pattern: ReadPattern | None = None
    """What opening it reads, as its card says; None where only its kind tells."""
    like: KindLearnt | None = None
    """What recorded libraries of its kind tell of it; it counts where nothing was timed or recorded of its own."""
    folders: int = 0
    cold_bytes: int = 0
    """Of files neither read nor changed for a year."""
    newest_content: str | None = None
    newest_access: str | None = None
    """As ISO 8601 in UTC."""
    sizes: tuple[tuple[int, int], ...] = ()
    """How many files by size class (`model.extent`): what it takes on a drive with other clusters follows from it."""
    hole_bytes: int = 0
    """Stretches of its files that hold nothing: they take no room on a drive whose file system keeps them as holes."""
    why: str = ""
    """Why it is taken for what it is, and for one library."""
    confidence: float = 1.0
    """How sure that is, from 0 to 1."""
    hidden: bool = False
    """Its path is hidden from ordinary listings."""
    verdict: Verdict = Verdict.FREE
    caution: str = ""
    """What to know before it is moved."""
    use_source: str = ""
    """Where the figures of use come from."""
    working_set: bool = False
    shared_files: int = 0
    """Files that have a second name (hard link) outside it."""
    not_here_files: int = 0
    """Placeholders, whose contents are with a cloud service."""
    links_in: int = 0
    links_out: int = 0
    links_broken: int = 0
    """Links inside it by where they lead: into it, out of it, nowhere."""
    always_attached: bool = False
    keep_with: tuple[PathText, ...] = ()
    apart_from: tuple[PathText, ...] = ()
    collection: str | None = None
    falls_back_to: PathText | None = None
    tethers: tuple[Tether, ...] = ()
    """As its card says."""
    piece: Piece | None = None
    """Set only while a library is planned in pieces."""

    def room_bytes(self, cluster_bytes: int) -> int:
        """What it takes on a drive with clusters of this size, at most 1 % from the truth."""
        return room_bytes(dict(self.sizes), cluster_bytes) if self.sizes else self.bytes

    def room_on(self, drive: Drive) -> int:
        """What it takes on a drive, in that drive's clusters, folders included and holes left out where that drive
        keeps them; its length where only lengths count.
        """
        if drive.counts_lengths or not self.sizes:
            return self.bytes
        files = self.room_bytes(drive.cluster_bytes)
        if self.hole_bytes and drive.rules.holes:
            # The classes of sizes are coarse beside what a long file full of holes holds.
            files = max(0, min(files - self.hole_bytes, self.on_disk_bytes + self.files * drive.cluster_bytes))
        return files + self.folders * drive.cluster_bytes

    @property
    def openings_known(self) -> bool:
        """Whether anything tells how often it is opened; if not, its openings a week are 0 because none is known."""
        return not self.use_source.endswith(OPENINGS_UNKNOWN)

    @property
    def holds_links(self) -> bool:
        return bool(self.links_in or self.links_out or self.links_broken)
