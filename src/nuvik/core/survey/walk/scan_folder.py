"""Looking at everything in one folder at once: what lies there is added up, and what needs more is named.

Where a C compiler was at hand when Nuvik was installed, `_scan_folder.c` does this and the whole walk takes about
two thirds of the time; the plain way below gives the same, and both are held to that by a test.
"""

from __future__ import annotations

import os
import stat
import sys
from dataclasses import dataclass, field
from operator import attrgetter, itemgetter
from typing import TYPE_CHECKING, Any

from nuvik.core.model.extent import size_class

if TYPE_CHECKING:
    from nuvik.core.hosts.many_files import Facts

try:
    from nuvik.core.survey.walk import _scan_folder as fast  # type: ignore[attr-defined]
except ImportError:
    fast = None

IN_C = fast is not None
"""Whether the compiled part is there."""
_AT_ONCE = 2048
"""Names looked at together in the plain way: more would only take memory."""
HAS_BLOCKS = hasattr(os.stat_result, "st_blocks")

# Windows marks files that a cloud service fetches when they are opened, and links to folders, by attributes and tags
# (winnt.h: FILE_ATTRIBUTE_OFFLINE, _RECALL_ON_OPEN, _RECALL_ON_DATA_ACCESS; IsReparseTagNameSurrogate); macOS by a flag
# (sys/stat.h: SF_DATALESS).
_WINDOWS_NOT_HERE = 0x1000 | 0x40000 | 0x400000
_WINDOWS_REPARSE, _WINDOWS_SURROGATE = 0x400, 0x20000000
_MAC_DATALESS = 0x40000000
MAY_BE_AWAY = sys.platform in ("win32", "darwin")
"""Whether this system marks placeholders at all."""


@dataclass(slots=True)
class FolderScan:
    """What lies directly in a folder, added up, with the names that need more than adding. The compiled part gives its
    fields in this order.
    """

    entries: int = 0
    files: int = 0
    """Plain files of one name; so are all sums and classes."""
    bytes: int = 0
    blocks: int = 0
    """Blocks of 512 bytes held by these, and by links and special files."""
    largest_bytes: int = 0
    largest: str = ""
    changed_s: int = 0
    read_s: int = 0
    """The newest of each, in whole seconds since 1970."""
    cold_bytes: int = 0
    programs: int = 0
    hole_bytes: int = 0
    """By how much files are longer than what they hold on the disk."""
    histogram: dict[int, int] = field(default_factory=dict)
    endings: dict[str, int] = field(default_factory=dict)
    folders: list[str] = field(default_factory=list)
    odd: list[tuple[str, int]] = field(default_factory=list)
    """Name and mode of links, special files, and files of several names or perhaps not here."""
    junctions: list[str] = field(default_factory=list)
    """What scan like a folder and is a link to one (Windows)."""
    big: list[tuple[str, int, int]] = field(default_factory=list)
    """Name, size and newest content of large files."""
    failed: list[tuple[str, OSError]] = field(default_factory=list)
    """What could not be looked at. What vanished meanwhile is left out."""


def scan_folder(handle: int | str, cold_before_s: int, big_bytes: int) -> FolderScan:
    """All that lies in a folder. Raises OSError when the folder cannot be read."""
    if fast is None or not isinstance(handle, int) or MAY_BE_AWAY:
        return scan_folder_plainly(handle, cold_before_s, big_bytes)
    return FolderScan(*fast.scan_folder(handle, cold_before_s, big_bytes))


def scan_folder_plainly(handle: int | str, cold_before_s: int, big_bytes: int) -> FolderScan:
    """As `scan_folder`, with nothing but the standard library."""
    scan, entries = FolderScan(), list[os.DirEntry[str]]()
    with os.scandir(handle) as entry_facts:
        for entry in entry_facts:
            scan.entries += 1
            if not entry.is_dir(follow_symlinks=False):
                entries.append(entry)
                if len(entries) == _AT_ONCE:
                    _add_up(scan, entries, cold_before_s, big_bytes)
                    entries = []
            elif _is_junction(entry):
                scan.junctions.append(entry.name)
            else:
                scan.folders.append(entry.name)
    if entries:
        _add_up(scan, entries, cold_before_s, big_bytes)
    return scan


