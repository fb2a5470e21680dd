"""Moves that wait their turn: left out, or carried next, also while another one is being carried."""

from __future__ import annotations

from nuvik.core.carrying.work import Work
from nuvik.core.model.errors import Refused
from nuvik.core.model.journal import Move, State
from nuvik.core.model.names import shown


def skip(work: Work, move: Move) -> list[Move]:
    """Leave a waiting move out, and whatever waits for it; gives those left out. Raises Refused when it has begun."""
    _must_wait(move)
    left_out = [move, *_needing(work, move)]
    # The last first: what depends on a move must never be carried without it.
    for other in reversed(left_out):
        if not work.journal.skip(other):
            raise _begun(work.journal.move(other.id))
    return [work.journal.move(other.id) for other in left_out]


def carry_next(work: Work, move: Move) -> Move:
    """Let a waiting move be the next. Whether there is room for it by then is looked at when it begins. Raises Refused
    when it has begun, or waits for another one.
    """
    _must_wait(move)
    for other in _waiting(work):
        if other.id != move.id and other.target == move.source:
            raise Refused(
                f"{shown(move.library)} has to wait: move {other.id} brings it to where this one takes it on.",
                next_step=f"Let move {other.id} be the next.",
            )
    return work.journal.bring_forward(move)


def _waiting(work: Work) -> list[Move]:
    return [move for move in work.journal.unfinished() if move.state is State.PLANNED]


def _needing(work: Work, move: Move) -> list[Move]:
    """The waiting moves that take a library on from where this one would bring it."""
    return [other for other in _waiting(work) if other.run == move.run and other.source == move.target]


def _must_wait(move: Move) -> None:
    if move.state is not State.PLANNED:
        raise _begun(move)


def _begun(move: Move) -> Refused:
    return Refused(
        f"Move {move.id} ({shown(move.library)}) is not waiting: {move.state.in_words}.",
        next_step="“nuvik logbook” shows what waits.",
    )
