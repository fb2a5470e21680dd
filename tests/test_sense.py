"""Proposals that a careful person would make, too: cases in which a plain sum comes to something silly."""

from __future__ import annotations

import itertools
import json
import os
from dataclasses import replace

import pytest
from full_homes import nearly_full, works
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import GB, MB, a_drive, fill, put
from households import FAST, SLOW, drive, home, library
from judged import households
from nuvik.core.carrying.aside_folders import held
from nuvik.core.model.library import Kind, Timing
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.planning.drafting.recommendation import recommend
from nuvik.core.planning.ordering.best_first import _by_neighbours, best_first, lateness
from nuvik.core.planning.ordering.move_order import Transfer, order_moves
from nuvik.core.planning.placement.collections import collections_of
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.spaces import spaces_of
from nuvik.core.planning.placement.waiting import (
    change_of,
    opening_bounds_s,
    opening_s,
    opening_time,
    timed,
    waiting_of,
)
from nuvik.core.planning.search.layers import Layers, Reached
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate
from nuvik.core.views.recommendation_sentences import recommendation_sentences
from nuvik.core.views.waiting_rows import opening_headline, waiting_rows
from test_ordering import keeps_floors, moves_and_room
from test_proposal import two_that_swap

PLATTERS = {**SLOW, "medium": "hdd"}


def test_what_holds_little_is_not_read_often():
    tool = library("Tool", "slow", kind=Kind.PROGRAM, bytes=MB, on_disk_bytes=MB, files=3)
    assert opening_s(tool, drive("slow", **SLOW)) < 5
    snapshot = home([drive("fast", **FAST), drive("slow", **SLOW)], [replace(tool, opens_per_week=0.1)])
    assert not recommend(snapshot, Wishes(style=Style.FASTEST)).draft.places, "nobody feels a tenth of a second a week"


def test_nobody_moves_files_all_night_for_a_little_headroom():
    tight = drive("big", usable_bytes=4000 * GB, used_bytes=3600 * GB + 500 * MB, headroom_bytes=400 * GB, **PLATTERS)
    stick = drive("stick", usable_bytes=1000 * GB, used_bytes=0, write_bytes_per_s=15 * MB, read_bytes_per_s=90 * MB)
    snapshot = home([tight, stick], [library("Archive", "big", 610, kind=Kind.SOUND, opens_per_week=0)])
    offered = recommend(snapshot, Wishes())
    assert not offered.draft.places and offered.trades["big"] > 10 * 3600
    assert "500 MB short of its headroom (0.1% of it): ending that would take 13 h" in recommendation_sentences(offered)
    for wishes, mendable in ((Wishes(on_trial=True), True), (Wishes(pinned=frozenset(["Archive"])), False)):
        assert ("big" in recommend(snapshot, wishes).trades) is mendable
    asked = recommend(snapshot, Wishes(free_more_bytes={"big": 600 * MB}))
    assert asked.draft.places == {"Archive": "stick"}, "asked for in so many words it is done"


def test_a_nearly_empty_fast_drive_is_used_and_fastest_never_waits_longer():
    empty = drive("fast", usable_bytes=1000 * GB, used_bytes=20 * GB, headroom_bytes=100 * GB, **FAST)
    games = [library(f"G{n}", "slow", 60, opens_per_week=opens) for n, opens in enumerate((0.5, 1, 2, 4))]
    snapshot = home([empty, drive("slow", usable_bytes=2000 * GB, used_bytes=900 * GB, **SLOW)], games)
    assert len(recommend(snapshot, Wishes()).whole.places) == 4
    saved = recommend(snapshot, Wishes(style=Style.FASTEST)).draft.saved
    assert saved.likely >= recommend(snapshot, Wishes(every_move=True)).draft.saved.likely > 60


def test_a_cache_does_not_push_out_what_is_opened():
    fast = drive("fast", usable_bytes=100 * GB, used_bytes=65 * GB, **FAST)
    cache = library("Cache", "fast", 60, kind=Kind.CACHE, opens_per_week=40, files=900)
    game = library("Game", "slow", 60, opens_per_week=5, files=900)
    places = recommend(home([fast, drive("slow", **SLOW)], [cache, game]), Wishes()).draft.places
    assert places == {"Cache": "slow", "Game": "fast"}


