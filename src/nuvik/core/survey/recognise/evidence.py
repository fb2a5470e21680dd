"""What speaks for a folder being one library, and of which kind. Each rule looks at one sign and gives its reason.

Nuvik knows no product by name: rules speak of what the platform says, of open conventions, of words of the trade in
several languages, and of shapes.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, replace

from nuvik.core.hosts.base import Host
from nuvik.core.model.library import Kind
from nuvik.core.model.paths import is_within
from nuvik.core.model.surroundings import Surroundings
from nuvik.core.model.units import format_count
from nuvik.core.survey.recognise.shape import MEDIA, Shape, hidden_in, is_date
from nuvik.core.survey.recognise.trade_words import (
    BACKUP_WORDS,
    CACHE_TAG,
    CAMERA_FOLDER,
    HOME_WORDS,
    INSTALLED_TREE,
    LAYER,
    LIBRARY_ENDINGS,
    MAIL_FOLDERS,
    OLD_HOME,
    ONE_LIBRARY,
    PARTS,
    PLURALS,
    SHELVES,
    TRASH,
    UNFINISHED,
    VERSION_CONTROL,
)
from nuvik.core.survey.walk.folder_tree import Folder

CLEAR_SHARE = 0.6
"""Assumed: a kind is clear when files of its endings take three fifths of the bytes."""
_AGREES_SHARE = 0.4
_FEWEST_ALIKE = 3
_REPOSITORY = ".git"
_NEARLY_ALL = 0.8
_IMAGES = {b"QFI\xfb": "QCOW", b"KDMV": "VMDK", b"vhdxfile": "VHDX", b"conectix": "VHD"}
"""The first bytes of the formats, as their specifications say."""


@dataclass(frozen=True, slots=True)
class Guess:
    """What a folder seems to hold."""

    kind: Kind
    confidence: float
    why: str
    """A sentence without its full stop, for people."""
    sealed: bool = False
    """Whether it is a whole of which no part is a library of its own."""
    stays: str = ""
    """Why it is better not moved, as the end of a sentence; empty where nothing speaks against it."""


SETTLED = frozenset([Kind.PROGRAM, Kind.OTHER, Kind.DOCUMENT, Kind.DOWNLOAD, Kind.DISC_IMAGE])
"""What lies where a program keeps its data, and is of one of these kinds, belongs to that program."""
UNKNOWN = Guess(Kind.OTHER, 0.2, "its kind is unknown")


@dataclass(frozen=True, slots=True)
class Context:
    """What the rules look at besides the folder."""

    host: Host
    about: Surroundings
    silent: frozenset[str] = frozenset()
    """Where drives should be that are away or do not answer: a look there may never end."""

    def answers(self, path: str) -> bool:
        """Whether what a link leads to may be looked at."""
        return not any(is_within(path, place) for place in self.silent)


Rule = Callable[[Shape, Context], Guess | None]


def guess(folder: Folder, context: Context, titles_below: int | None = None) -> Guess:
    """The surest answer of all rules; of two that are equally sure, that of the earlier rule. `titles_below` is how
    many titles lie side by side below the folder, where that is known.
    """
    shape = Shape(folder, titles_below)
    answers = [answer for rule in RULES if (answer := rule(shape, context)) is not None]
    best = max(answers, key=lambda answer: answer.confidence, default=UNKNOWN)
    stays = next((answer.stays for answer in answers if answer.stays), "")
    return best if best.stays or not stays or best.kind is Kind.GAME else replace(best, stays=stays)


# -- what the platform says --------------------------------------------------------------------------------


def standard_folder(shape: Shape, context: Context) -> Guess | None:
    kind = context.about.standard.get(shape.folder.path)
    return None if kind is None else Guess(kind, 0.95, f"it is your standard folder for {PLURALS[kind]}")


def cache_place(shape: Shape, context: Context) -> Guess | None:
    if os.path.dirname(shape.folder.path) in context.about.caches:
        return Guess(Kind.CACHE, 0.95, "it is where the system lets programs keep caches", sealed=True)
    return None


def bundle(shape: Shape, context: Context) -> Guess | None:
    if shape.folder.name.endswith(".app") and "Contents" in shape.folder.below:
        return Guess(Kind.PROGRAM, 0.95, "it is an application bundle", sealed=True)
    if shape.folder.name.endswith(".sparsebundle") and "bands" in shape.folder.below:
        return Guess(Kind.DISC_IMAGE, 0.95, "it is an image of a disk in bands", sealed=True)
    return None


def known_program(shape: Shape, context: Context) -> Guess | None:
    """A menu entry starts something in it, or in a folder of it that only holds what runs."""
    for program in context.about.programs:
        if not is_within(program.path, shape.folder.path):
            continue
        if program.path != shape.folder.path and os.path.relpath(program.path, shape.folder.path).count(os.sep) > 1:
            continue
        # What is behind the entry may be a game; only its contents tell.
        kind = Kind.GAME if shape.is_title else Kind.PROGRAM
        return Guess(kind, 0.9, f"{program.source} starts “{program.name}” from here", sealed=True)
    return None


def place_of_a_program(shape: Shape, context: Context) -> Guess | None:
    """Where programs keep settings and data: the program expects them there."""
    folder, about = shape.folder, context.about
    above = os.path.dirname(folder.path)
    if folder.name.casefold() in TRASH or folder.name.startswith(".Trash"):
        return Guess(Kind.OTHER, 0.98, "it is the trash", True, "it is the trash: empty it instead")
    if above in about.settings or (hidden_in(folder, about.home) and folder.path not in about.containers):
        return Guess(Kind.OTHER, 0.35, "a program keeps its settings here", stays="a program keeps its settings here")
    if above in about.containers and folder.path not in about.containers:
        return Guess(Kind.OTHER, 0.35, "a program keeps its data here", stays="a program keeps its data here")
    return None


# -- open conventions --------------------------------------------------------------------------------------


def installed_tree(shape: Shape, context: Context) -> Guess | None:
    """The layout that programs are installed in on systems of this family (Filesystem Hierarchy Standard)."""
    names = {name.casefold() for name in shape.folder.below}
    if len(names & INSTALLED_TREE) < _FEWEST_ALIKE or not names & {"bin", "sbin"} or not shape.runnable:
        return None
    return Guess(Kind.PROGRAM, 0.9, "it is laid out as an installed program (bin, lib, share)", sealed=True)


def camera_card(shape: Shape, context: Context) -> Guess | None:
    """What cameras write (Design rule for Camera File system)."""
    if CAMERA_FOLDER not in {name.upper() for name in shape.folder.below}:
        return None
    kind = max(_CAMERA, key=lambda media: shape.shares[media])
    return Guess(kind, 0.88, f"it is laid out as the card of a camera ({CAMERA_FOLDER})", sealed=True)


def kept_in_step(shape: Shape, context: Context) -> Guess | None:
    """A folder that a program keeps the same on several computers: it holds a hidden index for that."""
    folder = shape.folder
    if folder.name.startswith(".") or os.path.dirname(folder.path) != context.about.home:
        return None
    try:
        names = context.host.files.names_at(folder.path)
    except OSError:
        return None
    index = next((name for name in sorted(names) if name.startswith(".") and "sync" in name.casefold()), None)
    if index is None:
        return None
    stays = f"a program that keeps it in step with other computers has its index in it ({index})"
    return Guess(Kind.OTHER, 0.9, "it is kept in step with other computers", True, stays)


def cache_tag(shape: Shape, context: Context) -> Guess | None:
    folder = shape.folder
    if ".tag" in folder.own.extensions and _is_there(context.host, os.path.join(folder.path, CACHE_TAG)):
        return Guess(Kind.CACHE, 0.98, f"it is marked as a cache ({CACHE_TAG})", sealed=True)
    return None


def version_control(shape: Shape, context: Context) -> Guess | None:
    # In a second working copy of a repository, a file of that name leads to the first.
    linked = _is_there(context.host, os.path.join(shape.folder.path, _REPOSITORY))
    if linked or VERSION_CONTROL & shape.folder.below.keys():
        return Guess(Kind.PROJECT, 0.97, "it is under version control", sealed=True)
    return None


def _is_there(host: Host, path: str) -> bool:
    try:
        return host.files.exists(path)
    except OSError:
        return False


def mail(shape: Shape, context: Context) -> Guess | None:
    waiting, stays = [(shape.folder, 0)], "a mail program keeps its mail here"
    while waiting:
        folder, depth = waiting.pop()
        if folder.below.keys() >= MAIL_FOLDERS:
            return Guess(Kind.DOCUMENT, 0.9 - 0.02 * depth, "it holds mail", True, stays)
        if depth < 2 and folder.own.files < 2:
            waiting += [(inner, depth + 1) for inner in folder.below.values()]
    return None


def container_storage(shape: Shape, context: Context) -> Guess | None:
    """Layers of container images, as the tools of the open container formats keep them."""
    for folder in (shape.folder, shape.folder.below.get("storage")):
        if folder is not None and {"overlay", "overlay2"} & folder.below.keys():
            layers = folder.below.get("overlay") or folder.below["overlay2"]
            if any({"diff", "link"} & inner.below.keys() for inner in layers.below.values()):
                stays = "containers are stored here, and their tool expects them here"
                return Guess(Kind.OTHER, 0.97, "it stores containers", True, stays)
    return None


def windows_layer(shape: Shape, context: Context) -> Guess | None:
    inner = shape.folder.below.get(LAYER)
    if inner is None:
        return None
    if Shape(inner).is_title or any(Shape(folder).is_title for folder in _two_below(inner)):
        return Guess(Kind.GAME, 0.9, "a game that runs through a layer for Windows programs", sealed=True)
    return Guess(Kind.PROGRAM, 0.85, "programs that run through a layer for Windows programs", sealed=True)


def _two_below(folder: Folder) -> list[Folder]:
    return [low for inner in folder.below.values() for low in (inner, *inner.below.values())]


def machine(shape: Shape, context: Context) -> Guess | None:
    if shape.machine_share >= _NEARLY_ALL and shape.folder.own.files:
        return Guess(Kind.DISC_IMAGE, 0.9 * shape.machine_share, "nearly all of it is images of disks")
    extent = shape.folder.extent
    largest = os.path.join(shape.folder.path, extent.largest_file)
    if shape.folder.own.big and extent.largest_file_bytes >= _NEARLY_ALL * extent.bytes:
        what = image_format(context.host, largest)
        if what is not None:
            return Guess(Kind.DISC_IMAGE, 0.9, f"its largest file is an image of a disk ({what})")
    return None


def image_format(host: Host, path: str) -> str | None:
    """Which open format of disk images a file has, by its first bytes; None for any other file."""
    try:
        block = next(iter(host.files.blocks(path)), None)
    except OSError:
        return None
    begins = bytes(block.data[:16]) if block is not None and block.data is not None else b""
    return next((name for magic, name in _IMAGES.items() if begins.startswith(magic)), None)


# -- what it is called -------------------------------------------------------------------------------------


def cache_name(shape: Shape, context: Context) -> Guess | None:
    name = shape.folder.name.casefold()
    if "cache" not in name or name == "caches":
        return None
    hidden = ", and hidden" if name.startswith(".") else ""
    return Guess(Kind.CACHE, 0.85, f"its name says cache{hidden}", sealed=True)


def kind_name(shape: Shape, context: Context) -> Guess | None:
    name = shape.folder.name.casefold()
    if (shelf := SHELVES.get(name)) is not None:  # where what is on it is too small to be told apart
        return Guess(shelf, 0.45, f"its name is {shape.folder.name}")
    kind = ONE_LIBRARY.get(name)
    if kind is None:
        return None
    agrees = kind is Kind.DOWNLOAD or _with_family(shape, kind) >= _AGREES_SHARE
    return Guess(kind, 0.88 if agrees else 0.45, f"its name is {shape.folder.name}")


def backup_name(shape: Shape, context: Context) -> Guess | None:
    words = set(shape.folder.name.casefold().replace("-", " ").replace("_", " ").split())
    return Guess(Kind.BACKUP, 0.85, "its name says backup", sealed=True) if BACKUP_WORDS & words else None


# -- what it holds -----------------------------------------------------------------------------------------


def old_home(shape: Shape, context: Context) -> Guess | None:
    names = {name.casefold() for name in shape.folder.below}
    if len(names & HOME_WORDS) >= _FEWEST_ALIKE and names & OLD_HOME:
        return Guess(Kind.BACKUP, 0.93, "it looks like the home folder of another computer", sealed=True)
    return None


def project_parts(shape: Shape, context: Context) -> Guess | None:
    named = sorted(name for name in shape.folder.below if name.casefold() in PARTS)
    kinds = {PARTS[name.casefold()] for name in named}
    if len(kinds - {Kind.PROGRAM, Kind.GAME}) < 2:
        return None
    return Guess(Kind.PROJECT, 0.92, f"it has folders for {' and '.join(named[:3])}", sealed=True)


def dated_folders(shape: Shape, context: Context) -> Guess | None:
    below = shape.folder.below
    dated = sum(map(is_date, below))
    if dated >= _FEWEST_ALIKE and dated == len(below):
        return Guess(Kind.BACKUP, 0.6, f"it holds {dated} folders named by dates")
    return None


def unfinished(shape: Shape, context: Context) -> Guess | None:
    total = shape.folder.extent.bytes
    share = sum(shape.folder.extensions.get(ending, 0) for ending in UNFINISHED) / total if total else 0.0
    return Guess(Kind.DOWNLOAD, 0.75 * share, "downloads that are not finished") if share >= CLEAR_SHARE else None


def title(shape: Shape, context: Context) -> Guess | None:
    runs = shape.runnable
    if not runs:
        return None
    # Two titles side by side are a shelf, and no title.
    if shape.titles_below >= 2 and not shape.runs_itself:
        return None
    what = format_count(runs, "program") if runs != 1 else "a program"
    if shape.is_title:
        return Guess(Kind.GAME, 0.75, f"{what} with large data files")
    if not shape.runs_itself:
        return None
    loads = sum(shape.folder.extensions.get(ending, 0) for ending in LIBRARY_ENDINGS)
    if loads or runs >= 2:
        return Guess(Kind.PROGRAM, 0.65, f"{what} and what it loads")
    return Guess(Kind.PROGRAM, 0.4, f"it holds {what}")


def archives(shape: Shape, context: Context) -> Guess | None:
    """Nothing but large archives."""
    if shape.archive_share < _NEARLY_ALL:
        return None
    return Guess(Kind.BACKUP, 0.55, "nearly all of it is archives")


def contents(shape: Shape, context: Context) -> Guess | None:
    kind = max(MEDIA, key=lambda media: shape.shares[media])
    share = _with_family(shape, kind)
    if share < CLEAR_SHARE:
        return None
    return Guess(kind, 0.85 * share, f"{share:.0%} of its bytes are {_family_words(shape, kind)}")


_CAMERA = (Kind.PHOTO, Kind.VIDEO)
"""A camera writes both into the same folders."""


def _with_family(shape: Shape, kind: Kind) -> float:
    return sum(shape.shares[member] for member in _CAMERA) if kind in _CAMERA else shape.shares[kind]


def _family_words(shape: Shape, kind: Kind) -> str:
    other = next((member for member in _CAMERA if member is not kind), kind)
    mixed = kind in _CAMERA and shape.shares[other] >= 0.005
    return f"{PLURALS[kind]} and {PLURALS[other]}" if mixed else PLURALS[kind]


RULES: tuple[Rule, ...] = (
    standard_folder,
    cache_place,
    cache_tag,
    bundle,
    camera_card,
    kept_in_step,
    version_control,
    known_program,
    container_storage,
    mail,
    windows_layer,
    old_home,
    cache_name,
    project_parts,
    machine,
    kind_name,
    backup_name,
    dated_folders,
    installed_tree,
    title,
    archives,
    unfinished,
    contents,
    place_of_a_program,
)
