"""Rehearsal: bytes are conserved, the curve is what carrying shows, what-ifs come and go, and times are learnt."""

from __future__ import annotations

import itertools
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import GB
from households import FAST, SLOW, drive, home, library, step
from nuvik.core.carrying.run import carry_plan
from nuvik.core.model.library import Kind
from nuvik.core.model.plan import Landing, Plan
from nuvik.core.model.purchase import Candidate
from nuvik.core.model.timing import Pace, WritePace
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.lost_drives import Away, Fails
from nuvik.core.rehearsal.phases import step_times, work_s
from nuvik.core.rehearsal.rehearse import CheckedPlan, rehearse
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate
from nuvik.core.rehearsal.whatif_catalogue import grown, possible
from nuvik.core.rehearsal.whatifs import Bought, Crumbs, New, SideBySide, Slower, StopAfter, supposed
from nuvik.core.survey.history.growth import Growth
from test_staging_and_parts import knot, swap


@st.composite
def scenes(draw):
    """A plan of moves between four volumes, two of them perhaps on one disk."""
    shared = draw(st.booleans())
    drives = tuple(
        drive(
            name,
            disk="ab" if shared and name in "ab" else name,
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
        steps.append(step(number, source, target, f"l{number}", size, files=9))
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
                name: next((left for at, left in reversed(curve) if at <= moment), None)
                for name, curve in timeline.curves.items()
            }
            taken = sum(timeline.free_before_bytes[name] - left for name, left in free.items())
            begun = sum(step.bytes for step in timeline.steps if step.start_s <= moment)
            gone = 0 if scene.on_trial else sum(step.bytes for step in timeline.steps if step.end_s <= moment)
            assert taken == begun - gone, "what is taken is what stands twice, and nothing else"
        assert min(min(free for _, free in curve) for curve in timeline.curves.values()) >= min(
            timeline.lowest_free_bytes.values()
        )
    ends = sorted((step.start_s, step.end_s) for step in one_by_one.steps)
    assert all(before[1] == pytest.approx(other[0]) for before, other in itertools.pairwise(ends))
    assert at_once.total_s <= one_by_one.total_s + 1e-6
    for later in at_once.steps:
        for other in at_once.steps:
            overlap = later.n < other.n and later.start_s < other.end_s - 1e-9 and other.start_s < later.end_s - 1e-9
            if overlap:
                disks = [
                    {scene.by_id[name].disk for name in (step.from_drive, step.to_drive)} for step in (later, other)
                ]
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
            seen.append({drive.id: drive.free_bytes for drive in workspace.drives.all()})

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


def effects_of(scene, *what_ifs):
    timeline = rehearse(CheckedPlan(scene, (), (), {}), what_ifs)
    return [(effect.words, effect.bad) for effect in timeline.effects]


def test_each_what_if_says_what_it_comes_to():
    snapshot = household()
    draft = Draft(snapshot).put_down("Kite", "slow").put_down("Loom", "fast")
    landing = Landing(kind=Kind.GAME, drive="fast", path="/fast/Games")
    scene = scene_of(draft, landings=(landing,))
    fast, slow, stick = draft.drives
    ((words, bad),) = effects_of(scene, Away(stick))
    assert bad and words.startswith("1 library will not open, 3 still will; 1 only by the new path, because")
    assert "attached until step" in words
    assert Away(stick).names(scene).startswith("Will not open: Films. Only by the new path: Loom. Still will: ")
    ((words, bad),) = effects_of(scene, Slower(slow, 4))
    assert "carrying takes" in words and "you would wait" in words and bad
    assert effects_of(scene, Crumbs(stick))[0][0].startswith("300,009 files to carry")
    assert effects_of(scene, New(Kind.GAME, 10 * GB))[0][0].startswith("fits on Fast, leaves 50.0 GB free and opens in")
    words, bad = effects_of(scene, New(Kind.GAME, 55 * GB))[0]
    assert bad and "it would go to Fast: 5.00 GB short of its headroom" in words
    words, bad = effects_of(scene, Fails(fast))[0]
    assert bad and "1 library lost (30.0 GB): Loom" in words and "Album would survive as a copy elsewhere" in words
    assert "nothing is lost" in effects_of(replace(scene, on_trial=True), Fails(fast))[0][0], (
        "the original on trial is a copy"
    )
    words, bad = effects_of(scene, StopAfter(1))[0]
    assert not bad and "then 1 move is left" in words and "a good place to stop" in words
    assert effects_of(scene, SideBySide())[0][0].startswith("would not help")
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
    assert "nothing would open noticeably faster" in effects_of(scene, Bought(candidate))[0][0], "Fast has room for it"
    tight = scene_of(draft.with_headroom({"fast": 60 * GB}))
    assert "after this plan it would save" in effects_of(tight, Bought(candidate))[0][0]
    words, bad = effects_of(scene, grown(10, {"fast": Growth(9e9, 8e9, 10e9, 5, 40.0)}))[0]
    assert bad and words == "Fast 40.0 GB short of its headroom"
    assert "not known yet" in effects_of(scene, grown(10, {}))[0][0]


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


def test_what_files_take_is_counted_alike_for_foreseeing_and_for_learning():
    """A step without bytes takes only what its files do; a factor for that changes nothing of what bytes take."""
    source, target = drive("kestrel", **FAST), drive("heron", **SLOW)
    pace = Pace(copy_s_a_file=3e-5, prove_s_a_file=1e-5, look_s_a_file=2e-5, release_s_a_file=4e-5)
    files = step(1, "kestrel", "heron", "l", 0, files=80_000, on_disk_bytes=0)
    content = replace(files, files=0, bytes=40 * GB, on_disk_bytes=40 * GB)
    for on_trial in (False, True):
        whole_s = work_s(files, source, target, on_trial, pace)
        assert whole_s > 80_000 / source.small_reads_per_s + 80_000 / target.small_reads_per_s
        assert work_s(replace(files, on_disk_bytes=GB), source, target, on_trial, pace) == whole_s
        for here, there in ((source, target), (target, source)):
            quick = step_times(files, here, WritePace(there), 0.0, on_trial, pace.working(0.25), 7.0)
            assert quick.total_s == pytest.approx(work_s(files, here, there, on_trial, pace) / 4)
        times = [step_times(content, source, WritePace(target), 0.0, on_trial, pace.working(f)) for f in (1.0, 0.25)]
        assert times[0].total_s == pytest.approx(times[1].total_s, abs=0.02)
        for held_bytes in (0, GB):  # what bytes take is never less than nothing, or nothing could be learnt from it
            held = replace(pace, held_back_bytes=held_bytes)
            for small in (replace(files, on_disk_bytes=size) for size in (1, 1_000, GB)):
                for here, there in ((source, target), (target, source)):
                    both = step_times(small, here, WritePace(there), 0.0, on_trial, held)
                    assert both.total_s >= work_s(small, here, there, on_trial, held)
    assert work_s(files, source, target, True, pace) < work_s(files, source, target, False, pace)
