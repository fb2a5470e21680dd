"""Tethers that are a value in a file: a program's own setting, a standard folder, a menu entry.

They are changed once the library is at its new place, and changed back before it returns. Every call looks at the file
first and does only what is missing, so that it may be made again after a stop: the journal knows what stood there
before and what is to stand there, written down before the file is touched. What somebody else changed since is told and
left.
"""

from __future__ import annotations

import os
from dataclasses import replace

from nuvik.core.carrying.work import Work
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.model.tether import TetherKind, TetherRecord, TetherState
from nuvik.core.settings import registry
from nuvik.core.settings.settings_file import change_for, put_value, value_of
from nuvik.core.settings.taught_check import why_not_held

KEPT_FOLDER = "settings"
"""In the state folder: the files as they were before."""


def prepare_tethers(work: Work, move: Move) -> None:
    """Look whether the files can be changed, before anything is touched. Raises Refused."""
    for record in work.journal.tethers(move):
        if record.tether.kind.changes_a_file:
            change_for(record.tether, move.source, move.target, work.home)


def apply_tethers(work: Work, move: Move) -> None:
    """Lead programs to the new place. Raises Stopped where a file cannot be changed: the library is complete at both
    places then, and carrying goes on from there.
    """
    for record in work.journal.tethers(move):
        if record.tether.kind.changes_a_file and record.state is TetherState.DUE:
            try:
                _apply(work, move, record)
            except Refused as refusal:
                raise Stopped(
                    f"{shown(move.library)} is at {shown(move.target)}, but programs are not led there yet: "
                    f"{refusal.what}",
                    next_step=f"{refusal.next_step} Then run “nuvik resume”, or “nuvik undo {move.id}”.",
                ) from None


def _apply(work: Work, move: Move, record: TetherRecord) -> None:
    tether = record.tether
    if not record.after:
        change = change_for(tether, move.source, move.target, work.home)
        kept = os.path.join(work.state_folder, KEPT_FOLDER, f"{move.id}-{record.n}-{os.path.basename(tether.file)}")
        record = work.journal.keep_tether(replace(record, before=change.before, after=change.after, kept=kept))
    if record.before != record.after:
        _put(work, record, record.before, record.after, record.kept)
    work.journal.keep_tether(replace(record, state=TetherState.OK))


def _put(work: Work, record: TetherRecord, before: str, after: str, keep: str | None = None) -> None:
    """Change the file. The hook hears of it first, as of every change to a disk, and then of the flush."""
    hook = work.host.files.hook
    hook.before("rename", record.tether.file)
    put_value(record.tether, before, after, keep)
    hook.before("flush", record.tether.file)


def withdraw_tethers(work: Work, move: Move) -> None:
    """Lead programs back to the old place."""
    for record in work.journal.tethers(move):
        if not record.tether.kind.changes_a_file or record.state in (TetherState.BACK, TetherState.LEFT):
            continue
        state, note = TetherState.BACK, ""
        if record.after and record.after != record.before:
            try:
                if value_of(record.tether) != record.before:
                    _put(work, record, record.after, record.before)
            except Refused as refusal:
                state, note = TetherState.LEFT, f"{refusal.what} {refusal.next_step}"
        work.journal.keep_tether(replace(record, state=state, note=note))


def due_by_hand(work: Work, move: Move) -> str:
    """What the user still has to do, before programs find the library; empty where nothing is."""
    due = [record.tether for record in work.journal.tethers(move) if record.state is TetherState.DUE]
    return "; ".join(shown(tether.words) for tether in due if tether.kind is TetherKind.BY_HAND)


def left_words(work: Work, move: Move) -> str:
    """What was changed by somebody else since, and was left alone; empty where nothing was."""
    notes = [record.note for record in work.journal.tethers(move) if record.state is TetherState.LEFT]
    return " ".join(notes)


def state_of(work: Work, move: Move, record: TetherRecord) -> TetherState:
    """How a tether of a move that is done stands now."""
    tether = record.tether
    if tether.kind is TetherKind.CHECK and record.state is not TetherState.DUE:
        return TetherState.BROKEN if why_not_held(tether, move.target, work.home) else TetherState.OK
    if tether.kind is TetherKind.NONE:
        return TetherState.OK  # there is nothing to be done for it
    if not tether.kind.changes_a_file or record.state is not TetherState.OK:
        return record.state
    if tether.format != registry.FORMAT and not os.path.exists(tether.file):
        gone = os.path.exists(os.path.dirname(tether.file)) or not _may_be_away(work, tether.file)
        return TetherState.BROKEN if gone else TetherState.AWAY
    try:
        return TetherState.OK if value_of(tether) == record.after else TetherState.BROKEN
    except Refused:
        return TetherState.BROKEN


def repair_tether(work: Work, move: Move, record: TetherRecord) -> bool:
    """Set a value again that its program, or somebody, set back to the old place; False when there was nothing to do.
    Raises Refused where it says something else.
    """
    if not record.tether.kind.changes_a_file or state_of(work, move, record) is not TetherState.BROKEN:
        return False
    put_value(record.tether, record.before, record.after)
    return True


def _may_be_away(work: Work, path: str) -> bool:
    return any(not drive.attached and drive.holds(path) is not None for drive in work.drives())
