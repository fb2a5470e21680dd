"""Proving: the copy is read back from the medium and must be what was read from the source; and the later looks."""

from __future__ import annotations

import os

from nuvik.core.carrying.aside_folders import incoming
from nuvik.core.carrying.work import Meter, Work
from nuvik.core.hosts.checksum import Checksum
from nuvik.core.model.inventory import EntryRecord, Inventory
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.survey.walk.take_inventory import take_inventory


def prove_copy(work: Work, move: Move) -> list[str]:
    """Read the incoming copy back and compare. Returns the paths that came back wrong, which must be copied again.

    What is proven already is not read again. Raises StopRequested or OSError.
    """
    entries = work.journal.entries(move)
    files = [entry for entry in entries.values() if entry.kind == "file"]
    meter = Meter(work, move, "proving", sum(entry.size for entry in files))
    wrong: list[str] = []
    proven: list[EntryRecord] = []
    try:
        for entry in files:
            if entry.proven:
                meter.add(entry.size)
            elif (
                checksum_of(work, os.path.join(incoming(move), entry.path) if entry.path else incoming(move), meter)
                == entry.checksum
            ):
                proven.append(entry)
            else:
                wrong.append(entry.path)
    finally:
        work.journal.mark_proven(move, [entry.path for entry in proven])
    work.journal.drop_entries(move, wrong)
    return wrong


def checksum_of(work: Work, path: str, meter: Meter) -> str:
    """The checksum of a file as its medium has it."""
    checksum = Checksum()
    for block in work.files.blocks(path, past_cache=True):
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
    # The trailing dot makes the system follow the link to a folder.
    root = os.path.join(path, ".") if os.path.isdir(path) else os.path.realpath(path)
    return _first_difference(take_inventory(work.files, root, work.stop), work.journal.entries(move))


def _first_difference(seen: Inventory, copied: dict[str, EntryRecord]) -> str | None:
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
