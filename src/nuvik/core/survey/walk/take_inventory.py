"""Taking an inventory: every single entry of one library is looked at, and no contents are read."""

from __future__ import annotations

import os
import stat
from collections import Counter

from nuvik.core.hosts.files import Files
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
        what = _SPECIAL.get(stat.S_IFMT(entry.facts.st_mode))
        if what is not None:
            result.special.append((entry.path, what))
            continue
        try:
            record = _record(root, entry, first_names)
        except OSError as fault:
            result.unreadable.append((os.path.join(root, entry.path), (fault.strerror or str(fault)).lower()))
            continue
        result.entries[entry.path] = record
        if record.kind == "file":
            result.hole_bytes += hole_bytes(entry.facts)
        if entry.is_file and entry.facts.st_nlink > 1:
            names_seen[record.inode] += 1
            link_counts[record.inode] = entry.facts.st_nlink
    result.linked_outside = [first_names[inode] for inode, count in link_counts.items() if count > names_seen[inode]]
    return result


def _record(root: str, entry: Entry, first_names: dict[str, str]) -> EntryRecord:
    facts = entry.facts
    inode = f"{facts.st_dev}:{facts.st_ino}"
    kind, link, carried = "file", None, None
    if entry.is_folder:
        kind = "folder"
    elif entry.link is not None:
        kind, link = "link", entry.link
        carried = _carried_link(root, entry.path, link)
    elif facts.st_nlink > 1:
        first = first_names.setdefault(inode, entry.path)
        if first != entry.path:
            kind, link = "hard-link", first
    return EntryRecord(
        path=entry.path,
        kind=kind,
        size=facts.st_size if entry.is_file else 0,
        mode=stat.S_IMODE(facts.st_mode),
        user=facts.st_uid,
        group=facts.st_gid,
        accessed_ns=facts.st_atime_ns,
        changed_ns=facts.st_mtime_ns,
        altered_ns=facts.st_ctime_ns,
        inode=inode,
        link=link,
        carried_link=carried,
    )


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
