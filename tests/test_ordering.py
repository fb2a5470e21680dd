"""The order of moves: found whenever there is one, and never below a floor."""

from __future__ import annotations

import itertools
from dataclasses import replace

import pytest
from full_homes import nearly_full
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import GB
from households import FAST, drive, library
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.ordering.arrange import _works, arrange, load_of
from nuvik.core.planning.ordering.drawn_order import draw_order
from nuvik.core.planning.ordering.move_order import Transfer, order_moves
from nuvik.core.planning.ordering.staging import LEG, Stage, with_legs
from nuvik.core.planning.ordering.untie import untie
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.proposal import Proposal
from nuvik.core.planning.placement.spaces import spaces_of
from nuvik.core.planning.search.anneal import Annealing
from nuvik.core.planning.search.figures import Figures
from nuvik.core.planning.search.ideal import Ideal
from nuvik.core.planning.search.reach import in_layers


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


@settings(max_examples=300, deadline=None)
@given(case=moves_and_room(most=12), data=st.data())
def test_within_a_layer_any_order_works(case, data):
    moves, free, floors = case
    earlier = data.draw(st.lists(st.integers(0, len(moves) - 1), max_size=2))
    moves = [
        replace(move, after=frozenset(moves[n].key for n in earlier if n < number)) if number % 2 else move
        for number, move in enumerate(moves)
    ]
    thirds = [Stage(move.key, "third", move.room_bytes, move.room_bytes) for move in moves]
    free, floors = {**free, "third": data.draw(st.integers(0, 20))}, {**floors, "third": 0}
    drawn, staged = draw_order(moves, thirds, free, floors, attempts=10)
    assert keeps_floors(drawn, free, floors)
    last = {move.key.removesuffix(f"{LEG}2"): number for number, move in enumerate(drawn)}
    for move in moves:
        if move.after and move.key in last:
            assert all(last[key] < last[move.key] for key in move.after), "what is to go before has gone"
    legs = {move.key for move in with_legs(moves, staged)}
    assert {move.key for move in drawn} <= legs and len(legs) == len(moves) + len(staged)
    for done in (order_moves(moves, free, floors).done, drawn):
        layers = in_layers(done, free, floors)
        assert layers.keys() == {move.key for move in done}
        shuffled = sorted(data.draw(st.permutations(done)), key=lambda move: layers[move.key])
        assert keeps_floors(shuffled, free, floors)
        when = {move.key: number for number, move in enumerate(shuffled)}
        for stage in staged if done is drawn else ():
            assert when[f"{stage.key}{LEG}1"] < when[f"{stage.key}{LEG}2"]


def test_what_waits_on_a_third_drive_goes_on_in_a_later_layer():
    out, on = with_legs([Transfer("a", "x", "y", 1, 1)], [Stage("a", "third", 1, 1)])
    assert in_layers([out, on], dict.fromkeys(("x", "y", "third"), 9), dict.fromkeys(("x", "y", "third"), 0)) == {
        out.key: 0,
        on.key: 1,
    }


def test_what_no_search_unties_in_time_is_drawn_by_chance():
    moves = [Transfer("a", "x", "y", 9, 9), Transfer("b", "y", "x", 9, 9), Transfer("c", "x", "z", 1, 1)]
    stages = [Stage("c", "third", 1, 1), Stage("a", "third", 9, 9)]  # the smaller helps nobody, and is tried first
    free, floors = {"x": 0, "y": 0, "z": 1, "third": 9}, dict.fromkeys(("x", "y", "z", "third"), 0)
    given_up = untie(moves, stages, free, floors, most_tries=0)
    assert {move.key for move in given_up.ordered.stuck} == {"a", "b"} and not given_up.staged
    untied = untie(moves, stages, free, floors, most_tries=1)
    assert not untied.ordered.stuck and [stage.key for stage in untied.staged] == ["a"]
    assert keeps_floors(untied.ordered.done, free, floors) and len(untied.ordered.done) == 4
    assert untie(moves, stages, {**free, "third": 8}, floors, most_tries=1).ordered.stuck, "no room to wait"


