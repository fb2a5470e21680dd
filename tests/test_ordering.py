"""The order of moves: found whenever there is one, and never below a floor."""

from __future__ import annotations

import itertools

from hypothesis import given, settings
from hypothesis import strategies as st

from nuvik.core.planning.ordering.move_order import Transfer, order_moves


@st.composite
def moves_and_room(draw, most):
    """Moves between a few tight drives. Sizes of tenths, so that they meet exactly."""
    names = [f"d{n}" for n in range(draw(st.integers(2, 4)))]
    moves = []
    for number in range(draw(st.integers(1, most))):
        source, target = draw(st.permutations(names))[:2]
        size = draw(st.integers(1, 10))
        moves.append(Transfer(f"m{number}", source, target, size, size, draw(st.integers(0, 3))))
    floors = {name: draw(st.integers(0, 3)) for name in names}
    return moves, {name: floors[name] + draw(st.integers(0, 14)) for name in names}, floors


def keeps_floors(order, free, floors, on_trial=False):
    left = dict(free)
    for move in order:
        left[move.target] -= move.room_bytes
        if left[move.target] < floors[move.target]:
            return False
        left[move.source] += 0 if on_trial else move.frees_bytes
    return True


@settings(max_examples=500, deadline=None)
@given(case=moves_and_room(most=6), on_trial=st.booleans())
def test_an_order_is_found_whenever_there_is_one(case, on_trial):
    moves, free, floors = case
    ordered = order_moves(moves, free, floors, on_trial)
    assert keeps_floors(ordered.done, free, floors, on_trial)
    assert sorted(move.key for move in (*ordered.done, *ordered.stuck)) == sorted(move.key for move in moves)
    exists = any(keeps_floors(order, free, floors, on_trial) for order in itertools.permutations(moves))
    assert bool(ordered.stuck) is not exists and not ordered.given_up
    if ordered.stuck:
        assert ordered.missing_bytes > 0 and ordered.missing_on in free


@settings(max_examples=60, deadline=None)
@given(case=moves_and_room(most=40), data=st.data())
def test_forty_tight_moves_that_can_be_ordered_are(case, data):
    """Made feasible by carrying them in a hidden order first, with just the room that this order needs."""
    moves, _, floors = case
    left, need = dict.fromkeys(floors, 0), dict.fromkeys(floors, 0)
    for move in data.draw(st.permutations(moves)):
        left[move.target] -= move.room_bytes
        need[move.target] = max(need[move.target], -left[move.target])
        left[move.source] += move.frees_bytes
    free = {name: floors[name] + need[name] for name in floors}
    ordered = order_moves(moves, free, floors)
    assert keeps_floors(ordered.done, free, floors)
    assert not ordered.stuck or ordered.given_up
