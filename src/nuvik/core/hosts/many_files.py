"""Very many small files: looking at all entries of a folder, reading files whole, and writing them with their marks.

For a library of tens of thousands of files what counts is not the disk but how much is done for each file. Where a C
compiler was at hand when Nuvik was installed, `many_files_c` does each of these in one call; elsewhere a listing has
its plain way below, and files are read and written in blocks. Both are held to the same result by a test.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Iterable
from typing import NamedTuple

from nuvik.core.hosts import syscalls
from nuvik.core.hosts.descent import Handle, facts_in
from nuvik.core.model.inventory import EntryRecord

try:
    from nuvik.core.hosts import _many_files as fast  # type: ignore[attr-defined]
except ImportError:
    fast = None

SMALL_BYTES = 1 << 20
"""Files up to this length are read and written whole."""
LATEST_NS = 2**63 - 1
"""The latest time that is told apart, in the year 2262; the earliest is its opposite, in 1677."""
IN_ONE_CALL = fast is not None
"""Whether files can be read and written whole."""
LOOKS_IN_ONE_CALL = hasattr(fast, "look_many")
"""Whether many can be looked into at once."""


class Facts(NamedTuple):
    """What the system knows of an entry, by the names that `os.stat_result` has for it."""

    st_mode: int
    st_size: int
    st_uid: int
    st_gid: int
    st_atime_ns: int
    st_mtime_ns: int
    st_ctime_ns: int
    st_dev: int
    st_ino: int
    st_nlink: int
    st_blocks: int


class FolderEntries(NamedTuple):
    """What lies directly in a folder, each part in the order of the bytes of the names."""

    files: list[EntryRecord]
    """The files that have a single name: nearly all there is."""
    others: list[tuple[str, Facts | OSError]]
    """Names of anything else, with what the system knows of it, or why nothing is known."""
    holes: dict[str, int]
    """By the path of a file, how many bytes it is longer than what it holds on the disk; without those that are not."""


class SmallFile(NamedTuple):
    """A file that was read whole."""

    contents: bytes | None
    """None when it is no small file without holes: then it is read in blocks."""
    has_attributes: bool


class Inside(NamedTuple):
    """What only opening a file or folder tells of it."""

    fixed: str
    """Why nobody may change, remove or rename it (`immutable`); empty when it is not so marked."""
    written: bool | None
    """Whether some program has it open, or mapped, for writing; None for a folder, and where that cannot be told."""
    has_attributes: bool
    """It may have extended attributes."""

    @property
    def is_usual(self) -> bool:
        """There is nothing to say of it."""
        return not (self.fixed or self.written or self.has_attributes)


class ToCopy(NamedTuple):
    """A small file that is to be copied whole."""

    source: str
    target: str
    size: int
    marks: EntryRecord
    """Whose mode, owner, group and times its copy gets."""


class SmallCopy(NamedTuple):
    """A small file that was copied whole."""

    checksum: str
    """Of what was read from the source."""
    bytes: int
    marked: bool
    """It has its marks; if not, it came with extended attributes of its folder, or one of its marks was not kept."""


def _within_bounds(moment_ns: int) -> int:
    return min(max(moment_ns, -LATEST_NS - 1), LATEST_NS)


def facts_of(facts: os.stat_result) -> Facts:
    """The same, from what the system says at once; times beyond the years 1677 to 2262 become that bound."""
    blocks = getattr(facts, "st_blocks", -(-facts.st_size // 512))
    return Facts(
        facts.st_mode,
        facts.st_size,
        facts.st_uid,
        facts.st_gid,
        _within_bounds(facts.st_atime_ns),
        _within_bounds(facts.st_mtime_ns),
        _within_bounds(facts.st_ctime_ns),
        facts.st_dev,
        facts.st_ino,
        facts.st_nlink,
        blocks,
    )


def list_entries(folder: Handle, above: str) -> FolderEntries:
    """What lies directly in an open folder; the paths of its files begin with `above`. Raises OSError when the folder
    cannot be read.
    """
    if fast is None or not isinstance(folder, int):
        return list_entries_plainly(folder, above)
    files, others, holes = fast.list_entries(folder, above, EntryRecord, Facts)
    return FolderEntries(
        files,
        [
            (name, OSError(facts, os.strerror(facts), name) if isinstance(facts, int) else facts)
            for name, facts in others
        ],
        holes,
    )


def list_entries_plainly(folder: Handle, above: str) -> FolderEntries:
    """As `list_entries`, with nothing but the standard library."""
    with os.scandir(folder) as listed:
        names = sorted((entry.name for entry in listed), key=os.fsencode)
    files: list[EntryRecord] = []
    others: list[tuple[str, Facts | OSError]] = []
    holes: dict[str, int] = {}
    for name in names:
        try:
            facts = facts_of(facts_in(folder, name))
        except OSError as fault:
            others.append((name, fault))
            continue
        if stat.S_ISREG(facts.st_mode) and facts.st_nlink == 1:
            files.append(EntryRecord(above + name, "file", facts.st_size, *marks_of(facts)))
            if facts.st_size > facts.st_blocks * 512:
                holes[above + name] = facts.st_size - facts.st_blocks * 512
        else:
            others.append((name, facts))
    return FolderEntries(files, others, holes)


def marks_of(facts: Facts) -> tuple[int, int, int, int, int, int, str]:
    """Mode, owner, group, the three times, and which file it is, as a record has them."""
    return (
        stat.S_IMODE(facts.st_mode),
        facts.st_uid,
        facts.st_gid,
        facts.st_atime_ns,
        facts.st_mtime_ns,
        facts.st_ctime_ns,
        f"{facts.st_dev}:{facts.st_ino}",
    )


Place = tuple[int, str]
"""An open folder, and the name of a file in it."""


def read_many(places: list[Place], past_cache: bool, width: int) -> list[SmallFile | OSError]:
    """Read files whole, `width` at a time, where they are small and have no holes; links are not followed.

    With `past_cache` the system's cache is passed over where it allows. Only where `IN_ONE_CALL`.
    """
    return [
        OSError(read, os.strerror(read)) if isinstance(read, int) else SmallFile._make(read)
        for read in fast.read_many(places, SMALL_BYTES, past_cache, width)
    ]


def write_many(
    writings: Iterable[tuple[Place, bytes, EntryRecord]], owned: bool, flush: bool, width: int
) -> list[bool | OSError]:
    """Write new files with the marks of others, `width` at a time; a group that is out of reach is left as it came.
    `owned` says whether the file system keeps owners and permission bits.

    Gives of each whether it has its marks: a file that came with extended attributes has none of them yet.
    FileExistsError for a name that is taken. Only where `IN_ONE_CALL`.
    """
    asked = [
        (folder, name, contents, marks.mode, marks.user, marks.group, marks.accessed_ns, marks.changed_ns, owned, flush)
        for (folder, name), contents, marks in writings
    ]
    return [
        written if isinstance(written, bool) else OSError(written, os.strerror(written))
        for written in fast.write_many(asked, width)
    ]


def look_many(folder: int, names: list[str], only_written: bool) -> dict[str, Inside | OSError]:
    """By their names, those files and folders in an open folder of which opening tells anything out of the ordinary;
    `only_written` looks for nothing but files that somebody may write to. Only where `LOOKS_IN_ONE_CALL`.
    """
    # Listing them read all that opening needs: from here on it is work for the processor alone, on any drive.
    width = _LOOKING_AT_ONCE if len(names) >= _WORTH_HELPERS else 1
    return {
        name: OSError(seen, os.strerror(seen), name)
        if isinstance(seen, int)
        else Inside(syscalls.fixed_words(seen[0]), _WRITTEN[seen[1]], bool(seen[2]))
        for name, seen in fast.look_many(folder, names, only_written, width)
    }


_WRITTEN = (False, True, None)
_LOOKING_AT_ONCE, _WORTH_HELPERS = 2, 64


class ToRemove(NamedTuple):
    """A file or link that is to go, and what it has to be: then anything else of its name stays."""

    name: str
    which: str = ""
    """Which file or link it has to be, as a record has it; empty where anything of that name may go."""
    size: int = -1
    """Negative where neither length nor time counts, as of a link."""
    changed_ns: int = 0


def remove_many(folder: int, going: list[ToRemove]) -> None:
    """Remove files and links of an open folder. Raises OSError with the name of what cannot go. Only where
    `IN_ONE_CALL`.
    """
    done, fault = fast.remove_many(folder, going)
    if fault:
        raise OSError(fault, os.strerror(fault), going[done].name)
