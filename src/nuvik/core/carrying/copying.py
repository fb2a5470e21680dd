"""Copying a library into its incoming folder, file by file, so that a stop loses no more than one file's work."""

from __future__ import annotations

import os
import time
from collections.abc import Mapping
from dataclasses import dataclass, replace

from nuvik.core.carrying.aside_folders import incoming, incoming_folder, make_aside, make_way
from nuvik.core.carrying.marks import checksum_of_attributes, difference, mark, mark_open, read_attributes
from nuvik.core.carrying.work import Meter, Work
from nuvik.core.hosts.checksum import Checksum
from nuvik.core.hosts.files import Files
from nuvik.core.model.errors import Stopped
from nuvik.core.model.filesystems import FileSystem
from nuvik.core.model.inventory import EntryRecord, Inventory
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.survey.walk.take_inventory import take_inventory

_KEEP_EVERY_S = 1.0
_KEEP_EVERY = 256
_OWNER_MAY_ALL = 0o700


class _Notebook:
    """Collects what was copied and writes it to the journal every second or so."""

    def __init__(self, work: Work, move: Move) -> None:
        self._work, self._move = work, move
        self._waiting: list[EntryRecord] = []
        self._last = time.monotonic()

    def add(self, entry: EntryRecord) -> None:
        self._waiting.append(entry)
        if len(self._waiting) >= _KEEP_EVERY or time.monotonic() - self._last > _KEEP_EVERY_S:
            self.keep()

    def keep(self) -> None:
        if self._waiting:
            self._work.journal.keep_entries(self._move, self._waiting)
        self._waiting, self._last = [], time.monotonic()


def copy_library(work: Work, move: Move) -> None:
    """Bring the incoming copy up to date with the source: what is copied and unchanged is not copied again.

    Raises Stopped when the source holds what cannot be carried, StopRequested, or OSError.
    """
    files = work.files
    make_way(files, move.made_folders)
    make_aside(work, move, "incoming")
    source = readable_inventory(work, move, move.source)
    known = work.journal.entries(move)
    there = _clear_strangers(work, move, source, known)
    flush_each = not files.sync_volume(incoming_folder(move))
    drive = work.drive(move.target_drive)
    assert drive is not None
    rules = drive.rules
    meter = Meter(work, move, "copying", source.bytes)
    copier = _Copier(files, move.source, incoming(move), rules, flush_each, there, meter)
    notebook = _Notebook(work, move)
    marks = marks_to_restore(work, move)
    try:
        for path, entry in source.entries.items():
            before = known.get(path)
            if before is not None and before.same_as(entry) and _is_there(work, move, before, marks.get(path), rules):
                meter.add(entry.size)
                continue
            notebook.add(copier.copy(entry, marks.get(path)))
    finally:
        notebook.keep()
    for path, entry in reversed(source.entries.items()):
        if entry.kind == "folder":
            copier.mark_folder(marks.get(path) or entry)
    files.sync_volume(incoming_folder(move))


def readable_inventory(work: Work, move: Move, root: str) -> Inventory:
    """The inventory of a library all of which can be carried. Raises Stopped."""
    inventory = take_inventory(work.files, root, work.stop)
    troubles = [*inventory.unreadable, *inventory.special]
    if troubles:
        path, what = troubles[0]
        raise Stopped(
            f"{shown(move.library)}: {shown(path)} cannot be carried ({what}).",
            next_step="Fix that and run “nuvik resume”, or “nuvik undo last”.",
        )
    return inventory


def _clear_strangers(work: Work, move: Move, source: Inventory, known: dict[str, EntryRecord]) -> set[str]:
    """Remove from the incoming copy what the source no longer has; gives the paths that are there."""
    gone = [path for path in known if path not in source.entries]
    work.journal.drop_entries(move, gone)
    root = incoming(move)
    if not work.files.exists(root):
        return set()
    there = take_inventory(work.files, root, work.stop).entries
    for path, entry in there.items():
        if entry.kind == "folder" and entry.mode & _OWNER_MAY_ALL != _OWNER_MAY_ALL:
            work.files.mark_mode(_inside(root, path), entry.mode | _OWNER_MAY_ALL)
    for path, entry in reversed(there.items()):
        theirs = source.entries.get(path)
        if theirs is None or (theirs.kind == "folder") != (entry.kind == "folder"):
            work.files.remove_tree(_inside(root, path))
    return set(there)


