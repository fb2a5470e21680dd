"""Staging: a knot of moves, each in want of the place of another, is untied by letting a library wait on a third drive.

A staged library moves twice: to the staging drive, and from there to its goal. Which libraries are staged, and where,
is searched by the bytes that this moves in addition, fewest first.
"""

from __future__ import annotations

import heapq
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from nuvik.core.planning.ordering.move_order import MOST_SETS, Ordered, Transfer, order_moves

MOST_TRIES = 400
"""So many choices of staged libraries are tried before the search gives up."""
_MOST_SETS_A_TRY = 1_000
_FEW = 40
"""So few stages are all tried: any of them may make room for another one to wait."""
LEG = "\0"
"""What stands between the key of a staged move and its leg."""


@dataclass(frozen=True, slots=True)
class Stage:
    """A move that could go by way of a drive."""

    key: str
    via: str
    room_bytes: int
    """Taken on the staging drive."""
    frees_bytes: int
    """Given back there when it goes on."""


@dataclass(frozen=True, slots=True)
class Untied:
    """The moves in an order that works, with the two legs of each staged one."""

    ordered: Ordered
    staged: tuple[Stage, ...] = ()


def legs(move: Transfer, stage: Stage) -> tuple[Transfer, Transfer]:
    """A move by way of a staging drive, as two."""
    out = replace(move, key=f"{move.key}{LEG}1", target=stage.via, room_bytes=stage.room_bytes, benefit_s=0.0)
    on = replace(
        move, key=f"{move.key}{LEG}2", source=stage.via, frees_bytes=stage.frees_bytes, after=frozenset([out.key])
    )
    return out, on


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
    waiting: list[tuple[int, int, tuple[int, ...]]] = [
        (stage.room_bytes, 1, (number,)) for number, stage in enumerate(able)
    ]
    heapq.heapify(waiting)
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
    return Untied(plain)


def _helpful(stuck: Sequence[Transfer], moves: Sequence[Transfer], stages: Sequence[Stage]) -> list[Stage]:
    """Stages of libraries whose going makes room where something stuck wants to go, directly or by way of others."""
    wanted, before = {move.target for move in stuck}, -1
    while len(wanted) != before:
        before = len(wanted)
        wanted |= {move.target for move in moves if move.source in wanted}
    by_key = {move.key: move for move in moves}
    return [
        stage
        for stage in stages
        if by_key[stage.key].source in wanted and stage.via not in (by_key[stage.key].source, by_key[stage.key].target)
    ]


def with_legs(moves: Sequence[Transfer], staged: Sequence[Stage]) -> list[Transfer]:
    by_key = {stage.key: stage for stage in staged}
    split_moves: list[Transfer] = []
    renamed = {stage.key: f"{stage.key}{LEG}2" for stage in staged}
    for move in moves:
        move = replace(move, after=frozenset(renamed.get(key, key) for key in move.after))
        if move.key in by_key:
            out, on = legs(move, by_key[move.key])
            split_moves += [replace(out, after=move.after), replace(on, after=on.after | move.after)]
        else:
            split_moves.append(move)
    return split_moves
