"""Of all orders that work, the one in which most of the good is done soonest: so that stopping midway has most of it.

What counts is the sum, over the moves, of what each saves times the moment at which it is done, as small as can be: the
weighted completion time of scheduling (W. E. Smith, Naval Research Logistics Quarterly 3, 1956). Of few moves every
order is looked at, set by set, since what is free after some moves does not depend on their order; of more, neighbours
change places as long as that helps.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from nuvik.core.planning.ordering.move_order import Transfer

_FEW = 10


def best_first(
    moves: Sequence[Transfer], seconds: Mapping[str, float], free_bytes: Mapping[str, int], floors: Mapping[str, int]
) -> list[Transfer]:
    """Moves that work in the order given, in a better one. `seconds` says by key how long each takes, `benefit_s` what
    it brings.
    """
    if len(moves) <= _FEW:
        return _best_of_all(list(moves), seconds, free_bytes, floors)
    return _by_neighbours(list(moves), seconds, free_bytes, floors)


def lateness(moves: Sequence[Transfer], seconds: Mapping[str, float]) -> float:
    """What is made small: for each move what it brings, times when it is done."""
    total, now_s = 0.0, 0.0
    for move in moves:
        now_s += seconds[move.key]
        total += move.benefit_s * now_s
    return total


def _best_of_all(
    moves: list[Transfer], seconds: Mapping[str, float], free_bytes: Mapping[str, int], floors: Mapping[str, int]
) -> list[Transfer]:
    numbers = {move.key: number for number, move in enumerate(moves)}
    before = [sum(1 << numbers[key] for key in move.after if key in numbers) for move in moves]
    took = [seconds[move.key] for move in moves]
    # By the set of moves done: the least lateness, the last of them, and the set before it.
    best: dict[int, tuple[float, int, int]] = {0: (0.0, -1, 0)}
    reached = [0]
    for _ in moves:
        following: dict[int, None] = {}
        for done in reached:
            free, now_s = dict(free_bytes), 0.0
            for number, move in enumerate(moves):
                if done >> number & 1:
                    free[move.target] -= move.room_bytes
                    free[move.source] += move.frees_bytes
                    now_s += took[number]
            for number, move in enumerate(moves):
                after = done | 1 << number
                if after == done or before[number] & ~done:
                    continue
                if free[move.target] - move.room_bytes < floors[move.target]:
                    continue
                late = best[done][0] + move.benefit_s * (now_s + took[number])
                if after not in best or late < best[after][0]:
                    best[after] = (late, number, done)
                following[after] = None
        reached = list(following)
    order: list[Transfer] = []
    state = (1 << len(moves)) - 1
    while state:
        _, last, state = best[state]
        order.append(moves[last])
    return order[::-1]


def _by_neighbours(
    moves: list[Transfer], seconds: Mapping[str, float], free_bytes: Mapping[str, int], floors: Mapping[str, int]
) -> list[Transfer]:
    changed = True
    while changed:
        changed, free = False, dict(free_bytes)
        for place in range(len(moves) - 1):
            first, second = moves[place], moves[place + 1]
            better = second.benefit_s * seconds[first.key] > first.benefit_s * seconds[second.key] * (1 + 1e-9)
            # What the first takes fits after the second, too: both fitted before, and the second only makes room.
            fits = free[second.target] - second.room_bytes >= floors[second.target]
            if better and first.key not in second.after and fits:
                moves[place], moves[place + 1] = second, first
                changed = True
            _carry(moves[place], free)
    return moves


def _carry(move: Transfer, free: dict[str, int]) -> None:
    free[move.target] -= move.room_bytes
    free[move.source] += move.frees_bytes
