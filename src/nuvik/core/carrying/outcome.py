"""How a run ended."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from nuvik.core.carrying.work import Work
from nuvik.core.model.journal import Move, State


@dataclass(frozen=True, slots=True)
class Outcome:
    """How a run ended, by drive."""

    moves: tuple[Move, ...]
    freed_bytes: dict[str, int]
    expected_freed_bytes: dict[str, int]


def again(work: Work, moves: list[Move]) -> list[Move]:
    """Moves as the journal has them now."""
    return [work.journal.move(move.id) for move in moves]


def sum_up(work: Work, moves: list[Move]) -> Outcome:
    """How moves stand now, and what those that are done have freed."""
    ended = tuple(again(work, moves))
    freed, expected = Counter[str](), Counter[str]()
    for move in ended:
        if move.state is State.RELEASED:
            expected[move.source_drive] += move.frees_bytes
            freed[move.source_drive] += move.frees_bytes if move.freed_bytes is None else move.freed_bytes
    return Outcome(ended, dict(freed), dict(expected))