def test_folders_called_after_their_kind_are_no_collections():
    for folder in ("Photo", "photos", "VIDEO", "Videos", "Fotos", "Musik"):
        members = [
            library(name, at, kind=Kind.PHOTO, path=f"/{at}/{folder}/{name}") for name, at in (("A", "x"), ("B", "y"))
        ]
        assert not collections_of(home([drive("x"), drive("y")], members)), folder
    members = [
        library(name, at, kind=Kind.PHOTO, path=f"/{at}/Harvest/{name}") for name, at in (("A", "x"), ("B", "y"))
    ]
    assert len(collections_of(home([drive("x"), drive("y")], members))) == 1


def test_what_matters_and_has_no_copy_does_not_go_on_a_portable_drive_without_a_word():
    fast = drive("fast", usable_bytes=100 * GB, used_bytes=98 * GB, headroom_bytes=20 * GB, **FAST)
    snapshot = home([fast, drive("away", portable=True, **SLOW)], [library("Wedding", "fast", 40, kind=Kind.PHOTO)])
    words = recommendation_sentences(recommend(snapshot, Wishes()))
    assert "Wedding is going to be on a portable drive, and no copy is known: make a backup." in words


def test_the_last_moves_are_offered_apart():
    opens = (20, 18, 16, 15, 1.2, 1.1)
    games = [library(f"G{n}", "slow", 10, opens_per_week=often, files=900) for n, often in enumerate(opens)]
    snapshot = home([drive("fast", **FAST), drive("slow", **SLOW)], games)
    offered = recommend(snapshot, Wishes())
    assert set(offered.draft.places) == {"G0", "G1", "G2", "G3"} and len(offered.whole.places) == 6
    assert "2 more moves would save" in recommendation_sentences(offered)
    assert len(recommend(snapshot, Wishes(every_move=True)).draft.places) == 6


def test_a_drive_may_dip_below_its_headroom_for_a_move_unless_that_is_forbidden():
    """The two change places: for a moment one of the drives holds both."""
    fast = drive("fast", usable_bytes=100 * GB, used_bytes=85 * GB, **FAST)
    slow = drive("slow", usable_bytes=150 * GB, used_bytes=100 * GB, headroom_bytes=45 * GB, **SLOW)
    often = library("Often", "slow", 42, opens_per_week=20, files=900)
    snapshot = home([fast, slow], [often, library("Never", "fast", 41, opens_per_week=0)])
    offered = recommend(snapshot, Wishes())
    assert offered.draft.places == {"Never": "slow", "Often": "fast"}
    timeline = simulate(Scene(make_plan(offered.draft, offered), snapshot.drives))
    (dip,) = timeline.dips
    assert timeline.feasible and dip.drive == "slow" and dip.lowest_bytes == 9 * GB and dip.seconds > 60
    kept = recommend(snapshot, Wishes(keep_headroom=True))
    assert not kept.draft.places and "to make room along the way" in recommendation_sentences(kept)
    forbidden = replace(make_plan(offered.draft, offered), keep_headroom=True)
    assert not simulate(Scene(forbidden, snapshot.drives)).feasible
    worse = Draft(home([fast, slow], [library("Big", "fast", 20)])).put_down("Big", "slow")
    (violation,) = simulate(Scene(make_plan(worse), worse.drives)).violations
    assert violation.problem == "Slow would be 15.0 GB short of its headroom.", "a dip has to end"


@settings(max_examples=200, deadline=None)
@given(case=moves_and_room(most=6), seconds=st.lists(st.integers(1, 9), min_size=6, max_size=6))
def test_the_best_comes_first_of_all_orders_that_work(case, seconds):
    moves, free, floors = case
    took = {move.key: float(time) for move, time in zip(moves, seconds, strict=False)}
    ordered = order_moves(moves, free, floors)
    if ordered.stuck:
        return
    best = best_first(ordered.done, took, free, floors)
    assert keeps_floors(best, free, floors) and len(best) == len(moves)
    every = [order for order in itertools.permutations(moves) if keeps_floors(order, free, floors)]
    assert lateness(best, took) == pytest.approx(min(lateness(order, took) for order in every))
    swapped = _by_neighbours(list(ordered.done), took, free, floors)
    assert keeps_floors(swapped, free, floors) and lateness(swapped, took) <= lateness(ordered.done, took)


