"""Recorded openings worked with: stretches, other libraries of a kind, what is offered on the screens."""

from __future__ import annotations

import math
import os
import time
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from textual.widgets import Static

from conftest import MB, a_drive, fill, put
from households import library as a_library
from nuvik.core.hosts import page_cache
from nuvik.core.model.library import Kind, Timing
from nuvik.core.model.opening import Afterwards, ReadPattern, Recording, Stretch
from nuvik.core.model.progress import Stop, Watching
from nuvik.core.openings.library_pages import LibraryPages, _joined, _without
from nuvik.core.planning.drafting.library_parts import in_pieces
from nuvik.core.planning.placement.kinds_learnt import with_kinds_learnt
from nuvik.core.planning.placement.waiting import opening_s, table_opening, timed
from nuvik.core.stages.openings import OpeningStage
from nuvik.core.store.openings import Openings
from nuvik.core.views.opening_sentences import afterwards_headline, afterwards_sentence
from nuvik.tui.widgets.beneath import Beneath
from screens import press, running, words_of
from screens import words as words_at

runs = st.lists(st.tuples(st.integers(0, 60), st.integers(1, 9)), max_size=8).map(
    lambda pairs: [
        (start, end)
        for n, (start, end) in enumerate(sorted((a, a + b) for a, b in pairs))
        if all(end <= other[0] or start >= other[1] for other in sorted((a, a + b) for a, b in pairs)[:n])
    ]
)


@given(runs)
def test_stretches_that_touch_are_joined(mine):
    joined = _joined(mine)
    assert {n for a, b in joined for n in range(a, b)} == {n for a, b in mine for n in range(a, b)}
    assert all(before[1] < other[0] for before, other in pairwise(joined))


@given(runs, runs)
def test_stretches_without_others_are_what_is_only_in_them(mine, others):
    def cells(stretches):
        return {at for start, end in stretches for at in range(start, end)}

    left = _without(mine, others)
    assert cells(left) == cells(mine) - cells(others) and left == sorted(left)


@given(st.floats(0.1, 300), st.floats(0, 300), st.integers(0, 10**10), st.integers(0, 10**5), st.floats(0.2, 5))
def test_a_recording_is_met_where_it_was_made(seconds, computing_s, count, seeks, faster):
    here = a_drive(id="here", read_bytes_per_s=100 * MB, small_reads_per_s=100)
    there = replace(here, id="there", read_bytes_per_s=100 * MB * faster, small_reads_per_s=100 * faster)
    assume(count / 1e8 + seeks / 100 < 1_000 * seconds)
    library = replace(a_library("Kite", "here"), kind=Kind.GAME, pattern=ReadPattern(bytes=count, runs=seeks))
    learnt = timed(library, [Timing(drive="here", seconds=seconds, computing_s=computing_s)], {"here": here})
    assert opening_s(learnt, here) == pytest.approx(seconds, rel=0.01, abs=0.01) or not count + seeks
    quicker = opening_s(learnt, there) <= opening_s(learnt, here) + 1e-6
    assert quicker == (faster >= 1) or opening_s(learnt, there) == pytest.approx(opening_s(learnt, here))


@given(st.floats(0.2, 5), st.lists(st.floats(0.8, 1.25), min_size=8, max_size=12), st.floats(0.01, 50))
def test_recorded_libraries_tell_of_others_of_their_kind(times, spread, odd):
    drive, kite = a_drive(id="here"), replace(a_library("Kite", "here"), kind=Kind.GAME, bytes=20_000 * MB)

    def recorded(ratio: float):
        table = table_opening(kite)
        pattern = ReadPattern(bytes=round(ratio * table.sequential_bytes), runs=round(ratio * table.small_reads))
        timing = Timing(drive="here", seconds=9, computing_s=1.0)
        return replace(kite, pattern=pattern, timings=(timing,), computing_s=ratio * table.cpu_s)

    others = [recorded(times * each) for each in spread]
    *known, learnt = with_kinds_learnt([*others, recorded(odd), kite])
    truth = times * opening_s(kite, drive)

    def off(library) -> float:
        return abs(math.log(opening_s(library, drive) / truth))

    assert off(learnt) <= max(off(kite), 0.25) and (off(learnt) < 0.25 or len(others) < 6)
    assert learnt.like.libraries == len(known) == len(others) + 1
    assert [opening_s(each, drive) for each in known[:-1]] == [opening_s(each, drive) for each in others]
    assert opening_s(with_kinds_learnt([others[0], kite])[1], drive) == pytest.approx(opening_s(kite, drive))


def recorded(library: str, *stretches: Stretch, drive: str = "kestrel") -> Recording:
    return Recording(
        library=library,
        drive=drive,
        taken_at="2026-01-01T00:00:00Z",
        seconds=4.2,
        bytes_read=sum(stretch.bytes for stretch in stretches),
        runs=7,
        files_read=1,
        computing_s=1.0,
        stretches=stretches,
    )


