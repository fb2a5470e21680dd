"""Orders of moves drawn by chance: many quick attempts, of which one may get through where a search gives up.

An attempt makes one move after the other and takes none back. What harms no other goes first, then what makes most
room, more or less; where nothing has room, a library waits on a third drive, if that lets another one go. Attempts
differ in what “more or less” comes to. The same moves get the same order.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping, Sequence

from nuvik.core.planning.ordering.move_order import Transfer
from nuvik.core.planning.ordering.staging import LEG, Stage, legs

Chance = Callable[[], float]


def draw_order(
    moves: Sequence[Transfer],
    stages: Sequence[Stage],
    free_bytes: Mapping[str, int],
    floor_bytes: Mapping[str, int],
    attempts: int,
) -> tuple[list[Transfer], list[Stage]]:
    """As many of these moves as an attempt got through, in an order that works, with both legs of those that wait on a
    third drive; and the stages by which these go. Of attempts that make all moves that with the fewest bytes staged.
    """
    best: _Attempt | None = None
    for number in range(attempts):
        attempt = _Attempt(moves, stages, free_bytes, floor_bytes, random.Random(number).random)
        attempt.run()
        if best is None or attempt.rank < best.rank:
            best = attempt
        if best.rank == (0, 0):
            break
    return (best.done, list(best.staged.values())) if best is not None else ([], [])


class _Attempt:
    """Moves that are made one after the other."""

    def __init__(
        self,
        moves: Sequence[Transfer],
        stages: Sequence[Stage],
        free_bytes: Mapping[str, int],
        floor_bytes: Mapping[str, int],
        chance: Chance,
    ) -> None:
        self._chance, self._count = chance, len(moves)
        self._room = {space: free - floor_bytes[space] for space, free in free_bytes.items()}
        self._left = {move.key: move for move in moves}
        """What is still to be made: all of a move, or its second leg."""
        self._wanted = dict.fromkeys(self._room, 0)
        for move in moves:
            self._wanted[move.target] += move.room_bytes
        self._stages: dict[str, list[Stage]] = {}
        for stage in stages:
            self._stages.setdefault(stage.key, []).append(stage)
        self.done: list[Transfer] = []
        self.staged: dict[str, Stage] = {}

    @property
    def rank(self) -> tuple[int, int]:
        """The better, the less: how many moves are left, and how many bytes were staged."""
        made = len(self.done) - len(self.staged)
        return self._count - made, sum(stage.room_bytes for stage in self.staged.values())

    def run(self) -> None:
        """Make all moves, or as many as can be."""
        while self._left:
            key = self._next_move()
            if key is not None:
                self._make(self._left.pop(key))
            elif not self._send_to_wait():
                break
        self._forget_who_still_waits()

    def _next_move(self) -> str | None:
        chosen, most = None, -1.0
        for key, move in self._left.items():
            room = self._room[move.target]
            if room < move.room_bytes or (move.after and not self._left.keys().isdisjoint(move.after)):
                continue
            if room >= self._wanted[move.target]:
                return key  # all that comes there has room without anything leaving: it is in nobody's way
            makes_room = move.frees_bytes * (0.7 + 0.6 * self._chance())
            if makes_room > most:
                chosen, most = key, makes_room
        return chosen

    def _make(self, move: Transfer) -> None:
        self._room[move.target] -= move.room_bytes
        self._wanted[move.target] -= move.room_bytes
        self._room[move.source] += move.frees_bytes
        self.done.append(move)

    def _send_to_wait(self) -> bool:
        """Send a library to a third drive: rather where that lets another go, where all that is still to come has
        room nevertheless, and a small one.
        """
        lacking: dict[str, int] = {}
        for move in self._left.values():
            lack = move.room_bytes - self._room[move.target]
            lacking[move.target] = min(lacking.get(move.target, lack), lack)
        able: list[tuple[bool, bool, float, str, Stage]] = []
        for key, move in self._left.items():
            if key in self.staged or move.source not in lacking or move.after:
                continue
            for stage in self._stages.get(key, ()):
                room = self._room[stage.via] - stage.room_bytes
                if room < 0 or stage.via in (move.source, move.target):
                    continue
                helps = move.frees_bytes >= lacking[move.source]
                size = stage.room_bytes * (0.5 + self._chance())
                able.append((not helps, room < self._wanted[stage.via], size if helps else -size, key, stage))
        if not able:
            return False
        *_, key, stage = min(able, key=lambda choice: choice[:4])
        out, on = legs(self._left[key], stage)
        self._wanted[out.target] += out.room_bytes  # taken off again as it is made
        self._make(out)
        self._left[key], self.staged[key] = on, stage
        return True

    def _forget_who_still_waits(self) -> None:
        """An attempt that got no further has sent some to wait for nothing: what it made before that counts."""
        arrived = {move.key for move in self.done}
        for number, move in enumerate(self.done):
            key, _, leg = move.key.partition(LEG)
            if leg == "1" and f"{key}{LEG}2" not in arrived:
                self.done = self.done[:number]
                return self._forget_who_still_waits()  # what went on later than that waits now, too
        self.staged = {key: stage for key, stage in self.staged.items() if f"{key}{LEG}2" in arrived}
        return None