def test_neighbours_keep_what_must_come_before():
    first = Transfer("part", "a", "b", 1, 1)
    second = Transfer("body", "a", "b", 1, 1, 9.0, frozenset(["part"]))
    assert _by_neighbours([first, second], {"part": 9.0, "body": 1.0}, {"a": 9, "b": 9}, {"a": 0, "b": 0})[0] is first


def test_a_card_binds_at_once_and_follows_its_library(world, capsys):
    game = fill(world.path("kestrel", "Games", "Kite"))
    put(world.path("kestrel", "Games", "Kite", "big.bin"), 150 * MB)
    plan = str(world.folder / "p.nuvik-plan.json")
    assert world.run("survey") == 0 and world.run("propose", "--free", "kestrel=60M", "-o", plan) == 0
    assert world.run("card", str(game), "--pin") == 0
    assert world.run("rehearse", plan) == 3 and "You pinned it" in capsys.readouterr().err
    assert world.run("carry", plan, "--yes") == 3 and not game.is_symlink()
    workspace = world.open()
    asked = Wishes(free_more_bytes={"kestrel": 60 * MB})
    assert not workspace.plan.recommend(asked).draft.places, "without a survey"
    assert world.run("card", str(game), "--no-pin", "--opens-per-week", "7") == 0
    (known,) = world.open().survey.latest().libraries
    assert known.opens_per_week == 7 and known.movable
    assert world.run("carry", plan, "--yes") == 0 and game.is_symlink()
    there = os.path.realpath(game)
    survey = world.open().survey
    assert survey.card(str(game)) == survey.card(there) and survey.card(there).opens_per_week == 7
    survey.keep_cards([replace(survey.card(there), opens_per_week=3)])
    assert world.run("undo", "last", "--yes") == 0
    assert world.open().survey.card(str(game)).opens_per_week == 3, "and back"


def test_a_plan_that_breaks_what_a_card_asks_says_so_when_it_is_rehearsed(world):
    album, copy = fill(world.path("heron", "Photos", "Album")), fill(world.path("kestrel", "Backups", "Album copy"))
    world.cards = [{"path": "kestrel/Backups/Album copy", "apart_from": ["heron/Photos/Album"]}]
    world.write()
    assert album.is_dir() and world.run("survey") == 0
    printed = world.prints("shift", str(copy), "heron")
    assert "no longer true that Album copy is on another disk than Album" in printed


def test_why_says_where_the_seconds_come_from_and_what_a_gigabyte_is_worth(world, capsys):
    fill(world.path("heron", "Games", "Kite"), files=40)
    put(world.path("heron", "Games", "Kite", "big.bin"), 100 * MB)
    kite = world.path("heron", "Games", "Kite")
    assert world.run("survey") == 0 and world.run("card", kite, "--opens-per-week", "20") == 0
    words = world.prints("why", "Kite")
    assert words.startswith("Kite should go to ") and "computing" in words and "s small reads" in words
    assert "Kestrel: " in words and "a week" in words and "s for each GB" in words
    assert world.run("why", "Nobody") == 2 and "No library is known as" in capsys.readouterr().err
    answer = json.loads(world.prints("why", "Kite", "--json"))
    here, goal = answer["drives"][0], next(row for row in answer["drives"] if row["id"] == answer["moves_to"])
    assert (here["id"], here["source"], here["low_s"]) == ("heron", "assumed", None) and answer["blocked_by"] == []
    assert goal["seconds"] == pytest.approx(goal["computing_s"] + goal["sequence_s"] + goal["small_reads_s"])
    # What would change the answer does change it.
    turns = goal["pays_from_per_week"]
    assert 0 < turns < 20
    for opens, goes in ((turns * 0.9, False), (turns * 1.1, True)):
        assert world.run("card", kite, "--opens-per-week", f"{opens}") == 0
        assert bool(world.open().plan.recommend(Wishes()).draft.places) is goes, opens


