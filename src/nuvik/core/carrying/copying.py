"""Copying a library into its incoming folder, file by file, so that a stop loses no more than one file's work."""

from __future__ import annotations

import os
import time
from collections.abc import Mapping
from dataclasses import dataclass

from nuvik.core.carrying.aside_folders import incoming, incoming_folder, make_aside, make_way
from nuvik.core.carrying.batches import batches
from nuvik.core.carrying.marks import checksum_of_attributes, difference, mark, read_attributes
from nuvik.core.carrying.work import Meter, Work
from nuvik.core.hosts.checksum import Checksum
from nuvik.core.hosts.files import Files
from nuvik.core.hosts.many_files import SmallCopy, SmallFile, ToCopy
from nuvik.core.hosts.small_files import Batch
from nuvik.core.model.errors import Stopped, StopRequested
from nuvik.core.model.filesystems import FileSystem
from nuvik.core.model.inventory import NOTHING_WITHHELD, EntryRecord, Inventory, Withheld, is_same_time
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.model.paths import below
from nuvik.core.survey.walk.take_inventory import take_inventory

_KEEP_EVERY_S = 1.0
_KEEP_EVERY = 4096
_OWNER_MAY_ALL = 0o700
_MARKED_WHILE_OPEN = hasattr(os, "fchown")
"""Where files may be marked before they are closed, what flushes them flushes their marks too."""


class _Notebook:
    """Collects what was copied and writes it to the journal every second or so."""

    def __init__(self, work: Work, move: Move) -> None:
        self._work, self._move = work, move
        self._waiting: list[EntryRecord] = []
        self._last = time.monotonic()

    def add(self, *entries: EntryRecord) -> None:
        self._waiting += entries
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
    source_drive = work.drive(move.source_drive)
    at_once = min(drive.files_at_once, source_drive.files_at_once if source_drive else 1)
    notebook = _Notebook(work, move)
    marks = marks_to_restore(work, move)
    to_copy: dict[str, EntryRecord] = {}
    for path, entry in source.entries.items():
        before = known.get(path)
        is_there = before is not None and before.same_as(entry) and _is_there(there, before, marks.get(path), rules)
        # The other names of a file that is copied again still are those of the old copy.
        if is_there and (entry.kind != "hard-link" or entry.link not in to_copy):
            meter.add(entry.size if entry.kind == "file" else 0)
        else:
            to_copy[path] = entry
    copier = _Copier(
        files,
        move.source,
        incoming(move),
        rules,
        flush_each,
        there,
        meter,
        at_once,
        move.without_marks,
        marks,
        notebook,
    )
    try:
        # What is in the copy already is removed first, which goes entry by entry.
        for goes_whole, batch in batches(to_copy.values(), files.small.most_bytes, there):
            if goes_whole:
                copier.copy_small(batch)
            else:
                copier.copy(batch[0])
    finally:
        try:
            copier.finish()
        finally:
            notebook.keep()
    withheld = []
    for entry in reversed(source.entries.values()):
        if entry.kind == "folder":
            marked = copier.mark_folder(entry)
            if marked.withheld is not None:
                withheld.append(marked)
    work.journal.keep_entries(move, withheld)
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


def _clear_strangers(
    work: Work, move: Move, source: Inventory, known: Mapping[str, EntryRecord]
) -> dict[str, EntryRecord]:
    """Remove from the incoming copy what the source no longer has; gives what is there then."""
    gone = [path for path in known if path not in source.entries]
    work.journal.drop_entries(move, gone)
    root = incoming(move)
    there = take_inventory(work.files, root, work.stop).entries
    for path, entry in there.items():
        if entry.kind == "folder" and entry.mode & _OWNER_MAY_ALL != _OWNER_MAY_ALL:
            work.files.mark_mode(below(root, path), entry.mode | _OWNER_MAY_ALL)
    for path, entry in reversed(list(there.items())):
        theirs = source.entries.get(path)
        if theirs is None or (theirs.kind == "folder") != (entry.kind == "folder"):
            work.files.remove_tree(below(root, path))
            del there[path]
    return there