@pytest.mark.parametrize("fill", [0.7, 0.88, 0.95])
@pytest.mark.parametrize("most_moves", [None, 3])
def test_what_is_searched_by_chance_has_room_and_costs_what_the_model_says(fill, most_moves):
    for seed in range(5):
        snapshot, wishes = nearly_full(14, 3, fill, seed), Wishes(most_moves=most_moves, most_moving_s=40_000)
        collected = [replace(library, collection="Tide") for library in snapshot.libraries[::3]]
        others = [library for number, library in enumerate(snapshot.libraries) if number % 3]
        snapshot = replace(snapshot, libraries=(*collected, *others))
        model = Placement(snapshot, wishes)
        ideal = Ideal(model, Proposal(), {})
        spaces = spaces_of(snapshot.drives, wishes)
        floors = {space.id: space.floor_bytes for space in spaces}
        figures = Figures(model, floors)
        annealing, begin_s = Annealing(figures, seed), ideal.valued({}).cost_s
        first, order = annealing.search(1_500, 3_000)
        assert keeps_floors(order, {space.id: space.free_bytes for space in spaces}, floors)
        valued = ideal.valued(first)  # infinite where a wish is not kept
        assert valued.cost_s == pytest.approx(begin_s + annealing.change_s, abs=0.01) and annealing.change_s <= 0
        annealing.start([move.key for move in order], first)
        assert ideal.valued(annealing.search(1_500, 300)[0]).cost_s <= valued.cost_s + 0.01
        again = Annealing(figures, seed)
        assert again.search(1_500, 3_000) == (first, order), "the same household gets the same answer"


def test_loads_from_or_to_a_drive_that_is_away_are_not_arranged():
    here, there, away = drive("here"), drive("there"), drive("away", attached=False)
    loads = [load_of(library(f"{a.id}-{b.id}", a.id), a, b) for a, b in ((here, there), (here, away), (away, there))]
    assert [leg.load.library.id for leg in arrange(loads, [here, there, away], Wishes()).legs] == ["here-there"]


def test_an_order_that_works_is_kept_as_it_is_given():
    """The search would let what saves more go first."""
    here, there = drive("here"), drive("there")
    loads = [
        load_of(library("seldom", "here"), here, there),
        load_of(library("often", "here", opens_per_week=50.0), here, drive("there", **FAST)),
        load_of(library("after", "here", opens_per_week=99.0), here, there, after=["seldom"]),
    ]
    for offered in (loads, [loads[1], loads[0], loads[2]]):
        arranged = arrange(offered, [here, there], Wishes())
        assert [leg.load.library.id for leg in arranged.legs] == [load.library.id for load in offered]
    first = arrange([loads[2], loads[0]], [here, there], Wishes()).legs[0]
    assert first.load.library.id == "seldom", "what it waits for goes before it"


def test_whether_an_order_works_is_a_matter_of_room_and_of_who_goes_first():
    first, second = Transfer("a", "x", "y", 5, 5), Transfer("b", "y", "x", 5, 5, after=frozenset("a"))
    free, floors = {"x": 0, "y": 6}, {"x": 0, "y": 1}
    assert _works([first, second], free, floors) and not _works([second, first], {"x": 9, "y": 9}, floors)
    assert not _works([first, second], {**free, "y": 5}, floors), "it would go below its floor"
    assert not _works([replace(second, after=frozenset()), first], free, floors)
    assert _works([replace(second, after=frozenset("z"))], {"x": 5, "y": 1}, floors), "what is not among them is done"


def test_a_quick_answer_that_finds_no_order_says_that_it_gave_up():
    full = [drive(name, usable_bytes=100 * GB, used_bytes=95 * GB, headroom_bytes=0) for name in ("a", "b")]
    swap = [load_of(library("x", "a"), *full), load_of(library("y", "b"), full[1], full[0])]
    assert arrange(swap, full, Wishes(), quickly=True).ordered.given_up
    assert {load.library.id for load in arrange(swap, full, Wishes()).stuck} == {"x", "y"}
    third = drive("third")
    untied = arrange(swap, [*full, third], Wishes(), quickly=True)
    assert not untied.stuck and not untied.ordered.given_up and untied.staged_bytes == 20 * GB


def test_a_known_way_by_third_drives_is_gone_while_it_can_be():
    full = [drive(name, usable_bytes=100 * GB, used_bytes=95 * GB, headroom_bytes=0) for name in ("a", "b")]
    swap = [load_of(library("x", "a"), *full), load_of(library("y", "b"), full[1], full[0])]
    every = [*full, drive("third"), drive("fourth"), drive("tiny", usable_bytes=GB, used_bytes=0)]
    order = (f"x{LEG}1", "y", f"x{LEG}2")
    for third in ("third", "fourth"):
        for known in (order, (), order[::-1], ("y",)):
            arranged = arrange(swap, every, Wishes(), staged={"x": third}, order=known)
            assert [(leg.load.library.id, leg.target.id) for leg in arranged.legs] == [
                ("x", third),
                ("y", "a"),
                ("x", "b"),
            ]
    arranged = arrange(swap, every, Wishes(), staged={"x": "tiny"}, order=order)
    assert not arranged.stuck and "tiny" not in {leg.target.id for leg in arranged.legs}
