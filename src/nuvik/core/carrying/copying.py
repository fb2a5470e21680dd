"""Copying a library into its incoming folder, file by file, so that a stop loses no more than one file's work."""

from __future__ import annotations

import os
import time
from dataclasses import replace

from nuvik.core.carrying.aside_folders import incoming, incoming_folder, make_aside, make_way
from nuvik.core.carrying.work import Meter, Work
from nuvik.core.checks.contents import carried_xattrs
from nuvik.core.hosts.checksum import Checksum
from nuvik.core.hosts.file_contents import is_sparse
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Stopped
from nuvik.core.model.inventory import EntryRecord, Inventory
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.survey.walk.take_inventory import take_inventory

_KEEP_EVERY_S = 1.0
_KEEP_EVERY = 256


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
    make_aside(files, move, "incoming")
    source = readable_inventory(work, move, move.source)
    known = work.journal.entries(move)
    _clear_strangers(work, move, source, known)
    flush_each = not files.sync_volume(incoming_folder(move))
    drive = work.drive(move.target_drive)
    assert drive is not None
    meter = Meter(work, move, "copying", source.bytes)
    notebook = _Notebook(work, move)
    marks = _marks_to_restore(work, move)
    try:
        for path, entry in source.entries.items():
            before = known.get(path)
            if before is not None and before.same_as(entry) and _is_there(work, move, before):
                meter.add(entry.size)
                continue
            notebook.add(_copy_entry(work, move, entry, marks.get(path), drive, flush_each, meter))
    finally:
        notebook.keep()
    for path, entry in reversed(source.entries.items()):
        if entry.kind == "folder":
            place = _inside(incoming(move), path)
            _mark(work, _inside(move.source, path), place, marks.get(path) or entry, drive)
            if flush_each:
                files.sync_folder(place)
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


def _clear_strangers(work: Work, move: Move, source: Inventory, known: dict[str, EntryRecord]) -> None:
    """Remove from the incoming copy what the source no longer has."""
    gone = [path for path in known if path not in source.entries]
    work.journal.drop_entries(move, gone)
    root = incoming(move)
    if not work.files.exists(root):
        return
    for path, entry in reversed(take_inventory(work.files, root, work.stop).entries.items()):
        theirs = source.entries.get(path)
        if theirs is None or (theirs.kind == "folder") != (entry.kind == "folder"):
            work.files.remove_tree(_inside(root, path))


def _is_there(work: Work, move: Move, entry: EntryRecord) -> bool:
    place = _inside(incoming(move), entry.path)
    if not work.files.exists(place):
        return False
    facts = work.files.facts(place)
    if entry.kind == "hard-link":
        first = _inside(incoming(move), entry.link or "")
        return work.files.exists(first) and work.files.facts(first).st_ino == facts.st_ino
    return entry.kind != "file" or (entry.checksum is not None and facts.st_size == entry.size)


def _marks_to_restore(work: Work, move: Move) -> dict[str, EntryRecord]:
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


def _copy_entry(
    work: Work, move: Move, entry: EntryRecord, marks: EntryRecord | None, drive: Drive, flush: bool, meter: Meter
) -> EntryRecord:
    """Copy one entry. `marks` are the marks to give it where they are not those it has now."""
    files = work.files
    source, target = _inside(move.source, entry.path), _inside(incoming(move), entry.path)
    if entry.kind == "folder":
        if not files.is_folder(target):
            files.remove_tree(target)
            files.make_folder(target)
        return entry
    files.remove_tree(target)
    if entry.kind == "link":
        entry = replace(entry, carried_link=marks.carried_link) if marks else entry
        files.make_link(target, entry.carried_link or entry.link or "", os.path.isdir(source))
        _mark(work, source, target, marks or entry, drive)
        return entry
    if entry.kind == "hard-link":
        files.make_hard_link(_inside(incoming(move), entry.link or ""), target)
        return entry
    checksum = _copy_contents(work, source, target, flush, meter)
    _mark(work, source, target, marks or entry, drive)
    return replace(entry, checksum=checksum, proven=False)


def _copy_contents(work: Work, source: str, target: str, flush: bool, meter: Meter) -> str:
    """Copy one file, holes as holes; the checksum is taken from what was read from the source."""
    checksum = Checksum()
    writer = work.files.create(target, keep_holes=is_sparse(work.files.facts(source)))
    try:
        for block in work.files.blocks(source):
            checksum.add(block)
            writer.put(block)
            meter.add(block.length)
        writer.finish(checksum.length, flush)
    finally:
        writer.close()
    return checksum.hex()


def _mark(work: Work, source: str, target: str, entry: EntryRecord, drive: Drive) -> None:
    """Give a copied entry the marks of its original: extended attributes, owner, permission bits, times."""
    files, is_link = work.files, entry.kind == "link"
    if drive.rules.xattrs:
        for name, value in carried_xattrs(files.read_xattrs(source)).items():
            files.mark_xattr(target, name, value)
    if drive.rules.permissions:
        facts = files.facts(target)
        if (facts.st_uid, facts.st_gid) != (entry.user, entry.group):
            try:
                files.mark_owner(target, entry.user, entry.group)
            except PermissionError:
                if facts.st_uid != entry.user:  # another user's file was refused before; a group may be out of reach
                    raise
        if not is_link:
            files.mark_mode(target, entry.mode)
    files.mark_times(target, entry.accessed_ns, entry.changed_ns)


def _inside(root: str, path: str) -> str:
    return os.path.join(root, path) if path else root
