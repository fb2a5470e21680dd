"""Emptying what programs can rebuild: set aside, put back, let go, whatever stops it."""

from __future__ import annotations

import json
import os
import shutil
from functools import partial

import pytest
from textual.widgets import Static

from conftest import MB, World, a_world, fill, picture, put
from nuvik.core.hosts.world import WorldHost
from nuvik.core.model.emptied import EmptiedState
from nuvik.core.model.errors import NuvikError, Refused, Stopped
from nuvik.core.stages.workspace import Workspace, open_workspace
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.library_page import LibraryPage
from screens import press, running, words_of
from test_promise import Dead, die_after

TAG = "Signature: 8a477f597d28d172789f06886806bc55\n"


def cache_at(world: World) -> str:
    """A cache with a tag, and a game beside it."""
    path = world.path("kestrel", "Vane cache")
    fill(path, files=6)
    put(os.path.join(path, "tiles.bin"), 40 * MB)
    with open(os.path.join(path, "CACHEDIR.TAG"), "w", encoding="utf-8") as file:
        file.write(TAG)
    os.chmod(path, 0o750)
    fill(world.path("kestrel", "Games", "Kite"))
    return path


def begin(workspace: Workspace, path: str) -> None:
    workspace.emptying.set_aside(workspace.emptying.find(path))


def our_folders(path: str) -> list[str]:
    return [name for name in os.listdir(os.path.dirname(path)) if name.startswith(".nuvik-")]


def test_a_cache_is_set_aside_put_back_and_let_go(world, capsys, monkeypatch):
    path = cache_at(world)
    whole = picture(path)
    assert world.run("survey") == 0
    capsys.readouterr()
    assert world.run("empty") == 0 and "Vane cache" in (printed := capsys.readouterr().out) and "Kite" not in printed
    assert world.run("empty", "Vane cache") == 0 and picture(path) == whole, "only told"
    for words, code in (
        ([world.path("kestrel", "Games", "Kite"), "--yes"], 3),
        (["nothing"], 2),
        (["--release", "x"], 2),
        (["--release", "7"], 2),
        ([path, "--release", "1"], 2),
        (["--even-if-filled"], 2),
    ):
        assert world.run("empty", *words) == code
    with monkeypatch.context() as using:
        using.setattr(WorldHost, "used_by", lambda host, place: ("vane (process 7)",))
        assert world.run("empty", path, "--yes") == 3 and picture(path) == whole
    for asked in ("why_protected", "why_not_yours"):
        with monkeypatch.context() as forbidding:
            forbidding.setattr(WorldHost, asked, lambda host, place: "it is not yours")
            assert world.run("empty", path, "--yes") == 3 and picture(path) == whole
    assert world.run("empty", path, "--yes") == 0
    assert os.listdir(path) == ["CACHEDIR.TAG"] and os.stat(path).st_mode & 0o777 == 0o750
    assert "before it was emptied" in world.prints("mend")
    with monkeypatch.context() as using:
        using.setattr(WorldHost, "used_by", lambda host, place: ("vane (process 7)",))
        assert world.run("empty", "--put-back", "1") == 3 == world.run("empty", "--release", "1")
    put(os.path.join(path, "tiles.bin"), 2 * MB)
    assert world.run("empty", "--put-back", "1") == 3 and os.path.exists(os.path.join(path, "tiles.bin"))
    assert world.run("empty", "--put-back", "1", "--even-if-filled") == 0 and picture(path) == whole
    assert not our_folders(path) and world.run("empty", "--put-back", "1") == 3
    begin(world.open(), path)
    (kept,) = world.open().emptying.kept()
    os.rename(path, f"{path} gone")
    with pytest.raises(Refused, match="no folder at"):
        world.open().emptying.release(kept.id)
    os.rename(f"{path} gone", path)
    free = world.open().drives.find("kestrel").free_bytes
    assert json.loads(world.prints("empty", "--release", "all", "--json"))["done"][0]["state"] == "gone"
    assert world.open().drives.find("kestrel").free_bytes - free >= 40 * MB and not our_folders(path)


@pytest.mark.parametrize("act", ["set aside", "put back", "release"])
def test_whatever_stops_it_nothing_is_lost_and_it_goes_on(tmp_path, act):
    life, died = 0, True
    while died:
        life += 1
        world = a_world(tmp_path / str(life), kestrel={})
        path = cache_at(world)
        whole = picture(path)
        workspace = world.surveyed()
        if act != "set aside":
            begin(workspace, path)
        stage = workspace.emptying
        does = {
            "set aside": partial(begin, workspace, path),
            "put back": partial(stage.put_back, 1),
            "release": partial(stage.release, 1),
        }[act]
        died = die_after(workspace, life, does)
        again = world.open().emptying
        with pytest.raises(NuvikError):
            again.put_back(99)  # every call goes on first
        kept = again.kept()
        assert all(not each.state.midway for each in kept)
        if act == "release":
            assert not kept or picture(again.content_of(kept[0])) == whole
        elif kept:
            assert kept[0].state is EmptiedState.ASIDE and picture(again.content_of(kept[0])) == whole
            again.put_back(kept[0].id)
        if act != "release":
            assert picture(path) == whole and not our_folders(path)
        elif not kept:
            assert os.listdir(path) == ["CACHEDIR.TAG"] and not our_folders(path)
    assert life > 3


