"""The order of moves: no drive goes under its floor at any instant.

While a move goes on its library stands on both drives; only after it the room on the old one is free. What is done in
which order therefore matters where drives are tight. The free space after some moves does not depend on their order,
so a set of moves that led nowhere once leads nowhere again: the search remembers it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

MOST_SETS = 200_000
"""So many sets of done moves are looked at before the search gives up."""


@dataclass(frozen=True, slots=True)
class Transfer:
    """A library on its way, for ordering."""

    key: str
    source: str
    target: str
    room_bytes: int
    """Taken on the target."""
    frees_bytes: int
    """Given back on the source, once the original goes."""
    benefit_s: float = 0.0
    """What it saves in a week: of two that can be done now, the one that saves more goes first."""
    after: frozenset[str] = frozenset()
    """The keys of moves that must be done before."""


@dataclass(frozen=True, slots=True)
class Ordered:
    """The moves in an order that works; those that cannot be done within the floors, whatever the order."""

    done: tuple[Transfer, ...]
    stuck: tuple[Transfer, ...] = ()
    missing_bytes: int = 0
    """What one drive lacks for the easiest of those that are stuck."""
    missing_on: str = ""
    given_up: bool = False
    """The search was cut short: there may be an order nevertheless."""


def order_moves(
    moves: Sequence[Transfer],
    free_bytes: Mapping[str, int],
    floor_bytes: Mapping[str, int],
    on_trial: bool = False,
    most_sets: int = MOST_SETS,
) -> Ordered:
    """Order these moves. With `on_trial` originals stay, so that nothing becomes free.

    A drive that is under its floor already may lose libraries, and takes none before it is over it again.
    """
    search = _Search(
        sorted(moves, key=lambda move: (-move.benefit_s, -move.frees_bytes, move.key)), floor_bytes, on_trial, most_sets
    )
    done = search.run(dict(free_bytes))
    keys = {move.key for move in done}
    stuck = tuple(move for move in moves if move.key not in keys)
    if not stuck:
        return Ordered(tuple(done))
    free = search.free_after(done, free_bytes)
    lacking = {move: floor_bytes[move.target] + move.room_bytes - free[move.target] for move in stuck}
    # One that waits for another in vain lacks no room itself.
    keys_stuck = {move.key for move in stuck}
    first = [move for move in stuck if not move.after & keys_stuck] or list(stuck)
    easiest = min(first, key=lambda move: (lacking[move], move.key))
    return Ordered(tuple(done), stuck, max(0, lacking[easiest]), easiest.target, search.given_up)


class _Search:
    def __init__(self, moves: list[Transfer], floors: Mapping[str, int], on_trial: bool, most_sets: int) -> None:
        self._moves, self._floors, self._on_trial, self._most_sets = moves, floors, on_trial, most_sets
        numbers = {move.key: number for number, move in enumerate(moves)}
        self._before = [sum(1 << numbers[key] for key in move.after if key in numbers) for move in moves]
        self._seen: set[int] = set()
        self._best: list[Transfer] = []
        self.given_up = False

    def run(self, free: dict[str, int]) -> list[Transfer]:
        """The longest order found; all moves, if there is one."""
        every = (1 << len(self._moves)) - 1
        done: list[Transfer] = []
        # Each level: the set done when it was entered, and the moves still to be tried there.
        levels = [(0, self._tries(0, free))]
        while levels:
            state, tries = levels[-1]
            if len(done) > len(self._best):
                self._best = list(done)
            if state == every:
                return done
            if not tries or len(self._seen) >= self._most_sets:
                self.given_up = self.given_up or bool(tries)
                levels.pop()
                if done and levels:
                    self._apply(done.pop(), free, -1)
                continue
            number = tries.pop()
            after = state | 1 << number
            if after in self._seen:
                continue
            self._seen.add(after)
            self._apply(self._moves[number], free, 1)
            done.append(self._moves[number])
            levels.append((after, self._tries(after, free)))
        return self._best

    def _tries(self, state: int, free: Mapping[str, int]) -> list[int]:
        """The moves that can be done now, the best last. One that can harm no other is the only one to be tried."""
        left = [number for number in range(len(self._moves)) if not state >> number & 1]
        wanted: dict[str, int] = {}
        for number in left:
            move = self._moves[number]
            wanted[move.target] = wanted.get(move.target, 0) + move.room_bytes
        possible = []
        for number in left:
            move = self._moves[number]
            if self._before[number] & ~state:
                continue
            room = free[move.target] - self._floors[move.target]
            if room >= wanted[move.target]:
                return [number]  # all that comes there fits without anything leaving: it is in nobody's way
            if room >= move.room_bytes:
                possible.append(number)
        return possible[::-1]

    def _apply(self, move: Transfer, free: dict[str, int], sign: int) -> None:
        free[move.target] -= sign * move.room_bytes
        if not self._on_trial:
            free[move.source] += sign * move.frees_bytes

    def free_after(self, done: Sequence[Transfer], free: Mapping[str, int]) -> dict[str, int]:
        left = dict(free)
        for move in done:
            self._apply(move, left, 1)
        return left
