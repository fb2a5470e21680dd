"""Taking an inventory: every single entry of one library is looked at, and no contents are read."""

from __future__ import annotations

import os
import stat
from collections import Counter

from nuvik.core.hosts.files import Files
from nuvik.core.hosts.many_files import Facts
from nuvik.core.model.inventory import EntryRecord, Inventory
from nuvik.core.model.paths import is_within
from nuvik.core.model.progress import Stop
from nuvik.core.survey.walk.scan_folder import hole_bytes
from nuvik.core.survey.walk.walk_entries import Entry, walk

_SPECIAL = {
    stat.S_IFSOCK: "a socket",
    stat.S_IFIFO: "a named pipe",
    stat.S_IFBLK: "a block device",
    stat.S_IFCHR: "a character device",
}


def take_inventory(
    files: Files, root: str, stop: Stop | None = None, without: frozenset[str] = frozenset()
) -> Inventory:
    """Look at every entry of a library, reading no contents; not at the folders `without`. Raises StopRequested."""
    result = Inventory(root)
    first_names: dict[str, str] = {}
    names_seen: Counter[str] = Counter()
    link_counts: dict[str, int] = {}
    for entry in walk(files, root, lambda path, what: result.unreadable.append((path, what)), stop):
        if without and any(is_within(os.path.join(root, entry.path), folder) for folder in without):
            continue
        path, facts = entry.path, entry.facts
        kind = stat.S_IFMT(facts.st_mode)
        if kind in _SPECIAL:
            result.special.append((path, _SPECIAL[kind]))
            continue
        if kind == stat.S_IFREG and facts.st_nlink == 1:  # nearly all there is
            result.entries[path] = EntryRecord(path, "file", facts.st_size, *_marks(facts))
            result.hole_bytes += hole_bytes(facts)
            continue
        try:
            record = _record(root, entry, first_names)
        except OSError as fault:
            result.unreadable.append((os.path.join(root, path), (fault.strerror or str(fault)).lower()))
            continue
        result.entries[path] = record
        if kind == stat.S_IFREG:
            names_seen[record.inode] += 1
            link_counts[record.inode] = facts.st_nlink
            if record.kind == "file":
                result.hole_bytes += hole_bytes(facts)
    result.linked_outside = [first_names[inode] for inode, count in link_counts.items() if count > names_seen[inode]]
    return result


def _marks(facts: Facts) -> tuple[int, int, int, int, int, int, str]:
    """Mode, owner, group, the three times, and which file it is."""
    return (
        stat.S_IMODE(facts.st_mode),
        facts.st_uid,
        facts.st_gid,
        facts.st_atime_ns,
        facts.st_mtime_ns,
        facts.st_ctime_ns,
        f"{facts.st_dev}:{facts.st_ino}",
    )


def _record(root: str, entry: Entry, first_names: dict[str, str]) -> EntryRecord:
    """Of a folder, a link, or a file of several names."""
    path, facts = entry.path, entry.facts
    marks = _marks(facts)
    if entry.is_folder:
        return EntryRecord(path, "folder", 0, *marks)
    if entry.link is not None:
        return EntryRecord(path, "link", 0, *marks, link=entry.link, carried_link=_carried_link(root, path, entry.link))
    first = first_names.setdefault(marks[-1], path)
    if first == path:
        return EntryRecord(path, "file", facts.st_size, *marks)
    return EntryRecord(path, "hard-link", facts.st_size, *marks, link=first)


def _carried_link(root: str, path: str, link: str) -> str | None:
    """What a copied link must say where its own words would lead elsewhere from the new place; None: the same.

    Only a relative link that leaves the library needs that: it becomes an absolute one. It names its goal by the
    path that the user knows, not by where that now lies: a goal that was itself moved is found through its tether,
    and stays found when that move is taken back.
    """
    if os.path.isabs(link):
        return None
    place = os.path.dirname(os.path.join(root, path)) if path else os.path.dirname(root)
    folder, last = os.path.split(link)
    if last in ("", ".", ".."):
        folder, last = link, ""
    if not _climbs_out(os.path.realpath(root), place, folder):
        return None
    leads_to = os.path.realpath(os.path.join(place, folder))
    as_said = os.path.normpath(os.path.join(place, folder))
    # Above a link, `..` leads elsewhere than the words say: then only the real place is true.
    goal = as_said if os.path.realpath(as_said) == leads_to else leads_to
    return os.path.join(goal, last) if last else goal


def _climbs_out(root: str, place: str, words: str) -> bool:
    """Whether following these words from `place` leaves the library, be it to come back in by its own name."""
    at = os.path.realpath(place)
    for word in words.split(os.sep):
        at = os.path.realpath(os.path.join(at, word))
        if not is_within(at, root):
            return True
    return False
