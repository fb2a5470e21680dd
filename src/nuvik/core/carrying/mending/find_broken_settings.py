"""Settings that no longer lead programs to where a library was moved: set back, changed, or gone with their file."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from nuvik.core.carrying.tethers.settings import state_of
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.base import drive_holding
from nuvik.core.model.errors import Refused
from nuvik.core.model.journal import Move
from nuvik.core.model.leftover import Leftover, Repair
from nuvik.core.model.names import shown
from nuvik.core.model.tether import TetherKind, TetherRecord, TetherState
from nuvik.core.settings.settings_file import value_of
from nuvik.core.settings.taught_check import place_of_check, why_not_held


def find_broken_settings(work: Work, moves: Iterable[Move]) -> Iterator[Leftover]:
    """One for each setting of a finished move that says something else than the new place."""
    latest = {move.source: move for move in moves if move.undoes is None}
    moved_on = {move.source for move in latest.values() if move.state.at_target}
    for move in latest.values():
        if not move.state.finished or not move.state.at_target or move.target in moved_on:
            continue
        for record in work.journal.tethers(move):
            if state_of(work, move, record) is TetherState.BROKEN:
                yield _broken(work, move, record)


def _broken(work: Work, move: Move, record: TetherRecord) -> Leftover:
    tether, name = record.tether, shown(move.library)
    if tether.kind is TetherKind.CHECK:
        return _failed(work, move, record)
    drive = drive_holding(work.drives(), tether.file)
    key = f"“{shown(tether.key)}” in {shown(tether.file)}"
    repair, right = Repair.NONE, f"Look at it: {name} is at {shown(move.target)}."
    try:
        value = value_of(tether)
        what = f"{key} says “{shown(value)}” and does not lead to {name}."
        if value == record.before:
            repair, right = Repair.SET_AGAIN, f"It can be set to “{shown(record.after)}” again."
    except Refused as refusal:
        what = f"The setting that leads to {name}: {refusal.what}"
    return Leftover(
        role="setting",
        path=tether.file,
        drive=drive.id if drive else "",
        library=move.library,
        what=what,
        right=right,
        repair=repair,
        move=move,
        number=record.n,
    )


def _failed(work: Work, move: Move, record: TetherRecord) -> Leftover:
    """A check that does not hold: nothing that Nuvik could mend."""
    place = place_of_check(record.tether, move.target)
    drive = drive_holding(work.drives(), place)
    return Leftover(
        role="setting",
        path=place,
        drive=drive.id if drive else "",
        library=move.library,
        what=f"A check of {shown(move.library)} failed: {why_not_held(record.tether, move.target, work.home)}",
        right=f"Look at it. “nuvik undo {move.id}” takes the move back.",
        repair=Repair.NONE,
        move=move,
        number=record.n,
    )
