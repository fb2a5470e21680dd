"""Fallbacks: smaller libraries that are used while a drive is away. They stay in sight, and nothing is merged."""

from __future__ import annotations

import json
import os
import shutil
from dataclasses import replace
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import MB, fill, picture, put
from households import library
from nuvik.core.hosts.local import LocalHost
from nuvik.core.model.errors import Refused
from nuvik.core.planning.placement.demands import broken, demands_of
from nuvik.core.survey.newer_where import newer_where
from nuvik.core.views.away_sentences import without
from nuvik.core.views.status_sentences import matters
from nuvik.tui.screens.library_page import LibraryPage
from screens import press, running, settle, words
from test_documents import shipped, strict


@pytest.fixture
def kite(world) -> tuple[Path, Path]:
    """A large library on the portable drive, and a small copy of some of it on the drive of the system."""
    whole = fill(world.path("wren", "Sounds", "Kite Hums"))
    put(whole / "takes" / "a.wav", 90 * MB)
    small = Path(shutil.copytree(whole / "data", world.path("kestrel", "Sounds", "Short Hums", "data"))).parent
    put(small.parent / "Alone" / "b.wav", 5 * MB)
    for path in (whole, small):
        assert world.run("card", str(path)) == 0
        assert world.run("card", str(path), "--opens-per-week", "2") == 0
    world.open().survey.take()
    assert world.run("card", str(whole), "--falls-back-to", str(small)) == 0
    return whole, small


def test_a_fallback_is_named_where_its_library_is_away(world, kite):
    (whole, small) = kite
    assert "; Short Hums opens in its place" in world.prints("away", "wren")
    assert world.run("eject", "wren") == 0
    (matter,) = [each for each in matters(world.open().watching.status()) if each.kind == "fallback"]
    assert matter.words == "Short Hums on Kestrel opens in place of Kite Hums."
    assert "Not compared" in world.prints("fallback")
    document = json.loads(world.prints("away", "--json"))
    jsonschema.validate(document, strict(shipped("nuvik-away/1")))
    assert document["drives"][0]["fallbacks"] == [{"library": str(whole), "falls_back_to": str(small)}]


def test_what_is_newer_where_is_said_and_nothing_is_merged(world, kite, capsys):
    (whole, small) = kite
    assert "In step: 9 files are the same" in world.prints("fallback", "Kite Hums")
    put(small / "data" / "new.wav", 4 * MB)
    os.utime(small / "data" / "file-0001.bin")
    os.utime(whole / "data" / "deep" / "file-0002.bin")
    before = picture(whole), picture(small)
    document = json.loads(world.prints("fallback", "--json", code=5))
    jsonschema.validate(document, strict(shipped("nuvik-fallback/1")))
    (row,) = document["fallbacks"]
    names = [[file["path"] for file in row[field]] for field in ("only_in_fallback", "newer_in_fallback")]
    assert names == [["data/new.wav"], ["data/file-0001.bin"]] and row["same"] == 7
    assert [file["path"] for file in row["newer_in_library"]] == ["data/deep/file-0002.bin"]
    assert (picture(whole), picture(small)) == before
    os.utime(small / "data" / "file-0001.bin", (4e9, 4e9))
    world.open().survey.take()
    assert "Short Hums, the fallback of Kite Hums, changed later" in " ".join(
        matter.words for matter in matters(world.open().watching.status())
    )
    assert world.run("fallback", "Alone") == 2 and "has no fallback" in capsys.readouterr().err
    assert world.run("card", str(whole), "--falls-back-to", str(whole)) == 2
    assert world.run("card", str(whole), "--falls-back-to", "") == 0
    assert "No library has a fallback" in world.prints("fallback")


def test_a_fallback_is_never_placed_where_it_would_be_away_too(world, kite):
    _, small = kite
    snapshot = world.open().survey.latest()
    places = {each.id: each.drive for each in snapshot.libraries}
    demands = demands_of(snapshot, [frozenset({drive.id}) for drive in snapshot.drives])
    assert not broken(demands, places.__getitem__)
    places[next(each.id for each in snapshot.libraries if each.path == str(small))] = "wren"
    assert len(broken(demands, places.__getitem__)) == 2  # away, and beside what falls back to it


async def test_the_page_of_a_library_compares_it_with_its_fallback(world, kite):
    whole, small = kite
    os.utime(small / "data" / "file-0001.bin")
    async with running(world) as (app, pilot):
        desk = app.screen.desk
        app.push_screen(LibraryPage(desk.snapshot.at_path(str(whole)), desk))
        await settle(app, pilot)
        await press(pilot, "k")
        assert "1 file is newer in Short Hums" in words(app, "#newer")


@given(st.dictionaries(st.sampled_from("abcdef"), st.tuples(st.sampled_from("lfb"), st.integers(-9, 9)), max_size=6))
def test_every_file_is_counted_once_and_on_the_right_side(tmp_path_factory, files):
    root = tmp_path_factory.mktemp("pair")
    whole, small = (
        library("whole", "heron", path=str(root / "whole")),
        library("small", "heron", path=str(root / "small")),
    )
    for each in (whole, small):
        os.mkdir(each.path)
    for name, (side, later_s) in files.items():
        for each, shift_s in ((whole, 0), (small, later_s)):
            if side == "b" or (side == "l") == (each is whole):
                put(f"{each.path}/in/{name}", 3)
                os.utime(f"{each.path}/in/{name}", (10**9 + shift_s, 10**9 + shift_s))
    newer = newer_where(LocalHost(), whole, small)
    both = {name: later_s for name, (side, later_s) in files.items() if side == "b"}
    assert {f.path[3:] for f in newer.in_fallback} == {name for name, later_s in both.items() if later_s > 2}
    assert {f.path[3:] for f in newer.in_library} == {name for name, later_s in both.items() if later_s < -2}
    assert newer.same == sum(abs(later_s) <= 2 for later_s in both.values())
    assert len(newer.only_library) == sum(side == "l" for side, _ in files.values())
    assert len(newer.only_fallback) == sum(side == "f" for side, _ in files.values())


def test_what_cannot_be_looked_at_is_not_said_to_be_in_step(tmp_path):
    whole = library("whole", "heron", path=str(fill(tmp_path / "whole")))
    with pytest.raises(Refused, match="cannot be looked at"):
        newer_where(LocalHost(), whole, library("small", "heron", path=str(tmp_path / "nowhere")))


def test_a_fallback_that_is_away_too_or_is_the_library_itself_is_none(world, kite):
    whole, small = kite
    snapshot = world.open().survey.latest()
    (row,) = without(snapshot, "wren")
    assert [each.name for each in row.fallbacks.values()] == ["Short Hums"]
    away = replace(snapshot, drives=tuple(replace(drive, attached=False) for drive in snapshot.drives))
    assert all(not row.fallbacks for row in without(away))
    mine = snapshot.at_path(str(whole))
    assert snapshot.fallback_of(mine).path == str(small)
    assert snapshot.fallback_of(replace(mine, falls_back_to=mine.path)) is None
