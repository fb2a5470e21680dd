"""Staging: a library that waits on a third drive moves twice, there and from there to its goal."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from nuvik.core.planning.ordering.move_order import Transfer

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


def legs(move: Transfer, stage: Stage) -> tuple[Transfer, Transfer]:
    """A move by way of a staging drive, as two."""
    out = replace(move, key=f"{move.key}{LEG}1", target=stage.via, room_bytes=stage.room_bytes, benefit_s=0.0)
    on = replace(
        move, key=f"{move.key}{LEG}2", source=stage.via, frees_bytes=stage.frees_bytes, after=frozenset([out.key])
    )
    return out, on


def with_legs(moves: Sequence[Transfer], staged: Sequence[Stage]) -> list[Transfer]:
    """The moves, with both legs of those that are staged in their place."""
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
