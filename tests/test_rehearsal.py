"""Rehearsal: bytes are conserved, the curve is what carrying shows, what-ifs come and go, and times are learnt."""

from __future__ import annotations

import itertools
import json
import math
import time
import xml.etree.ElementTree as ET
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import GB, MB, a_drive, fill
from households import FAST, SLOW, drive, home, library
from nuvik.__main__ import run
from nuvik.core.carrying.run import carry_plan
from nuvik.core.hosts.pace import held_back_bytes, pace_of_this_computer
from nuvik.core.model.errors import BadInput
from nuvik.core.model.library import Kind
from nuvik.core.model.plan import Landing, Plan, Step
from nuvik.core.model.purchase import Candidate
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.calibration import Sample, calibrate
from nuvik.core.rehearsal.forecast import forecasts
from nuvik.core.rehearsal.rehearse import CheckedPlan, rehearse
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate
from nuvik.core.rehearsal.whatif_catalogue import grown, new_of, possible, slower_of
from nuvik.core.rehearsal.whatifs import Away, Bought, Crumbs, Fails, New, SideBySide, Slower, StopAfter, supposed
from nuvik.core.survey.history.growth import Growth
from nuvik.core.views.rehearsal_sentences import forecast_line, rehearsal_headline
from nuvik.tui.app import NuvikApp
from nuvik.tui.widgets.free_curves import FreeCurves
from nuvik.tui.widgets.what_if_list import WhatIfList
from screens import settle, slowness, words
from test_staging_and_parts import knot, swap


@st.composite
def scenes(draw):
    """A plan of moves between four volumes, two of them perhaps on one disk."""
    shared = draw(st.booleans())
    drives = tuple(
        a_drive(
            id=name,
            label=name,
            path=f"/{name}",
            disk="ab" if shared and name in "ab" else name,
            portable=False,
            usable_bytes=1000 * GB,
            used_bytes=300 * GB,
            headroom_bytes=draw(st.integers(0, 600)) * GB,
        )
        for name in "abcd"
    )
    steps = []
    for number in range(1, draw(st.integers(1, 8)) + 1):
        source, target = draw(st.permutations("abcd"))[:2]
        size = draw(st.integers(1, 120)) * GB
        steps.append(
            Step(
                n=number,
                library=f"l{number}",
                kind=Kind.GAME,
                path=f"/{source}/{number}",
                bytes=size,
                files=9,
                from_drive=source,
                to_drive=target,
                target_path=f"/{target}/t{number}",
            )
        )
    plan = Plan(made_at="", host="h", snapshot_taken_at="", steps=tuple(steps))
    return Scene(plan, drives, on_trial=draw(st.booleans()))


@settings(max_examples=200, deadline=None)
@given(scene=scenes())
def test_bytes_are_conserved_and_moves_at_once_break_nothing(scene):
    one_by_one, at_once = simulate(scene), simulate(replace(scene, side_by_side=True))
    for timeline in (one_by_one, at_once):
        assert {step.n for step in timeline.steps} == {step.n for step in scene.plan.steps}
        moments = sorted({at for curve in timeline.curves.values() for at, _ in curve})
        for moment in moments:
            free = {
                name: next((one for at, one in reversed(curve) if at <= moment), None)
                for name, curve in timeline.curves.items()
            }
            taken = sum(timeline.free_before_bytes[name] - one for name, one in free.items())
            begun = sum(step.bytes for step in timeline.steps if step.start_s <= moment)
            gone = 0 if scene.on_trial else sum(step.bytes for step in timeline.steps if step.end_s <= moment)
            assert taken == begun - gone, "what is taken is what stands twice, and nothing else"
        assert min(min(free for _, free in curve) for curve in timeline.curves.values()) >= min(
            timeline.lowest_free_bytes.values()
        )
    ends = sorted((step.start_s, step.end_s) for step in one_by_one.steps)
    assert all(one[1] == pytest.approx(other[0]) for one, other in itertools.pairwise(ends))
    assert at_once.total_s <= one_by_one.total_s + 1e-6
    for one in at_once.steps:
        for other in at_once.steps:
            overlap = one.n < other.n and one.start_s < other.end_s - 1e-9 and other.start_s < one.end_s - 1e-9
            if overlap:
                disks = [{scene.by_id[name].disk for name in (step.from_drive, step.to_drive)} for step in (one, other)]
                assert not disks[0] & disks[1], "two steps use one disk at the same time"
    assert not one_by_one.feasible or at_once.feasible, "moves at once take a drive under its floor"