@given(computing_s=st.floats(0, 60), factor=st.floats(0.1, 20), order=st.permutations(["quick", "slow", "middle"]))
def test_timings_on_two_drives_tell_computing_from_reading(computing_s, factor, order):
    """What was timed is what is reckoned; from one drive the truth about another lies within what is said."""
    speeds = {"quick": (900, 20_000), "middle": (300, 3_000), "slow": (90, 80)}
    drives = {
        name: a_drive(id=name, read_bytes_per_s=read * MB, small_reads_per_s=small)
        for name, (read, small) in speeds.items()
    }
    game = library("Kite", "slow", bytes=20 * GB, files=500, kind=Kind.GAME)
    takes = {name: computing_s + factor * opening_time(game, drive).reading_s for name, drive in drives.items()}
    first, second, third = order
    timings = [Timing(drive=name, seconds=takes[name]) for name in (first, second)]
    once, twice = timed(game, timings[:1], drives), timed(game, timings, drives)
    assert opening_s(once, drives[first]) == pytest.approx(takes[first], rel=0.01, abs=0.01)
    low, high = opening_bounds_s(once, drives[second], drives)
    assert low * 0.99 - 0.01 <= takes[second] <= high * 1.01 + 0.01
    assert opening_bounds_s(game, drives[first], drives) is None
    assert opening_s(twice, drives[third]) == pytest.approx(takes[third], rel=0.02, abs=0.1)
    assert twice.computing_s == pytest.approx(computing_s, rel=0.02, abs=0.1)
    # Timings that contradict each other still give times that are possible.
    odd = timed(game, [Timing(drive="quick", seconds=50), Timing(drive="slow", seconds=5)], drives)
    assert all(0 < opening_s(odd, drive) < 10_000 for drive in drives.values())


def test_what_limits_cost_is_said():
    snapshot = home(
        [drive("fast", usable_bytes=900 * GB, **FAST), drive("slow", usable_bytes=900 * GB, **SLOW)],
        [library(name, "slow", opens_per_week=opens) for name, opens in (("Kite", 9), ("Loom", 5), ("Moor", 3))],
    )
    free = recommend(snapshot, Wishes())
    for wishes in (Wishes(most_moves=1), Wishes(most_moving_s=500)):
        offered = recommend(snapshot, wishes)
        words, missed_s = recommendation_sentences(offered), free.draft.saved.likely - offered.draft.saved.likely
        assert len(offered.draft.loads) < 3 and offered.limits_cost_s == pytest.approx(missed_s, rel=0.01)
        assert "Without limits on the moving, up to" in words and "better exists within your limits" in words
    assert "limits" not in recommendation_sentences(recommend(snapshot, Wishes(most_moves=3)))


def test_what_comes_to_an_old_path_has_a_card_of_its_own(world):
    old = fill(world.path("kestrel", "Games", "Kite"))
    assert world.run("shift", str(old), "heron", "--yes") == 0
    there = os.path.realpath(old)
    old.unlink()
    fill(old, seed=2)
    assert world.run("card", str(old), "--pin") == 0
    survey = world.open().survey
    assert survey.card(str(old)).pinned and not survey.card(there).pinned
    assert world.open().carry.pinned() == {str(old)}


def test_moves_that_are_left_out_are_said_to_be():
    opens = (20, 18, 16, 15, 1.2, 1.1)
    games = [library(f"G{n}", "slow", 10, opens_per_week=often, files=900) for n, often in enumerate(opens)]
    offered = recommend(home([drive("fast", **FAST), drive("slow", **SLOW)], games), Wishes())
    assert "one of the last moves" in offered.kept["G5"].reason
    copied = replace(library("Wedding", "fast", 40, kind=Kind.PHOTO), apart_from=("/far/Copy",))
    fast = drive("fast", usable_bytes=100 * GB, used_bytes=98 * GB, headroom_bytes=20 * GB, **FAST)
    kept = recommend(home([fast, drive("away", portable=True, **SLOW)], [copied]), Wishes())
    assert kept.draft.places and "no copy is known" not in recommendation_sentences(kept)


