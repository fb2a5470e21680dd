"""Proving: the copy is read back from the medium and must be what was read from the source; and the later looks."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from operator import attrgetter
from typing import NamedTuple

from nuvik.core.carrying.aside_folders import incoming
from nuvik.core.carrying.batches import batches
from nuvik.core.carrying.copying import marks_to_restore
from nuvik.core.carrying.marks import checksum_of_attributes, difference, read_attributes
from nuvik.core.carrying.work import Meter, Work
from nuvik.core.hosts.checksum import Checksum, checksum_of_whole
from nuvik.core.model.filesystems import FileSystem
from nuvik.core.model.inventory import EntryRecord, Inventory, Withheld, is_same_time, plain_kind
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.model.paths import below
from nuvik.core.survey.walk.take_inventory import take_inventory


def prove_copy(work: Work, move: Move) -> dict[str, EntryRecord | None]:
    """Read the incoming copy back and compare. Returns, by their paths, the entries that came back wrong, as they were
    copied, and None for what nobody copied: these must be copied again.

    What is proven already is not read again. Raises StopRequested or OSError.
    """
    entries = work.journal.entries(move)
    files = [entry for entry in entries.values() if entry.kind == "file"]
    meter = Meter(work, move, "proving", sum(entry.size for entry in files))
    wrong: list[str] = []
    proven: list[str] = []
    plain: set[str] = set()
    unread = [entry for entry in files if not entry.proven]
    meter.add(sum(entry.size for entry in files if entry.proven))
    drive = work.drive(move.target_drive)
    assert drive is not None
    try:
        for read in _read_back(work, move, unread, drive.files_at_once, meter):
            (proven if read.checksum == entries[read.path].checksum else wrong).append(read.path)
            if read.has_attributes is False:
                plain.add(read.path)
        as_copied = {path: entries.get(path) for path in (*wrong, *_wrong_marks(work, move, entries, plain))}
    except BaseException:
        work.journal.mark_proven(move, proven)
        raise
    if as_copied:
        work.journal.mark_proven(move, proven)
        work.journal.drop_entries(move, as_copied)
    return as_copied


def changed_since(work: Work, move: Move, copied: EntryRecord) -> bool:
    """Whether an entry of the source is another one than was copied. Raises OSError."""
    path = below(move.source, copied.path)
    if not work.files.exists(path):
        return True
    facts = work.files.facts(path)
    return copied.kind == "file" and (facts.st_size, facts.st_mtime_ns) != (copied.size, copied.changed_ns)


_AT_A_LOOK = attrgetter("kind", "size", "mode", "user", "group", "changed_ns", "link")
"""What one look tells of an entry, whatever its file system."""


class _ReadBack(NamedTuple):
    path: str
    checksum: str
    has_attributes: bool | None = None
    """Whether the copy has extended attributes; None where that was not looked at."""


def _read_back(work: Work, move: Move, entries: list[EntryRecord], at_once: int, meter: Meter) -> Iterator[_ReadBack]:
    """What the medium has of these files of the incoming copy; the next small ones are read while these are looked at.
    Raises StopRequested and OSError.
    """
    root = incoming(move)
    ahead: _Reading | None = None
    for goes_whole, batch in batches(entries, work.files.small.most_bytes):
        if not goes_whole:
            yield _ReadBack(batch[0].path, checksum_of(work, below(root, batch[0].path), meter))
            continue
        begun = _Reading(batch, [below(root, entry.path) for entry in batch], work, at_once)
        if ahead is not None:
            yield from ahead.results(meter)
        ahead = begun
    if ahead is not None:
        yield from ahead.results(meter)


class _Reading:
    """Small files that are being read back."""

    def __init__(self, entries: list[EntryRecord], places: list[str], work: Work, at_once: int) -> None:
        self._entries, self._places, self._work = entries, places, work
        asked = [(place, entry.size) for place, entry in zip(places, entries, strict=True)]
        self._reads = work.files.small.read(asked, True, at_once)

    def results(self, meter: Meter) -> Iterator[_ReadBack]:
        hook, read_bytes = self._work.files.hook, 0
        for entry, place, read in zip(self._entries, self._places, self._reads.results(), strict=True):
            if isinstance(read, OSError):
                raise read
            if read.contents is None:
                yield _ReadBack(entry.path, checksum_of(self._work, place, meter))
                continue
            read_bytes += len(read.contents)
            yield _ReadBack(
                entry.path, checksum_of_whole(bytes(hook.read_back(place, read.contents))), read.has_attributes
            )
        meter.add(read_bytes)


def prove_again(work: Work, move: Move) -> list[str]:
    """Read the copy once more under its final name. Returns the paths that came back different, although nobody changed
    them since. Raises StopRequested or OSError.
    """
    entries = work.journal.entries(move)
    files = [entry for entry in entries.values() if entry.kind == "file"]
    meter = Meter(work, move, "proving", sum(entry.size for entry in files))
    drive = work.drive(move.target_drive)
    step_ns = drive.rules.time_step_ns if drive else 1
    wrong = []
    for entry in files:
        place = below(move.target, entry.path)
        if not work.files.exists(place):
            continue  # the guard before the release speaks of what is missing
        facts = work.files.facts(place)
        if facts.st_size != entry.size or not is_same_time(facts.st_mtime_ns, entry.copied_ns, step_ns):
            continue  # it was changed there since: that is newer work
        if checksum_of(work, place, meter) != entry.checksum:
            wrong.append(entry.path)
    return wrong


def _wrong_marks(work: Work, move: Move, entries: Mapping[str, EntryRecord], plain: set[str]) -> list[str]:
    """The entries of the incoming copy that are missing, of another kind, or without a mark of their original. The
    `plain` ones are known to have no extended attributes.
    """
    drive = work.drive(move.target_drive)
    assert drive is not None
    root, restored, rules = incoming(move), marks_to_restore(work, move), drive.rules
    there = take_inventory(work.files, root, work.stop).entries
    wrong = [path for path in there if path not in entries]
    for path, entry in entries.items():
        now = there.get(path)
        if now is None or not _is_as_recorded(entry, restored.get(path, entry), now, rules):
            wrong.append(path)
        elif entry.kind == "hard-link":  # its contents and marks are those of its first name
            first = there.get(entry.link or "")
            if first is None or first.inode != now.inode:
                wrong.append(path)
        else:
            looked_at = rules.xattrs and path not in plain
            attributes = checksum_of_attributes(read_attributes(work.files, below(root, path))) if looked_at else None
            if attributes != entry.attributes:
                wrong.append(path)
    return wrong


def _is_as_recorded(entry: EntryRecord, marks: EntryRecord, now: EntryRecord, rules: FileSystem) -> bool:
    """Whether an entry of a copy is what the journal says of it, and has the `marks` that it should have."""
    as_it_was = marks is entry and entry.withheld is None and entry.carried_link is None
    if as_it_was and _AT_A_LOOK(now) == _AT_A_LOOK(entry):
        return True  # to the last digit, as nearly all are
    if plain_kind(now) != plain_kind(entry):
        return False
    if entry.kind == "hard-link":
        return True  # its marks are those of its first name
    if entry.kind == "link" and now.link != (marks.carried_link or marks.link):
        return False
    if entry.kind == "file" and now.size != entry.size:
        return False
    return difference(now, marks, rules, Withheld.from_text(entry.withheld)) is None


def checksum_of(work: Work, path: str, meter: Meter) -> str:
    """The checksum of a file as its medium has it."""
    checksum = Checksum()
    for block in work.files.blocks(path, past_cache=True, lent=True):
        checksum.add(block)
        meter.add(block.length)
    return checksum.hex()


def unchanged(work: Work, move: Move, root: str, renamed: bool = False) -> bool:
    """Whether the original at `root` still is what was copied. After a rename the root's own marks do not count."""
    now = take_inventory(work.files, root, work.stop)
    copied = work.journal.entries(move)
    # What became unreadable is missing here, and what cannot be carried changes the folder that it came into.
    if now.entries.keys() != copied.keys():
        return False
    return all(copied[path].same_as(entry) for path, entry in now.entries.items() if path or not renamed)


def look_through(work: Work, move: Move, path: str) -> str | None:
    """Look at the moved library by the path that programs use: same entries, same sizes.

    Gives the first difference, or None.
    """
    # The trailing dot makes the system follow the link to a folder. It is the one look that goes through links.
    root = os.path.join(path, ".") if os.path.isdir(path) else os.path.realpath(path)
    return _first_difference(take_inventory(work.host.files, root, work.stop), work.journal.entries(move))


def _first_difference(seen: Inventory, copied: Mapping[str, EntryRecord]) -> str | None:
    if seen.unreadable:
        return f"{shown(seen.unreadable[0][0])} cannot be read ({seen.unreadable[0][1]})"
    for path, entry in copied.items():
        now = seen.entries.get(path)
        if now is None:
            return f"{shown(path)} is missing"
        if (now.kind, now.size) != (entry.kind, entry.size):
            return f"{shown(path)} differs"
    extra = next((path for path in seen.entries if path not in copied), None)
    return None if extra is None else f"{shown(extra)} was not copied"
