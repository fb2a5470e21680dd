"""The guard before everything that cannot be taken back.

Nothing of the user's is removed anywhere else in Nuvik. Each function compares what is about to go with what stays, on
the first way and on every resumed one, and removes nothing when something would be lost: it gives the `Loss` instead.
"""

from __future__ import annotations

import errno
import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from nuvik.core.carrying.aside_folders import close_aside, held, held_folder, incoming, incoming_folder
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.files import Files
from nuvik.core.hosts.many_files import Inside
from nuvik.core.model.inventory import EntryRecord, Inventory, is_same_time, plain_kind
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop
from nuvik.core.model.units import format_count
from nuvik.core.survey.walk.look_inside import look_inside
from nuvik.core.survey.walk.take_inventory import take_inventory

Entries = Mapping[str, EntryRecord]
_STILL_WRITTEN = "is still open for writing in some program"


@dataclass(frozen=True, slots=True)
class Loss:
    """What removing something would lose."""

    path: str
    """The first entry that would be lost, relative to the library; empty for the library itself."""
    problem: str
    """What is wrong with it, as the end of a sentence."""
    count: int = 1
    """How many entries would be lost."""
    whole: bool = True
    """Whether what was to go is still all there: nothing of it was removed before."""

    @property
    def still_written(self) -> bool:
        """Nothing is wrong but that some program, of any user, may still write to it."""
        return self.problem == _STILL_WRITTEN and self.whole

    def __str__(self) -> str:
        more = f" (and {format_count(self.count - 1, 'more entry', 'more entries')})" if self.count > 1 else ""
        return f"{shown(self.path) or 'it'} {self.problem}{more}"


@dataclass(frozen=True, slots=True)
class Removal:
    """What became of an original that was to be removed."""

    loss: Loss | None
    """Why it is kept; None once it is gone."""
    whole: bool
    """Whether it was all there when its removal began: only then tells what its drive gains how large it was."""


_NOT_EMPTY = Loss("", "is not empty after its files were removed", whole=False)


# -- what may be removed -----------------------------------------------------------------------------------


def remove_original(work: Work, move: Move) -> Removal:
    """Remove the held original of a move, whose copy stays. Raises StopRequested and OSError."""
    return _remove_compared(work, move, held(move), kept=move.target)


def remove_copy(work: Work, move: Move) -> Loss | None:
    """Remove the incoming copy of a move that is given up, whose original stays. Raises StopRequested and OSError."""
    if loss := loss_of_copy(work, move):
        return loss
    if move.visible and work.files.exists(incoming(move)):
        # A program that found it under its final name may still change it: what it changes now stays.
        now = take_inventory(work.files, incoming(move), work.stop)
        if not _all_went(work, incoming(move), now):
            return changed_copy(work, move, incoming(move)) or _NOT_EMPTY
    else:
        work.files.remove_tree(incoming(move))
    close_aside(work.files, incoming_folder(move))
    return None


def remove_outdated_original(work: Work, move: Move) -> Loss | None:
    """Remove the held original of a move that was taken back by copying: the library at its old place is newer.

    Raises StopRequested and OSError.
    """
    if loss := _remove_compared(work, move, held(move), kept=move.source).loss:
        return loss
    close_aside(work.files, held_folder(move))
    return None


def _remove_compared(work: Work, move: Move, going: str, kept: str) -> Removal:
    """Remove an original, entry by entry as it was compared: what came into it or changed since stays."""
    if move.may_lose or not work.files.exists(going):
        work.files.remove_tree(going)
        return Removal(None, whole=True)
    now, recorded = take_inventory(work.files, going, work.stop), work.journal.entries(move)
    whole = now.entries.keys() >= recorded.keys()
    loss = _loss(work, move, now, kept, recorded)
    if loss is None and not _all_went(work, going, now):
        now = take_inventory(work.files, going, work.stop)
        loss = _loss(work, move, now, kept, recorded) or _NOT_EMPTY
    return Removal(loss, whole)


def _all_went(work: Work, going: str, now: Inventory) -> bool:
    """Remove what is as it was looked at; whether nothing else was there."""
    try:
        work.files.remove_tree(going, now.entries)
    except OSError as fault:
        if fault.errno != errno.ENOTEMPTY:
            raise
        return False
    return True


def remove_emptied(files: Files, folder: str, content: str, path: str) -> None:
    """Remove what an emptied folder held, which programs can rebuild, and Nuvik's own folder in which it lies; nothing
    while the emptied folder itself is not there. Raises OSError.
    """
    if not files.exists(path) or files.is_link(path):
        raise FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT), path)
    files.remove_tree(content)
    files.remove_tree(folder)


# -- what would be lost ------------------------------------------------------------------------------------


def loss_of_original(work: Work, move: Move) -> Loss | None:
    """What would be lost with the held original: what was changed in it since it was copied, and what the moved library
    does not have. Raises StopRequested and OSError.
    """
    if not work.files.exists(held(move)):
        return None
    now = take_inventory(work.files, held(move), work.stop)
    return _loss(work, move, now, move.target, work.journal.entries(move))