async def test_what_no_opening_read_may_be_placed_apart(world):
    library = world.path("kestrel", "Games", "Kite")
    put(Path(library) / "Data" / "a.pack", 20 * MB)
    put(Path(library) / "Films" / "b.bin", 60 * MB)
    workspace = world.surveyed()
    recording = recorded(library, Stretch(file="Data/a.pack", offset=0, bytes=9 * MB))
    Openings(workspace.survey.computer.database).keep(library, recording)
    stage, known = workspace.openings, workspace.plan.library_at("Kite")
    stage._learn(known)
    async with running(world, (140, 45)) as (app, pilot):
        await press(pilot, "tab", "enter")
        inside = words_of(app.screen.query_one("#inside", Static))
        assert "9.00 MB of 80.0 MB were ever read" in inside and "No opening needs Films: a lets it" in inside
        await press(pilot, "a")
        known = app.desk.snapshot.library(known.id)
        body, films = in_pieces(known)
        assert known.like.libraries == 1 and films.name == "Kite · Films"
        assert (body.piece.reads, films.piece.reads, films.piece.seeks) == (1.0, 0.0, 0.0), (
            "what was never read costs no opening where it goes"
        )


async def test_a_plan_is_tasted_and_what_came_of_it_is_told(world):
    library = world.path("kestrel", "Games", "Kite")
    put(Path(library) / "a.pack", 20 * MB)
    workspace = world.surveyed()
    store = Openings(workspace.survey.computer.database)
    before = replace(recorded(library, Stretch(file="a.pack", offset=0, bytes=9 * MB)), seconds=9.0)
    store.keep(library, before)
    workspace.openings._learn(workspace.plan.library_at("Kite"))
    async with running(world, (140, 45)) as (app, pilot):
        app.desk.edit(app.desk.draft.put_down(app.desk.snapshot.libraries[0].id, "heron"))
        await press(pilot, "4")
        await press(pilot, "e")
        lines = app.screen.query_one("#lines", Static)
        assert "Kite on Heron: 9.00 MB" in words_of(lines)
        await press(pilot, "enter")
        assert "Kite opens in" in words_of(lines) and "instead of 20.0 MB to find out" in words_of(lines)
        await press(pilot, "escape")
        assert sorted(timing.tasted for timing in app.desk.snapshot.libraries[0].timings) == [False, True]
        await press(pilot, "c")
        await press(pilot, "y")
        assert "The opening of Kite was recorded before: o in Logbook (6) tells" in words_at(app, "#consequence")
        (move,) = workspace.logbook.moves()
        store.keep(library, replace(before, drive="heron", taken_at="2999-01-01T00:00:00Z", seconds=30.0))
        await press(pilot, "6")
        assert "21 s longer than before" in words_of(app.screen.query_one(Beneath)) and move.state.at_target


def test_a_move_that_did_not_pay_is_said_to_have_not_paid():
    row = Afterwards(
        move=3, library="Kite", before_s=20, expected_s=5, low_s=4, high_s=6, took_s=19.5, opens_per_week=4
    )
    assert row.did_not_pay and "It did not pay: “nuvik undo 3” takes it back" in afterwards_sentence(row)
    assert not replace(row, took_s=9).did_not_pay and not replace(row, expected_s=30).did_not_pay
    assert afterwards_headline([row, replace(row, took_s=5)]).endswith("as expected; 1 move did not pay.")


async def test_an_opening_is_recorded_from_its_page(house, monkeypatch):
    made: list[str] = []

    def record(stage, library, command, begun, is_ready, report, stop):
        begun()
        report(Watching(1.5, 30 * MB, False))
        while not is_ready():
            stop.check()
            time.sleep(0.01)
        made.append(library.name)
        plain = recorded(library.path, drive=library.drive)
        return replace(plain, bytes_read=30 * MB, files_read=3, doubts=("One file changed meanwhile.",))

    monkeypatch.setattr(OpeningStage, "record", record)
    async with running(house, (120, 40)) as (app, pilot):
        await press(pilot, "tab", "enter")
        await pilot.press("o")
        await pilot.pause(0.3)
        lines = app.screen.query_one("#lines", Static)
        assert "press Enter here" in words_of(lines) and "30.0 MB read" in words_of(lines)
        await press(pilot, "enter")
        assert "was ready after 4.2 s" in words_of(lines) and "changed meanwhile" in words_of(lines)
        await pilot.press("enter")
        await press(pilot, "enter")
        await pilot.press("o")
        await pilot.pause(0.2)
        await press(pilot, "escape")
        assert len(made) == 1, "Esc keeps nothing"


def test_systems_that_tell_less_are_no_fault(tmp_path, monkeypatch):
    """Without a call that puts files out, and without one that tells of pages."""
    root = fill(tmp_path / "Kite", files=3)
    files = [path for path in root.rglob("*") if path.is_file() and path.stat().st_size]
    monkeypatch.delattr(os, "posix_fadvise")
    pages = LibraryPages(str(root))
    pages.put_out(Stop())
    pages.look_at_all(Stop())
    assert pages.unknown == 0 and pages.bytes_read == 0, "what was in memory before is not of the opening"
    monkeypatch.setattr(page_cache, "_libc", lambda: None)
    pages = LibraryPages(str(root))
    pages.put_out(Stop())
    assert pages.unknown == len(files)
