"""Taking an inventory: every single entry of one library is looked at, and no contents are read."""

from __future__ import annotations

import os
import stat
from collections import Counter
from operator import attrgetter

from nuvik.core.hosts.files import Files
from nuvik.core.hosts.many_files import Facts, facts_of, marks_of
from nuvik.core.model.errors import system_words
from nuvik.core.model.inventory import EntryRecord, Inventory
from nuvik.core.model.paths import is_within
from nuvik.core.model.progress import Stop
from nuvik.core.survey.walk.scan_folder import hole_bytes
from nuvik.core.survey.walk.walk_entries import Listed, walk

_PATH = attrgetter("path")
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
    taking = _Taking(root)
    try:
        facts = facts_of(files.facts(root))
        link = files.read_link(root) if stat.S_ISLNK(facts.st_mode) else None
    except OSError as fault:
        taking.report(root, system_words(fault))
        return taking.inventory
    if root not in without:
        taking.add("", facts, link)
    if stat.S_ISDIR(facts.st_mode):
        for listed in walk(files, root, facts.st_dev, taking.report, stop):
            left_out = any(is_within(os.path.join(root, listed.path), folder) for folder in without)
            if not left_out:
                taking.add_folder(listed, without)
    return taking.finished()


class _Taking:
    """An inventory that is being taken."""

    def __init__(self, root: str) -> None:
        self.inventory = Inventory(root)
        self._first_names: dict[str, str] = {}
        self._names_seen: Counter[str] = Counter()
        self._link_counts: dict[str, int] = {}

    def report(self, path: str, what: str) -> None:
        self.inventory.unreadable.append((path, what))

    def add_folder(self, listed: Listed, without: frozenset[str]) -> None:
        """Add what lies directly in a folder."""
        root, files = self.inventory.root, listed.files
        if without:
            files = [entry for entry in files if os.path.join(root, entry.path) not in without]
        self.inventory.entries.update(zip(map(_PATH, files), files, strict=True))
        if listed.holes:
            self.inventory.hole_bytes += sum(listed.holes.get(entry.path, 0) for entry in files)
        for name, facts in listed.others:
            path = os.path.join(listed.path, name)
            if os.path.join(root, path) not in without:
                self.add(path, facts, listed.links.get(name))

    def add(self, path: str, facts: Facts, link: str | None) -> None:
        """Add an entry of any kind."""
        kind = stat.S_IFMT(facts.st_mode)
        if kind in _SPECIAL:
            self.inventory.special.append((path, _SPECIAL[kind]))
            return
        try:
            record = self._record(path, facts, link)
        except OSError as fault:
            self.report(os.path.join(self.inventory.root, path), system_words(fault))
            return
        self.inventory.entries[path] = record
        if kind == stat.S_IFREG:
            self._names_seen[record.inode] += 1
            self._link_counts[record.inode] = facts.st_nlink
            if record.kind == "file":
                self.inventory.hole_bytes += hole_bytes(facts)

    def _record(self, path: str, facts: Facts, link: str | None) -> EntryRecord:
        root, marks = self.inventory.root, marks_of(facts)
        if stat.S_ISDIR(facts.st_mode):
            return EntryRecord(path, "folder", 0, *marks)
        if link is not None:
            return EntryRecord(path, "link", 0, *marks, link=link, carried_link=_carried_link(root, path, link))
        first = self._first_names.setdefault(marks[-1], path)
        if first == path:
            return EntryRecord(path, "file", facts.st_size, *marks)
        return EntryRecord(path, "hard-link", facts.st_size, *marks, link=first)

    def finished(self) -> Inventory:
        """The inventory, with the files that have names outside the library."""
        self.inventory.linked_outside = [
            self._first_names[inode] for inode, count in self._link_counts.items() if count > self._names_seen[inode]
        ]
        return self.inventory


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
    by_words = os.path.normpath(os.path.join(place, folder))
    # Above a link, `..` leads elsewhere than the words say: then only the real place is true.
    goal = by_words if os.path.realpath(by_words) == leads_to else leads_to
    return os.path.join(goal, last) if last else goal


def _climbs_out(root: str, place: str, words: str) -> bool:
    """Whether following these words from `place` leaves the library, be it to come back in by its own name."""
    at = os.path.realpath(place)
    for word in words.split(os.sep):
        at = os.path.realpath(os.path.join(at, word))
        if not is_within(at, root):
            return True
    return False
