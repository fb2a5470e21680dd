"""Untying: a knot of moves, each in want of the place of another, comes apart when a library waits on a third drive.

Which libraries are staged, and where, is searched by the bytes that this moves in addition, fewest first; where that
takes too long, drawn by chance.
"""

from __future__ import annotations

import heapq
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from nuvik.core.planning.ordering.drawn_order import draw_order
from nuvik.core.planning.ordering.move_order import MOST_SETS, Ordered, Transfer, order_moves
from nuvik.core.planning.ordering.staging import Stage, with_legs

MOST_TRIES = 400
"""So many choices of staged libraries are tried before the search gives up."""
_MOST_SETS_A_TRY = 1_000
_FEW = 40
"""So few stages are all tried: any of them may make room for another one to wait."""
_MOST_DRAWN = 100
"""So many orders are drawn by chance after that."""


@dataclass(frozen=True, slots=True)
class Untied:
    """The moves in an order that works, with the two legs of each staged one."""

    ordered: Ordered
    staged: tuple[Stage, ...] = ()


def untie(
    moves: Sequence[Transfer],
    stages: Sequence[Stage],
    free_bytes: Mapping[str, int],
    floor_bytes: Mapping[str, int],
    most_sets: int = MOST_SETS,
    most_tries: int = MOST_TRIES,
) -> Untied:
    """Order moves that no order allows as they are, with as few bytes staged as possible.

    Gives them in the best order without staging when that does not help either.
    """
    plain = order_moves(moves, free_bytes, floor_bytes, most_sets=most_sets)
    if not plain.stuck:
        return Untied(plain)
    helpful = stages if len(stages) <= _FEW else _helpful(plain.stuck, moves, stages)
    able = sorted(helpful, key=lambda stage: (stage.room_bytes, stage.key, stage.via))
    # Sets of stages as rising numbers, the cheapest first; each is reached once: by its last stage, from the rest.
    # In rising order they are a heap from the beginning.
    waiting: list[tuple[int, int, tuple[int, ...]]] = [
        (stage.room_bytes, 1, (number,)) for number, stage in enumerate(able)
    ]
    for _ in range(most_tries):
        if not waiting:
            break
        extra, _, chosen = heapq.heappop(waiting)
        staged = [able[number] for number in chosen]
        ordered = order_moves(
            with_legs(moves, staged), free_bytes, floor_bytes, most_sets=min(most_sets, _MOST_SETS_A_TRY)
        )
        if not ordered.stuck:
            return Untied(ordered, tuple(staged))
        keys = {stage.key for stage in staged}
        for number in range(chosen[-1] + 1, len(able)):
            if able[number].key not in keys:
                heapq.heappush(waiting, (extra + able[number].room_bytes, len(chosen) + 1, (*chosen, number)))
    done, drawn = draw_order(moves, able, free_bytes, floor_bytes, min(most_tries, _MOST_DRAWN))
    if len(done) == len(moves) + len(drawn):
        return Untied(Ordered(tuple(done)), tuple(drawn))
    return Untied(plain)


def _helpful(stuck: Sequence[Transfer], moves: Sequence[Transfer], stages: Sequence[Stage]) -> list[Stage]:
    """Stages of libraries whose going makes room where something stuck wants to go, directly or by way of others."""
    wanted, before = {move.target for move in stuck}, -1
    while len(wanted) != before:
        before = len(wanted)
        wanted |= {move.target for move in moves if move.source in wanted}
    by_key = {move.key: move for move in moves}
    return [stage for stage in stages if by_key[stage.key].source in wanted]