def test_what_is_foreseen_is_what_carrying_shows_step_by_step(tmp_path):
    world, _ = knot(tmp_path / "w")
    workspace = world.open()
    plan = swap(workspace)
    timeline = workspace.rehearse.rehearse(plan)
    seen = []

    def listen(event):
        if event.event == "released":
            seen.append({one.id: one.free_bytes for one in workspace.drives.all()})

    carry_plan(workspace.carry.work(listen), plan)
    assert seen == [step.free_after_bytes for step in timeline.steps]
    took = sum(move.actual_s for move in workspace.logbook.moves())
    assert took == pytest.approx(timeline.total_s, abs=0.1), "all of it small work, at this size"
    low, high = timeline.total_range_s
    assert low < timeline.total_s < high


def household():
    """Two fixed drives and a portable one; a game that is to go, a backup of an album, and a project in parts."""
    drives = [
        drive("fast", usable_bytes=200 * GB, used_bytes=150 * GB, **FAST),
        drive("slow", **SLOW),
        drive("stick", portable=True, used_bytes=60 * GB),
    ]
    libraries = [
        library("Kite", "fast", 40),
        library("Album", "fast", 20, path="/fast/Album", kind=Kind.PHOTO),
        library("Copy", "slow", 20, kind=Kind.BACKUP, apart_from=("/fast/Album",)),
        library("Films", "stick", 60),
        library("Loom", "stick", 30, opens_per_week=9),
    ]
    return home(drives, libraries)


def scene_of(draft: Draft, **facts) -> Scene:
    plan = make_plan(draft)
    return Scene(replace(plan, landings=facts.pop("landings", ())), draft.drives, draft.snapshot, **facts)


def said(scene, *what_ifs):
    timeline = rehearse(CheckedPlan(scene, (), (), {}), what_ifs)
    return [(one.words, one.bad) for one in timeline.effects]


def test_each_what_if_says_what_it_comes_to():
    snapshot = household()
    draft = Draft(snapshot).put_down("Kite", "slow").put_down("Loom", "fast")
    landing = Landing(kind=Kind.GAME, drive="fast", path="/fast/Games")
    scene = scene_of(draft, landings=(landing,))
    fast, slow, stick = draft.drives
    ((words, bad),) = said(scene, Away(stick))
    assert bad and words.startswith("1 library will not open: Films; 3 still do") and "attached until step" in words
    assert "Loom opens only by its new path" in words
    ((words, bad),) = said(scene, Slower(slow, 4))
    assert "carrying takes" in words and "you would wait" in words and bad
    assert said(scene, Crumbs(stick))[0][0].startswith("300,009 files to carry")
    assert said(scene, New(Kind.GAME, 10 * GB))[0][0].startswith("fits on Fast, leaves 50.0 GB free and opens in")
    words, bad = said(scene, New(Kind.GAME, 55 * GB))[0]
    assert bad and "it would go to Fast: 5.00 GB short of its headroom" in words
    words, bad = said(scene, Fails(fast))[0]
    assert bad and "1 library lost (30.0 GB): Loom" in words and "Album would survive as a copy elsewhere" in words
    assert "nothing is lost" in said(replace(scene, on_trial=True), Fails(fast))[0][0], (
        "the original on trial is a copy"
    )
    words, bad = said(scene, StopAfter(1))[0]
    assert not bad and "then 1 move is left" in words and "a good place to stop" in words
    assert said(scene, SideBySide())[0][0].startswith("would not help")
    candidate = Candidate(
        label="Marl",
        capacity_bytes=2000 * GB,
        price=9.0,
        currency="EUR",
        medium="nvme",
        own_read_bytes_per_s=3e9,
        own_write_bytes_per_s=3e9,
        small_reads_per_s=50_000,
    )
    assert "after this plan it would save" in said(scene, Bought(candidate))[0][0]
    words, bad = said(scene, grown(10, {"fast": Growth(9e9, 8e9, 10e9, 5, 40.0)}))[0]
    assert bad and words == "Fast 40.0 GB short of its headroom"
    assert "not known yet" in said(scene, grown(10, {}))[0][0]