def _is_there(
    there: Mapping[str, EntryRecord], entry: EntryRecord, marks: EntryRecord | None, rules: FileSystem
) -> bool:
    """Whether an entry is in the incoming copy as it was copied, its marks included; the proof looks closer."""
    now = there.get(entry.path)
    if now is None:
        return False
    if entry.kind == "hard-link":
        first = there.get(entry.link or "")
        return first is not None and first.inode == now.inode
    if entry.kind == "file" and (entry.checksum is None or now.size != entry.size):
        return False
    return entry.kind == "folder" or difference(now, marks or entry, rules, Withheld.from_text(entry.withheld)) is None


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
        same_time = is_same_time(now.changed_ns, once.copied_ns, away_drive.rules.time_step_ns)
        if once.kind == "link" and once.carried_link is not None and now.link == once.carried_link:
            restored[path] = now._replace(carried_link=once.link)
        elif not away_drive.rules.permissions or once.withheld is not None:
            whose = now._replace(mode=once.mode, user=once.user, group=once.group, withheld=once.withheld)
            restored[path] = once if same_time else whose
        elif same_time and now.changed_ns != once.changed_ns:  # told in coarser steps there
            restored[path] = now._replace(changed_ns=once.changed_ns)
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
    there: Mapping[str, EntryRecord]
    """What was in the incoming copy before: anything else need not be removed first."""
    meter: Meter
    at_once: int
    """How many small files may be on their way at once."""
    without_marks: bool
    """Go on where a mark is not kept."""
    restored: Mapping[str, EntryRecord]
    """The marks to give to some entries instead of those that they have now."""
    notebook: _Notebook
    _read: tuple[list[EntryRecord], list[ToCopy], Batch[list[SmallFile | OSError]]] | None = None
    """The small files that are being read."""
    _written: tuple[list[EntryRecord], Batch[list[SmallCopy | OSError | None]]] | None = None
    """The small files that are being written meanwhile."""

    def copy_small(self, entries: list[EntryRecord]) -> None:
        """Begin to read small files, several at a time; those that were being read are written meanwhile, and those
        that were being written are noted: faults of theirs are raised here.
        """
        copies = [
            ToCopy(
                below(self.source_root, entry.path),
                below(self.target_root, entry.path),
                entry.size,
                self.restored.get(entry.path, entry),
            )
            for entry in entries
        ]
        begun = self.files.small.read([(copy.source, copy.size) for copy in copies], False, self.at_once)
        try:
            self._go_on()
        finally:
            self._read = entries, copies, begun

    def finish(self) -> None:
        """Wait until all that was begun is written and noted, and raise the first fault of it."""
        first: OSError | StopRequested | None = None
        while self._read is not None or self._written is not None:
            try:
                self._go_on()
            except (OSError, StopRequested) as fault:
                first = first or fault
        if first is not None:
            raise first

    def _go_on(self) -> None:
        """Begin to write what was read, and note what was written before."""
        written, self._written = self._written, None
        if self._read is not None:
            (entries, copies, read), self._read = self._read, None
            try:
                begun = self.files.small.write(
                    copies, read.results(), self.rules.permissions, self.flush_each, self.at_once
                )
                self._written = entries, begun
            finally:
                if written is not None:
                    self._note(*written)
        elif written is not None:
            self._note(*written)

    def _note(self, entries: list[EntryRecord], begun: Batch[list[SmallCopy | OSError | None]]) -> None:
        """Note what was written. What turns out to need more goes by itself; a fault of one file is raised when the
        others are noted.
        """
        faults: list[OSError] = []
        noted: list[EntryRecord] = []
        in_blocks: list[EntryRecord] = []
        copied_bytes = 0
        try:
            for entry, copied in zip(entries, begun.results(), strict=True):
                if isinstance(copied, OSError):
                    faults.append(copied)
                elif copied is None:
                    in_blocks.append(entry)
                else:
                    noted.append(self._noted_small(entry, copied))
                    copied_bytes += copied.bytes
        finally:
            self.notebook.add(*noted)
        for entry in in_blocks:
            self._copy(entry)
        self.meter.add(copied_bytes)
        if faults:
            raise faults[0]

    def _noted_small(self, entry: EntryRecord, copied: SmallCopy) -> EntryRecord:
        marks = self.restored.get(entry.path)
        if marks is None and copied.marked:
            return entry.copied(copied.checksum)
        attributes, withheld = _given_back(marks), NOTHING_WITHHELD
        if attributes or not copied.marked:
            withheld = self._mark(below(self.target_root, entry.path), marks or entry, attributes)
        return self._noted(entry, attributes, withheld, marks).copied(copied.checksum)

    def copy(self, entry: EntryRecord) -> None:
        """Copy one entry, when what was begun before is finished."""
        if entry.kind != "folder":  # making a folder is in nobody's way
            self.finish()
        self._copy(entry)

    def _copy(self, entry: EntryRecord) -> None:
        self.notebook.add(self._copied(entry, self.restored.get(entry.path)))

    def _copied(self, entry: EntryRecord, marks: EntryRecord | None) -> EntryRecord:
        """Copy one entry. `marks` are the marks to give it where they are not those it has now."""
        files, target = self.files, below(self.target_root, entry.path)
        source = below(self.source_root, entry.path)
        if entry.path in self.there and not (entry.kind == "folder" and files.is_folder(target)):
            files.remove_tree(target)
        if entry.kind == "hard-link":
            files.make_hard_link(below(self.target_root, entry.link or ""), target)
            return entry
        attributes = {**_given_back(marks), **read_attributes(files, source)}
        entry = entry._replace(proven=False, withheld=None)
        if entry.kind == "folder":
            # Its marks are given at the end; what it is to have is known already.
            if entry.path not in self.there or not files.is_folder(target):
                files.make_folder(target)
            return self._noted(entry, attributes, NOTHING_WITHHELD, marks)
        if entry.kind == "link":
            entry = entry._replace(carried_link=marks.carried_link) if marks else entry
            files.make_link(target, entry.carried_link or entry.link or "", os.path.isdir(source))
            return self._noted(entry, attributes, self._mark(target, marks or entry, attributes), marks)
        checksum, withheld = self._copy_file(source, target, marks or entry, attributes)
        return self._noted(entry._replace(checksum=checksum), attributes, withheld, marks)

    def _mark(self, target: str, marks: EntryRecord, attributes: Mapping[str, bytes]) -> Withheld:
        return mark(self.files, target, marks, attributes, self.rules, self.without_marks)

    @staticmethod
    def _noted(
        entry: EntryRecord, attributes: Mapping[str, bytes], withheld: Withheld, marks: EntryRecord | None
    ) -> EntryRecord:
        """An entry with what its copy has of its attributes, and what it could not be given, or was given instead."""
        kept = {name: value for name, value in attributes.items() if name not in withheld.attributes}
        if marks is not None and withheld.changed_ns is None and marks.changed_ns != entry.changed_ns:
            withheld = withheld._replace(changed_ns=marks.changed_ns)
        return entry._replace(attributes=checksum_of_attributes(kept), withheld=withheld.to_text())

    def _copy_file(
        self, source: str, target: str, marks: EntryRecord, attributes: Mapping[str, bytes]
    ) -> tuple[str, Withheld]:
        """Copy one file with its marks; the checksum of what was read from the source, and what was withheld."""
        checksum, writer, withheld = Checksum(), self.files.create(target), NOTHING_WITHHELD
        try:
            for block in self.files.blocks(source, lent=True):
                checksum.add(block)
                writer.put(block)
                self.meter.add(block.length)
            writer.set_length(checksum.length)
            if _MARKED_WHILE_OPEN:
                withheld = self._mark(target, marks, attributes)
            if self.flush_each:
                writer.flush()
        except OSError as fault:
            if fault.filename is None or isinstance(fault.filename, int):  # what fails by a descriptor names no path
                fault.filename = target
            raise
        finally:
            writer.close()
        if not _MARKED_WHILE_OPEN:
            withheld = self._mark(target, marks, attributes)
        return checksum.hex(), withheld

    def mark_folder(self, entry: EntryRecord) -> EntryRecord:
        """Give a folder its marks, once everything in it is there: what comes into it changes them."""
        marks = self.restored.get(entry.path)
        place = below(self.target_root, entry.path)
        read = read_attributes(self.files, below(self.source_root, entry.path))
        attributes = {**_given_back(marks), **read}
        withheld = self._mark(place, marks or entry, attributes)
        if self.flush_each:
            self.files.sync_folder(place)
        return self._noted(entry, attributes, withheld, marks)


def _given_back(marks: EntryRecord | None) -> Mapping[str, bytes]:
    """The attributes that the other drive could not keep."""
    return Withheld.from_text(marks.withheld).attributes if marks is not None else {}