def loss_of_copy(work: Work, move: Move) -> Loss | None:
    """What would be lost with the incoming copy: what came into it, or was changed in it, while others could see it.

    A copy that never had its final name is Nuvik's own. Raises StopRequested and OSError.
    """
    if not work.files.exists(incoming(move)):
        return None
    if not work.files.exists(move.source) and not work.files.exists(held(move)):
        return Loss("", f"is no longer at {shown(move.source)}: the copy is all there is of it")
    return changed_copy(work, move, incoming(move)) if move.visible else None


def changed_copy(work: Work, move: Move, place: str) -> Loss | None:
    """What in a copy at `place` is not as Nuvik wrote it. Raises StopRequested and OSError."""
    step_ns = _time_step_ns(work, move.target_drive)
    now = take_inventory(work.files, place, work.stop)
    recorded = work.journal.entries(move)
    written = _open_for_writing(work.files, now, work.stop)

    def problem(path: str, entry: EntryRecord) -> str | None:
        then = recorded.get(path)
        if then is None:
            return "is new there"
        if not _as_written(then, entry, step_ns):
            return "was changed there"
        return _STILL_WRITTEN if path in written else None

    return _first_loss(now, recorded, problem)


def _loss(work: Work, move: Move, now: Inventory, kept: str, recorded: Entries) -> Loss | None:
    """What would be lost with the original of a move, as it is `now`, when the library at `kept` stays."""
    files = work.files
    if not files.exists(kept) or files.is_link(kept):
        return Loss("", f"is not at {shown(kept)}")
    source = work.drive(move.source_drive)
    alterations_kept = source is not None and source.rules.permissions
    step_ns = max(_time_step_ns(work, move.source_drive), _time_step_ns(work, move.target_drive))
    of_several_names = {entry.inode for entry in recorded.values() if entry.kind == "hard-link"}
    written = _open_for_writing(files, now, work.stop)
    there = take_inventory(files, kept, work.stop).entries

    def problem(path: str, entry: EntryRecord) -> str | None:
        then = recorded.get(path)
        if then is None:
            return "exists nowhere else"
        # Moving the library aside alters its root, and removing one of several names of a file the others.
        if not _unchanged(then, entry, alterations_kept and path != "" and then.inode not in of_several_names):
            return "was changed since it was moved"
        if path in written:
            return _STILL_WRITTEN
        return _missing(then, there.get(path), kept, step_ns)

    return _first_loss(now, recorded, problem)


def _open_for_writing(files: Files, now: Inventory, stop: Stop) -> frozenset[str]:
    """The relative paths of the files that some program may still write to, as far as the system tells."""
    looked_at = look_inside(files, now, stop, only_written=True)
    return frozenset(path for path, seen in looked_at.items() if isinstance(seen, Inside) and seen.written)


def _first_loss(now: Inventory, recorded: Entries, problem: Callable[[str, EntryRecord], str | None]) -> Loss | None:
    whole = now.entries.keys() >= recorded.keys()
    if now.unreadable:
        return Loss(now.unreadable[0][0], f"cannot be inspected ({now.unreadable[0][1]})", len(now.unreadable), whole)
    if now.special:
        return Loss(now.special[0][0], f"is {now.special[0][1]}", len(now.special), whole)
    losses = [(path, words) for path, entry in now.entries.items() if (words := problem(path, entry))]
    return Loss(*losses[0], len(losses), whole) if losses else None


def _unchanged(then: EntryRecord, now: EntryRecord, compare_alteration: bool) -> bool:
    """Whether an original still is what was copied. Who may do what with it is no content, and a removal changes it."""
    if plain_kind(then) != plain_kind(now):
        return False
    if then.kind == "link":
        return now.link == then.link
    return then.kind == "folder" or (
        now.size == then.size
        and now.changed_ns == then.changed_ns
        and (not compare_alteration or now.altered_ns == then.altered_ns)
    )


def _as_written(then: EntryRecord, now: EntryRecord, step_ns: int) -> bool:
    """Whether an entry of a copy still is what was written there."""
    if plain_kind(then) != plain_kind(now):
        return False
    if then.kind == "link":
        return now.link == (then.carried_link or then.link)
    return then.kind == "folder" or (then.size == now.size and is_same_time(now.changed_ns, then.copied_ns, step_ns))


def _missing(then: EntryRecord, now: EntryRecord | None, kept: str, step_ns: int) -> str | None:
    """Why what is kept cannot stand for an entry of the original; None when it can, be it newer."""
    if now is None:
        return f"is missing at {shown(kept)}"
    if plain_kind(then) != plain_kind(now):
        return f"is something else at {shown(kept)}"
    if plain_kind(then) == "file" and then.size != now.size and now.changed_ns <= then.copied_ns + step_ns:
        return f"has a different size at {shown(kept)}, although nobody changed it there"
    return None


def _time_step_ns(work: Work, drive_id: str) -> int:
    drive = work.drive(drive_id)
    return drive.rules.time_step_ns if drive else 1