def test_what_ifs_combine_in_any_order_and_leave_nothing_behind():
    draft = Draft(household()).put_down("Kite", "slow").put_down("Loom", "fast")
    checked = CheckedPlan(scene_of(draft), (), (), {})
    plain = rehearse(checked)
    for first in possible(checked.scene):
        for second in possible(checked.scene):
            both = rehearse(checked, [first, second])
            turned = rehearse(checked, [second, first])
            assert replace(both, effects=()) == replace(turned, effects=())
            assert set(both.effects) == set(turned.effects)
        assert supposed(checked.scene, []) is checked.scene
    assert rehearse(checked) == plain


def test_a_thousand_moves_are_simulated_at_once():
    drives = [drive(f"d{n}", usable_bytes=9000 * GB, used_bytes=2000 * GB, headroom_bytes=0, **FAST) for n in range(8)]
    libraries = [library(f"l{n}", f"d{n % 8}", 1) for n in range(1_000)]
    draft = Draft(home(drives, libraries))
    for n in range(1_000):
        draft = draft.put_down(f"l{n}", f"d{(n + 1) % 8}")
    scene = scene_of(draft)
    times = []
    for _ in range(3):
        fresh = replace(scene)
        began = time.process_time()
        assert len(simulate(fresh).steps) == 1_000
        times.append(time.process_time() - began)
    assert min(times) < 0.2 * slowness(), f"{1000 * min(times):.0f} ms"


@settings(max_examples=150, deadline=None)
@given(
    true=st.floats(0.3, 4),
    work=st.floats(0.3, 4),
    noise=st.lists(st.floats(-0.05, 0.05), min_size=5, max_size=12),
    wild=st.floats(0.05, 20),
)
def test_factors_are_learnt_from_few_moves_and_one_wild_one_does_not_matter(true, work, noise, wild):
    samples = [Sample(("a", "b"), 100.0, 1.0, 101.0, (100 * true + work) * math.exp(one)) for one in noise]
    samples += [Sample(("a", "b"), 1.0, 60.0, 61.0, (true + 60 * work) * math.exp(one)) for one in noise]
    learnt = calibrate([*samples, Sample(("a", "b"), 100.0, 1.0, 101.0, 101.0 * wild)])
    known = learnt.of("a", "b")
    assert known.likely == pytest.approx(true, rel=0.12) and learnt.work.likely == pytest.approx(work, rel=0.2)
    assert learnt.of("b", "a") == learnt.overall and "moves took" in learnt.sentence
    assert calibrate([]).of("a", "b").likely == 1.0


def test_forecasts_say_what_the_plan_changes():
    draft = Draft(household()).put_down("Kite", "slow")
    scene = scene_of(draft)
    rates = {"fast": Growth(4e9, 3e9, 5e9, 6, 40.0), "slow": Growth(0.0, 0.0, 0.0, 6, 40.0), "stick": None}
    (found,) = forecasts(scene, simulate(scene), rates)
    assert found.now == (8.0, pytest.approx(40 / 3)) and found.then == (16.0, pytest.approx(80 / 3))
    assert (
        forecast_line(found, "Fast")
        == "Fast is down to its headroom in 8 to 13 weeks; after this plan, in 16 to 27 weeks"
    )


def test_headline_says_range_lowest_point_and_what_will_not_open():
    draft = Draft(household()).put_down("Kite", "stick")
    timeline = simulate(scene_of(draft))
    labels = {one.id: one.label for one in draft.drives}
    headline = rehearsal_headline(timeline, labels)
    assert headline.startswith("Fits. 1 move in ") and " to " in headline
    assert "on Stick during step 1" in headline and "Without Stick attached, 3 libraries will not open." in headline


