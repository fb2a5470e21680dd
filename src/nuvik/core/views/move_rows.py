"""A move as a row: what Carry, Logbook and `nuvik logbook` show of it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.journal import Move, State
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count, format_duration

_NOTHING = "–"
_PROVING = "proving; original untouched"
_BROKEN = "! programs do not find it: press f"


class MoveStanding(StrEnum):
    """What a move still asks of the user."""

    WAITING = "waiting"
    """Its turn has not come."""
    UNFINISHED = "unfinished"
    """It goes on, or is taken back."""
    ON_TRIAL = "on trial"
    """Its original can be released."""
    MOVED = "moved"
    AT_REST = "at rest"
    """Undone, or itself an undo that is done."""


@dataclass(frozen=True, slots=True)
class MoveRow:
    """The texts of a row; all of them are safe to show."""

    move: Move
    begun: str
    library: str
    size: str
    way: str
    """From which drive to which."""
    state: str
    expected: str
    took: str
    standing: MoveStanding


def move_row(move: Move, labels: Mapping[str, str], broken: bool = False, proving: bool = False) -> MoveRow:
    """The row of a move; `labels` are the drives' names by their ids. `broken` says that programs do not find what it
    carried, `proving` that its copy is being proven at this moment.
    """
    here, there = (shown(labels.get(drive, drive)) for drive in (move.source_drive, move.target_drive))
    done_undo = move.undoes is not None and move.state is State.RELEASED
    return MoveRow(
        move=move,
        begun=(move.started_at or "not started").replace("T", " ").replace("Z", ""),
        library=shown(move.library),
        size=format_bytes(move.frees_bytes),
        way=f"{here} → {there}",
        state=_state(move, done_undo, broken, proving),
        expected=format_duration(move.expected_s),
        took=format_duration(move.actual_s) if move.actual_s else _NOTHING,
        standing=MoveStanding.UNFINISHED if broken else _standing(move, done_undo),
    )


def _state(move: Move, done_undo: bool, broken: bool, proving: bool) -> str:
    if done_undo:
        return f"undid move {move.undoes}"
    if broken:
        return _BROKEN
    return _PROVING if proving and move.state is State.COPYING else move.state.in_words


def _standing(move: Move, done_undo: bool) -> MoveStanding:
    if move.state is State.PLANNED:
        return MoveStanding.WAITING
    if not move.state.finished:
        return MoveStanding.UNFINISHED
    if move.state is State.ON_TRIAL:
        return MoveStanding.ON_TRIAL
    return MoveStanding.MOVED if move.state is State.RELEASED and not done_undo else MoveStanding.AT_REST


def move_page(move: Move, labels: Mapping[str, str]) -> Iterator[tuple[str, str]]:
    """All that the journal knows of a move, as (name, words), in the order in which a user asks."""
    row, here = move_row(move, labels), shown(labels.get(move.source_drive, move.source_drive))
    yield "how it stands", row.state
    if move.problem:
        yield "what is wrong", shown(move.problem)
    yield "from", shown(move.source)
    yield "to", shown(move.target)
    yield "size", f"{format_bytes(move.bytes)} in {format_count(move.files, 'file')}"
    yield "started", row.begun
    if move.ended_at:
        yield "ended", move.ended_at.replace("T", " ").replace("Z", "")
    if move.actual_s:
        yield "took", f"{row.took}, expected {row.expected}"
    if move.freed_bytes is not None:
        yield "freed", f"{format_bytes(move.freed_bytes)} on {here}, expected {format_bytes(move.frees_bytes)}"
    if move.unread:
        yield "proof", "compared, but not read from the medium of its drive"