def test_what_is_left_out_leaves_no_drive_short():
    """With both of the last games left out, the slow drive, which takes what makes room for them, would be short."""
    fast = drive("fast", usable_bytes=100 * GB, used_bytes=75 * GB, **FAST)
    slow = drive("slow", usable_bytes=500 * GB, used_bytes=400 * GB, headroom_bytes=95 * GB, **SLOW)
    games = [
        library(f"G{n}", "slow", 10, opens_per_week=often, files=900)
        for n, often in enumerate((20, 18, 16, 15, 1.2, 1.1))
    ]
    offered = recommend(home([fast, slow], [*games, library("Never", "fast", 50, opens_per_week=0)]), Wishes())
    assert len(offered.whole.places) == 7 and len(offered.draft.places) == 6
    assert not offered.draft.still_short()


def test_a_plan_that_keeps_less_free_than_the_drive_says_so(world):
    fill(world.path("kestrel", "Kite"))
    plan = str(world.folder / "p.nuvik-plan.json")
    assert world.run("draft", world.path("kestrel", "Kite"), "heron", "--headroom", "heron=1M", "-o", plan) == 0
    assert "leaves 1.00 MB free on Heron, less than the 50.0 MB" in world.prints("rehearse", plan)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(household=households())
def test_what_is_proposed_on_trial_fits_beside_the_originals(household):
    snapshot, wishes = household
    offered = recommend(snapshot, replace(wishes, on_trial=True))
    assert not offered.draft.places or make_plan(offered.draft, offered).on_trial
    for space in spaces_of(snapshot.drives, wishes):
        comes = [
            load for load in offered.draft.loads if load.target in space.drives and load.source not in space.drives
        ]
        arriving = sum(load.library.room_on(load.target) for load in comes)
        assert arriving <= max(0, space.free_bytes - space.floor_bytes) + 2000
    assert offered.proposal.cost_s >= recommend(snapshot, wishes).ideal.bound_s - 1e-6


def test_on_trial_what_fits_beside_the_originals_is_proposed_and_no_more():
    fast = drive("fast", usable_bytes=100 * GB, used_bytes=75 * GB, headroom_bytes=5 * GB, **FAST)
    games = [library("Small", "slow", 15, opens_per_week=9), library("Large", "slow", 40, opens_per_week=30)]
    old = library("Old", "fast", 60, opens_per_week=0)
    snapshot = home([fast, drive("slow", usable_bytes=900 * GB, **SLOW)], [*games, old])
    assert set(recommend(snapshot, Wishes()).draft.places) == {"Small", "Large", "Old"}
    places = recommend(snapshot, Wishes(on_trial=True)).draft.places
    assert "Small" in places and "Large" not in places


def test_who_came_to_wait_after_having_gone_on_goes_directly():
    """The search in layers may end early, with a library that waits on a third drive once it is at its goal."""
    snapshot = two_that_swap(third_gb=96)
    model = Placement(snapshot, Wishes())
    floors = {space.id: space.floor_bytes for space in model.spaces}
    goals = {"never": {"slow"}, "often": {"fast"}}
    layers = Layers(model, 3, floors, snapshot.drives, Reached(), goals, staging=True)
    values = [0.0] * len(model.program.costs)
    mover = next(mover for mover in layers._movers if mover.id == "never")
    for arrived in mover.arrived:
        values[arrived["slow"]] = 1.0
    values[model.choices["never"].on("slow")] = values[model.choices["often"].on("slow")] = 1.0
    values[mover.waits[-1]["third"]] = 1.0
    reached = layers.reached(tuple(values))
    assert reached.places == {"never": "slow"} and not reached.via and reached.order == ("never",)