def test_what_is_typed_of_a_what_if_is_checked(world, capsys, tmp_path):
    one = drive("fast")
    for bad in ("x", "0", "-2", "1e9", "nan"):
        with pytest.raises(BadInput):
            slower_of(one, bad)
    for kind, size in (("toy", "9G"), ("game", "0")):
        with pytest.raises(BadInput):
            new_of(kind, size)
    fill(world.path("kestrel", "Games", "Kite"))
    fill(world.path("wren", "Games", "Loom"), seed=2)
    at = ["--world", str(world.folder)]
    assert run(["survey", *at]) == 0
    plan = str(tmp_path / "p.nuvik-plan.json")
    assert run(["draft", world.path("kestrel", "Games", "Kite"), "heron", "-o", plan, *at]) == 0
    capsys.readouterr()
    all_of_them = [
        "--away",
        "wren",
        "--slower",
        "heron=2",
        "--small-files",
        "kestrel",
        "--new",
        "game=1M",
        "--fails",
        "heron",
        "--weeks",
        "9",
        "--stop-after",
        "1",
        "--side-by-side",
    ]
    assert run(["rehearse", plan, *all_of_them, *at]) == 0
    out = capsys.readouterr().out
    assert out.count("What if:") == 8 and "without Wren: 1 library will not open: Loom" in out
    assert run(["rehearse", plan, "--away", "wren", "--json", *at]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["effects"][0]["what"] == "without Wren" and told["curves"]["kestrel"] and told["total_range_s"]
    drawing = str(tmp_path / "t.svg")
    assert (
        run(["draw", "timeline", "--plan", plan, "-o", drawing, *at]) == 0
        and run(["draw", "timeline", "-o", drawing, *at]) == 2
    )
    drawn = "".join(ET.parse(drawing).getroot().itertext())
    assert "1  Kite" in drawn and "floor 20.0 MB" in drawn and "prove" in drawn
    for bad, code in (
        (["--slower", "heron"], 2),
        (["--away", "emu"], 3),
        (["--stop-after", "2"], 2),
        (["--new", "toy=1G"], 2),
        (["--weeks", "0"], 2),
        (["--buy", "Nothing"], 3),
    ):
        assert run(["rehearse", plan, *bad, *at]) == code


def test_what_the_system_holds_back_is_read_from_its_settings(tmp_path):
    assert held_back_bytes(tmp_path / "none") == 0
    (tmp_path / "dirty_background_bytes").write_text("4096\n")
    (tmp_path / "dirty_background_ratio").write_text("10\n")
    assert held_back_bytes(tmp_path) == 4096
    (tmp_path / "dirty_background_bytes").write_text("0\n")
    assert held_back_bytes(tmp_path) > MB
    assert 0 < pace_of_this_computer().copy_s_a_file < 0.1


async def test_what_ifs_are_switched_on_the_screen(house):
    app = NuvikApp(house.open)
    async with app.run_test(size=(159, 47), notifications=True) as pilot:
        await settle(app, pilot)
        await pilot.press("3", "a")
        await settle(app, pilot)
        await pilot.press("b", "n")
        await settle(app, pilot)
        before = words(app, "#headline")
        assert before.startswith("Fits. 1 move in ") and "new path" not in words(app, "#verdict")
        curves = app.screen.query_one(FreeCurves)
        drawn = "".join(segment.text for y in range(curves.size.height) for segment in curves.render_line(y))
        assert "Kestrel" in drawn and "floor 20.0 MB" in drawn and "the cursor" in drawn
        await pilot.press("space", "space")
        chosen = app.screen.query_one(WhatIfList).chosen
        assert len(chosen) == 1
        assert words(app, "#headline").startswith("What if: ") and ": " in words(app, "#verdict")
        await pilot.press("down", "space")
        assert len(app.screen.query_one(WhatIfList).chosen) == 2
        await pilot.press("x")
        assert words(app, "#headline") == before
        await pilot.press("o")
        await settle(app, pilot)
        assert "on trial" in words(app, "#consequence")