def test_a_program_that_makes_it_anew_after_a_stop_and_a_full_drive_are_no_trouble(world, monkeypatch):
    path = cache_at(world)
    whole, workspace = picture(path), world.open()
    workspace.survey.take()
    renames = 0

    def stop_between(event, place, *more):
        nonlocal renames
        renames += event == "rename"
        if renames > 6:
            raise KeyboardInterrupt

    monkeypatch.setattr(workspace.computer.host.files.hook, "before", stop_between)
    with pytest.raises(KeyboardInterrupt):
        begin(workspace, path)
    again = world.open()
    (kept,) = again.emptying.kept()
    assert kept.state is EmptiedState.SETTING_ASIDE and not os.path.exists(path)
    fill(path, files=2)
    mine = picture(path)
    with pytest.raises(Refused):
        again.emptying.put_back(99)
    assert picture(path) == mine and picture(again.emptying.content_of(kept)) == whole
    again.emptying.put_back(kept.id, even_if_filled=True)
    drive = again.drives.find("kestrel")
    put(world.path("kestrel", "full.bin"), drive.free_bytes)
    begin(again, path)
    assert os.listdir(path) == ["CACHEDIR.TAG"] or not os.listdir(path)
    world.attach("kestrel", False)
    with pytest.raises(Stopped, match="away"):
        world.open().emptying.release(2)


async def test_a_cache_is_emptied_from_its_page_and_put_back_in_logbook(world):
    path = cache_at(world)
    whole = picture(path)
    async with running(world) as (app, pilot):
        await pilot.press("tab", "enter")
        assert isinstance(app.screen, LibraryPage)
        await pilot.press("x")
        assert isinstance(app.screen, Confirm) and "can return" in words_of(app.screen.query_one("#question", Static))
        await press(pilot, "y")
        assert os.listdir(path) == ["CACHEDIR.TAG"]
        await press(pilot, "6", "E")
        assert "set aside today" in words_of(app.screen.query_one("#lines", Static))
        await press(pilot, "b", "a")
        assert picture(path) == whole and "has its contents back" in words_of(app.screen.query_one("#lines", Static))


def test_what_a_stop_left_is_looked_at_anew(world):
    """What came into a folder while its contents were being put back stays; one that is gone holds a release up."""
    path = cache_at(world)
    whole, workspace = picture(path), world.open()
    workspace.survey.take()
    begin(workspace, path)
    life = 1
    while os.path.exists(path):  # until it dies between the two renames
        assert die_after(world.open(), life, partial(_put_back_dying, world, life))
        life += 1
    fill(path, files=2)
    mine = picture(path)
    with pytest.raises(Refused, match="number 99"):
        world.open().emptying.put_back(99)
    (kept,) = world.open().emptying.kept()
    assert picture(path) == mine, "nobody said that it may go"
    assert kept.state is EmptiedState.ASIDE and picture(world.open().emptying.content_of(kept)) == whole
    world.open().emptying.put_back(kept.id, even_if_filled=True)
    assert picture(path) == whole and not our_folders(path)
    elsewhere = open_workspace(str(world.folder), os.path.join(path, "State"))
    with pytest.raises(Refused, match="its own database"):
        elsewhere.survey.take()
        elsewhere.emptying.set_aside(elsewhere.emptying.find(path))
    shutil.rmtree(os.path.join(path, "State"))
    whole = picture(path)
    begin(world.open(), path)
    workspace = world.open()
    assert die_after(workspace, 1, partial(workspace.emptying.release, 2))
    (kept,) = world.open().emptying.kept()
    left = picture(world.open().emptying.content_of(kept))
    os.rename(path, f"{path} gone")
    with pytest.raises(Stopped, match="kept at"):
        world.open().emptying.kept() and world.open().emptying.release(2)
    assert picture(world.open().emptying.content_of(kept)) == left
    os.rename(f"{path} gone", path)
    with pytest.raises(Refused):
        world.open().emptying.release(2)  # it has gone on, and is gone
    assert not our_folders(path)


def _put_back_dying(world: World, life: int) -> None:
    workspace = world.open()
    if die_after(workspace, life, partial(workspace.emptying.put_back, 1)):
        raise Dead