def _is_there(work: Work, move: Move, entry: EntryRecord, marks: EntryRecord | None, rules: FileSystem) -> bool:
    """Whether an entry is in the incoming copy as it was copied, its marks included; the proof looks closer."""
    place = _inside(incoming(move), entry.path)
    if not work.files.exists(place):
        return False
    facts = work.files.facts(place)
    if entry.kind == "hard-link":
        first = _inside(incoming(move), entry.link or "")
        return work.files.exists(first) and work.files.facts(first).st_ino == facts.st_ino
    if entry.kind == "file" and (entry.checksum is None or facts.st_size != entry.size):
        return False
    return entry.kind == "folder" or difference(facts, marks or entry, rules) is None


def marks_to_restore(work: Work, move: Move) -> dict[str, EntryRecord]:
    """When a move is taken back: the entries as they once were, for what the other drive could not keep of them."""
    away_drive = work.drive(move.source_drive)
    if move.undoes is None or away_drive is None:
        return {}
    here, restored = take_inventory(work.files, move.source, work.stop).entries, {}
    for path, once in work.journal.entries(work.journal.move(move.undoes)).items():
        now = here.get(path)
        if now is None or now.kind != once.kind:
            continue
        if once.kind == "link" and once.carried_link is not None and now.link == once.carried_link:
            restored[path] = replace(now, carried_link=once.link)
        elif not away_drive.rules.permissions:
            same_time = abs(now.changed_ns - once.changed_ns) <= away_drive.rules.time_step_ns
            restored[path] = once if same_time else replace(now, mode=once.mode, user=once.user, group=once.group)
    return restored


@dataclass(slots=True)
class _Copier:
    """Copies entries of one library, one after the other, folders before what they hold."""

    files: Files
    source_root: str
    target_root: str
    rules: FileSystem
    flush_each: bool
    """Each file is written to its medium by itself, where a whole volume cannot be."""
    there: set[str]
    """What was in the incoming copy before: anything else need not be removed first."""
    meter: Meter

    def copy(self, entry: EntryRecord, marks: EntryRecord | None) -> EntryRecord:
        """Copy one entry. `marks` are the marks to give it where they are not those it has now."""
        files, target = self.files, _inside(self.target_root, entry.path)
        source = _inside(self.source_root, entry.path)
        if entry.path in self.there and not (entry.kind == "folder" and files.is_folder(target)):
            files.remove_tree(target)
        if entry.kind == "hard-link":
            files.make_hard_link(_inside(self.target_root, entry.link or ""), target)
            return entry
        attributes = read_attributes(files, source, self.rules)
        entry = replace(entry, attributes=checksum_of_attributes(attributes), proven=False)
        if entry.kind == "folder":
            if entry.path not in self.there or not files.is_folder(target):
                files.make_folder(target)
            return entry
        if entry.kind == "link":
            entry = replace(entry, carried_link=marks.carried_link) if marks else entry
            files.make_link(target, entry.carried_link or entry.link or "", os.path.isdir(source))
            mark(files, target, marks or entry, attributes, self.rules)
            return entry
        return replace(entry, checksum=self._copy_file(source, target, marks or entry, attributes))

    def _copy_file(self, source: str, target: str, marks: EntryRecord, attributes: Mapping[str, bytes]) -> str:
        """Copy one file with its marks; the checksum of what was read from the source."""
        checksum, writer = Checksum(), self.files.create(target)
        try:
            for block in self.files.blocks(source):
                checksum.add(block)
                writer.put(block)
                self.meter.add(block.length)
            writer.set_length(checksum.length)
            if writer.MARKS_BY_DESCRIPTOR:
                mark_open(writer, self.files, target, marks, attributes, self.rules)
            if self.flush_each:
                writer.flush()
        except OSError as fault:
            if fault.filename is None or isinstance(fault.filename, int):  # what fails by a descriptor names no path
                fault.filename = target
            raise
        finally:
            writer.close()
        if not writer.MARKS_BY_DESCRIPTOR:
            mark(self.files, target, marks, attributes, self.rules)
        return checksum.hex()

    def mark_folder(self, marks: EntryRecord) -> None:
        """Give a folder its marks, once everything in it is there: what comes into it changes them."""
        place = _inside(self.target_root, marks.path)
        attributes = read_attributes(self.files, _inside(self.source_root, marks.path), self.rules)
        mark(self.files, place, marks, attributes, self.rules)
        if self.flush_each:
            self.files.sync_folder(place)


def _inside(root: str, path: str) -> str:
    return os.path.join(root, path) if path else root