@pytest.mark.slow
@pytest.mark.parametrize(
    "count, drives, fill, seed, over_ideal",
    [
        (60, 5, 0.95, 4, 0.02),  # by way of a third drive
        (60, 5, 0.93, 1, 0.2),
        (45, 6, 0.9, 1, 0.04),
        (150, 5, 0.93, 3, 0.001),  # its order is drawn
    ],
)
def test_on_large_full_households_nothing_offered_is_stuck(count, drives, fill, seed, over_ideal):
    snapshot = nearly_full(count, drives, fill, seed)
    offered = recommend(snapshot, Wishes(every_move=True))
    assert offered.draft.places and not offered.draft.arranged.stuck
    assert offered.proposal.cost_s <= (1 + over_ideal) * offered.ideal.cost_s
    steps = make_plan(offered.draft, offered).steps
    floors = {drive.id: space.floor_bytes for space in spaces_of(snapshot.drives, Wishes()) for drive in space.drives}
    moves, by_id = [(step.library.lower(), step.to_drive) for step in steps], {x.id: x for x in snapshot.libraries}
    assert works(moves, by_id, list(snapshot.drives), floors), "by rules written down a second time"
    foreseen = simulate(Scene(make_plan(offered.draft, offered), snapshot.drives, snapshot))
    free = {drive.id: drive.free_bytes for drive in snapshot.drives}
    assert foreseen.feasible and len(foreseen.steps) == len(steps)
    for step, seen in zip(steps, foreseen.steps, strict=True):
        library = by_id[step.library.lower()]
        free[step.to_drive] -= library.on_disk_bytes
        assert seen.lowest_free_bytes[step.to_drive] == free[step.to_drive], "before the original goes"
        free[step.from_drive] += library.on_disk_bytes
        assert seen.free_after_bytes == free


def test_more_than_a_drive_can_hold_is_refused(world, capsys):
    for words in (["--free", "Kestrel=900TB"], ["--headroom", "Kestrel=900TB"]):
        assert world.run("propose", *words, "--state", str(world.folder / "s")) == 2
        assert "more than there can be" in capsys.readouterr().err


def test_a_plan_proposed_on_trial_is_rehearsed_and_carried_on_trial(world):
    game = fill(world.path("kestrel", "Games", "Kite"))
    put(world.path("kestrel", "Games", "Kite", "big.bin"), 150 * MB)
    plan = str(world.folder / "p.nuvik-plan.json")
    assert world.run("survey") == 0
    assert "stay where they are until you release them" in world.prints(
        "propose", "--free", "kestrel=60M", "--on-trial", "-o", plan
    )
    workspace = world.open()
    timeline = workspace.rehearse.rehearse(workspace.plan.read(plan))
    assert timeline.free_after_bytes["kestrel"] == timeline.free_before_bytes["kestrel"]
    assert world.run("carry", plan, "--yes") == 0 and game.is_symlink()
    (move,) = world.open().logbook.moves()
    assert move.state == "on-trial" and os.path.isdir(held(move))


def test_where_every_drive_is_short_it_is_said_that_none_may_go_lower():
    drives = [drive(name, used_bytes=495 * GB, **speed) for name, speed in (("fast", FAST), ("slow", SLOW))]
    offered = recommend(home(drives, [library("Kite", "slow", opens_per_week=9)]), Wishes())
    words = recommendation_sentences(offered)
    assert not offered.draft.places and words.startswith("Nothing moves: every drive has less free than its headroom")
    assert "All attached drives together have 10.0 GB free, and 20.0 GB" in words
    roomy = [drives[0], replace(drives[1], used_bytes=100 * GB)]
    assert not recommend(home(roomy, [library("Kite", "slow", opens_per_week=9)]), Wishes()).none_may_take


def test_waiting_for_a_cache_counts_a_tenth_wherever_it_is_said():
    slow = drive("slow", **SLOW)
    cache = library("tiles", "slow", kind=Kind.CACHE)
    waiting_s = waiting_of([(cache, slow)]).likely
    assert waiting_s == pytest.approx(opening_s(cache, slow) * cache.opens_per_week / 10)
    assert waiting_rows(cache, [slow])[0].waiting_s_per_week == pytest.approx(waiting_s)
    assert change_of([(cache, slow)], []).likely == pytest.approx(waiting_s)
    assert "A tenth of that counts" in opening_headline(cache)
    assert "A tenth" not in opening_headline(library("kite", "slow"))


@pytest.mark.slow
def test_where_moves_are_limited_none_is_made_twice():
    snapshot = nearly_full(60, 5, 0.95, 4)
    assert recommend(snapshot, Wishes(every_move=True)).draft.staged
    assert not recommend(snapshot, Wishes(every_move=True, most_moves=200)).draft.staged