def _add_up(scan: FolderScan, entries: list[os.DirEntry[str]], cold_before_s: int, big_bytes: int) -> None:
    names, facts = _plain_files(scan, entries)
    if not facts:
        return
    modes, sizes, read, changed = zip(*map(_COLUMNS, facts), strict=True)
    total, largest = sum(sizes), max(sizes)
    scan.files += len(names)
    scan.bytes += total
    scan.blocks += sum(map(_BLOCKS, facts))
    scan.changed_s, scan.read_s = max(scan.changed_s, *changed), max(scan.read_s, *read)
    if largest > scan.largest_bytes:
        scan.largest_bytes, scan.largest = largest, names[sizes.index(largest)]
    if HAS_BLOCKS:
        scan.hole_bytes += sum(hole_bytes(entry_facts) for entry_facts in facts)
    scan.programs += sum(mode & 0o111 != 0 for mode in modes)
    for name, size, when, seen in zip(names, sizes, changed, read, strict=True):
        units = size_class(size)
        scan.histogram[units] = scan.histogram.get(units, 0) + 1
        ending = _ending(name)
        if ending not in scan.endings and len(scan.endings) >= _ENDINGS:
            ending = ""
        if ending or size:
            scan.endings[ending] = scan.endings.get(ending, 0) + size
        if when < cold_before_s and seen < cold_before_s:
            scan.cold_bytes += size
        if size >= big_bytes:
            scan.big.append((name, size, when))


def _plain_files(scan: FolderScan, entries: list[os.DirEntry[str]]) -> tuple[list[str], list[os.stat_result]]:
    """The files that need no more than adding up; the others are noted."""
    names, all_facts = [], []
    for entry in entries:
        try:
            facts = entry.stat(follow_symlinks=False)
        except FileNotFoundError:
            continue
        except OSError as fault:
            scan.failed.append((entry.name, fault))
            continue
        if stat.S_ISREG(facts.st_mode) and facts.st_nlink <= 1 and not (MAY_BE_AWAY and not_here(facts)):
            names.append(entry.name)
            all_facts.append(facts)
            continue
        scan.odd.append((entry.name, facts.st_mode))
        if not stat.S_ISREG(facts.st_mode):
            scan.blocks += _BLOCKS(facts) if HAS_BLOCKS else 0
    return names, all_facts


def _ending(name: str) -> str:
    """In lower case, with its dot; empty for a name without one, with nothing before it, or with one that is long."""
    before, dot, ending = name.rpartition(".")
    encoded = len(os.fsencode(ending))
    if not before or not dot or not 0 < encoded < _ENDING_LENGTH:
        return ""
    return "." + (ending.lower() if ending.isascii() else "".join(c.lower() if c.isascii() else c for c in ending))


_ENDINGS, _ENDING_LENGTH = 64, 12
_COLUMNS = itemgetter(stat.ST_MODE, stat.ST_SIZE, stat.ST_ATIME, stat.ST_MTIME)
"""By place, which is quicker than by name; times in whole seconds."""
_BLOCKS = attrgetter("st_blocks" if HAS_BLOCKS else "st_size")


def hole_bytes(facts: os.stat_result | Facts) -> int:
    """By how much a file is longer than what it holds on the disk; 0 where the system does not tell."""
    return max(0, facts.st_size - facts.st_blocks * 512) if HAS_BLOCKS else 0


def not_here(facts: Any, system: str = sys.platform) -> bool:
    """Whether a file is a placeholder for one that lies with a cloud service."""
    if system == "win32":
        return bool(facts.st_file_attributes & _WINDOWS_NOT_HERE)
    return system == "darwin" and bool(facts.st_flags & _MAC_DATALESS)


def leads_elsewhere(facts: Any) -> bool:
    """Whether what scan like a folder on Windows is a link to one (a junction)."""
    return bool(facts.st_file_attributes & _WINDOWS_REPARSE and facts.st_reparse_tag & _WINDOWS_SURROGATE)


def _is_junction(entry: os.DirEntry[str]) -> bool:
    return sys.platform == "win32" and leads_elsewhere(entry.stat(follow_symlinks=False))
