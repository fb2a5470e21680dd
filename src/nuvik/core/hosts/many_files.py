"""Very many small files: looking at all entries of a folder, reading files whole, and writing them with their marks.

For a library of tens of thousands of files what counts is not the disk but how much is done for each file. Where a C
compiler was at hand when Nuvik was installed, `_many_files.c` does each of these in one call; elsewhere a listing has
its plain way below, and files are read and written in blocks. Both are held to the same result by a test.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import NamedTuple

from nuvik.core.hosts import syscalls
from nuvik.core.hosts.descent import Handle, facts_in

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


class SmallFile(NamedTuple):
    """A file that was read whole."""

    contents: bytes | None
    """None when it is no small file without holes: then it is read in blocks."""
    facts: Facts
    has_attributes: bool


class Marks(NamedTuple):
    """What a file that is written gets besides its contents."""

    mode: int
    user: int
    group: int
    accessed_ns: int
    changed_ns: int
    owned: bool
    """Whether the file system keeps owners and permission bits."""

    def are_those_of(self, facts: Facts) -> bool:
        """Whether a file that was written has them."""
        if facts.st_mtime_ns != self.changed_ns:
            return False
        return not self.owned or (facts.st_uid, facts.st_gid) == (self.user, self.group)


class Inside(NamedTuple):
    """What only opening a file or folder tells of it."""

    fixed: str
    """Why nobody may change, remove or rename it (`immutable`); empty when it is not so marked."""
    written: bool | None
    """Whether some program has it open, or mapped, for writing; None for a folder, and where that cannot be told."""
    has_attributes: bool
    """It may have extended attributes."""


class ToCopy(NamedTuple):
    """A small file that is to be copied whole."""

    source: str
    target: str
    size: int
    marks: Marks


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


def list_entries(folder: Handle) -> list[tuple[str, Facts | OSError]]:
    """The entries of an open folder in the order of their names' bytes, each with what is known of it, or why nothing
    is. Raises OSError when the folder cannot be read.
    """
    if fast is None or not isinstance(folder, int):
        return list_entries_plainly(folder)
    return [
        (name, Facts._make(facts) if isinstance(facts, tuple) else OSError(facts, os.strerror(facts), name))
        for name, facts in fast.list_entries(folder)
    ]


def list_entries_plainly(folder: Handle) -> list[tuple[str, Facts | OSError]]:
    """As `list_entries`, with nothing but the standard library."""
    with os.scandir(folder) as listed:
        names = sorted((entry.name for entry in listed), key=os.fsencode)
    entries: list[tuple[str, Facts | OSError]] = []
    for name in names:
        try:
            entries.append((name, facts_of(facts_in(folder, name))))
        except OSError as fault:
            entries.append((name, fault))
    return entries


Place = tuple[int, bytes]
"""An open folder, and the name of a file in it."""


def read_many(places: list[Place], past_cache: bool, width: int) -> list[SmallFile | OSError]:
    """Read files whole, `width` at a time, where they are small and have no holes; links are not followed.

    With `past_cache` the system's cache is passed over where it allows. Only where `IN_ONE_CALL`.
    """
    return [
        OSError(read, os.strerror(read))
        if isinstance(read, int)
        else SmallFile(read[0], Facts._make(read[1]), bool(read[2]))
        for read in fast.read_many(places, SMALL_BYTES, past_cache, width)
    ]


def write_many(
    writings: list[tuple[Place, bytes, Marks]], flush: bool, width: int
) -> list[tuple[Facts, bool] | OSError]:
    """Write new files with their marks, `width` at a time; a group that is out of reach is left as it came.

    Gives what is known of each then, and whether it came with extended attributes: then it has none of its marks yet.
    FileExistsError for a name that is taken. Only where `IN_ONE_CALL`.
    """
    asked = [(*place, contents, *marks, flush) for place, contents, marks in writings]
    return [
        OSError(written, os.strerror(written))
        if isinstance(written, int)
        else (Facts._make(written[0]), bool(written[1]))
        for written in fast.write_many(asked, width)
    ]


def look_many(folder: int, names: Sequence[str]) -> list[Inside | OSError]:
    """What only opening tells of files and folders in an open folder. Only where `LOOKS_IN_ONE_CALL`."""
    # Listing them read all that opening needs: from here on it is work for the processor alone, on any drive.
    width = _LOOKING_AT_ONCE if len(names) >= _WORTH_HELPERS else 1
    encoded = [os.fsencode(name) for name in names]
    return [
        OSError(seen, os.strerror(seen), name)
        if isinstance(seen, int)
        else Inside(syscalls.fixed_words(seen[0]), _WRITTEN[seen[1]], bool(seen[2]))
        for name, seen in zip(names, fast.look_many(folder, encoded, width), strict=True)
    ]


_WRITTEN = (False, True, None)
_LOOKING_AT_ONCE, _WORTH_HELPERS = 2, 64


class ToRemove(NamedTuple):
    """A file or link that is to go, and what it has to be: then anything else of its name stays."""

    name: str
    device: int = 0
    inode: int = 0
    size: int = -1
    """Negative where neither length nor time counts, as of a link."""
    changed_ns: int = 0
    compared: bool = False
    """Whether it has to be this one."""


def remove_many(folder: int, going: Sequence[ToRemove]) -> None:
    """Remove files and links of an open folder. Raises OSError with the name of what cannot go. Only where
    `IN_ONE_CALL`.
    """
    asked = [
        (os.fsencode(each.name), each.compared, each.device, each.inode, each.size, each.changed_ns) for each in going
    ]
    done, fault = fast.remove_many(folder, asked)
    if fault:
        raise OSError(fault, os.strerror(fault), going[done].name)
