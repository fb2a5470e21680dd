"""Landings on real files: where new content goes, told to the system and to programs, taken back, and seen."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import time
from pathlib import Path

from textual.widgets import Static

from conftest import MB, a_world, fill, put
from nuvik.__main__ import run
from nuvik.core.checks.places import gives_way
from nuvik.core.hosts.processes import logged_in_since_s
from nuvik.core.hosts.world import WorldHost
from nuvik.core.model.library import Kind
from nuvik.core.model.surroundings import Surroundings
from nuvik.core.settings.standard_folders import standard_folders
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.landings import LandingsPage
from screens import press, running, words_of


def test_a_landing_is_told_to_the_system_and_taken_back(tmp_path, monkeypatch, capsys):
    """As the desktop's own reading of its folders has it, where that program is there."""
    world = a_world(tmp_path / "world", kestrel={})
    home, state = tmp_path / "home", ["--state", str(tmp_path / "state")]
    (home / ".config").mkdir(parents=True)
    dirs = home / ".config" / "user-dirs.dirs"
    dirs.write_text('# mine\nXDG_VIDEOS_DIR="$HOME/Videos"')
    monkeypatch.setenv("HOME", str(home))
    monkeypatch.delenv("XDG_CONFIG_HOME", raising=False)
    monkeypatch.setattr(WorldHost, "surroundings", lambda host: Surroundings(home=str(home)))
    at = ["--world", str(world.folder), *state]

    def read(name: str) -> str:
        if (reader := shutil.which("xdg-user-dir")) is None:
            return standard_folders(str(home)).get(f"XDG_{name}_DIR", "")
        return subprocess.run([reader, name], capture_output=True, text=True, check=True).stdout.strip()

    goals = {}
    kinds = {"video": "VIDEOS", "document": "DOCUMENTS", "download": "DOWNLOAD", "photo": "PICTURES", "sound": "MUSIC"}
    for kind, name in kinds.items():
        goals[name] = world.path("kestrel", f'My $tuff `{kind}` "q"')
        assert run(["landing", kind, goals[name], *at]) == 0 and read(name) != goals[name], "told only when asked"
        assert run(["landing", kind, "--yes", *at]) == 0 and os.path.isdir(goals[name])
    assert {name: read(name) for name in goals} == goals and dirs.read_text().startswith("# mine\n")
    assert run(["landing", "video", world.path("kestrel", "Other"), "--yes", *at]) == 0
    assert read("VIDEOS") == world.path("kestrel", "Other")
    dirs.write_text(dirs.read_text().replace("sound", "of mine"))
    for kind in kinds:
        assert run(["landing", kind, "--forget", *at]) == 0
    assert "It is left as it is." in capsys.readouterr().out and "of mine" in read("MUSIC")
    usual = {name: str(home / name.capitalize()) for name in ("VIDEOS", "DOCUMENTS", "PICTURES")}
    assert {name: read(name) for name in usual} == usual
    assert run(["landing", "game", world.path("kestrel", "Games"), "--yes", *at]) == 0, "nothing to tell"
    # As the last step of a plan.
    world.drive("heron")
    world.write()
    film, plan = fill(world.path("kestrel", "Videos", "Moor")), str(tmp_path / "p.nuvik-plan.json")
    put(film / "moor.mkv", 50 * MB)
    assert run(["survey", *at]) == 0 and run(["landing", "video", "heron", *at]) == 0
    assert run(["draft", str(film), "heron", "-o", plan, *at]) == 0
    assert run(["carry", plan, "--landings", *at]) == 0 and read("VIDEOS") == usual["VIDEOS"]
    assert run(["carry", plan, "--landings", "--yes", *at]) == 0 and read("VIDEOS") == world.path("heron", "Videos")
    assert run(["undo", "plan", "--yes", *at]) == 0 and read("VIDEOS") == usual["VIDEOS"], "with its landings"
    other = world.path("heron", "Chosen since")
    assert run(["carry", plan, "--landings", "--yes", *at]) == 0
    assert run(["landing", "video", other, "--yes", *at]) == 0 and run(["undo", "plan", "--yes", *at]) == 0
    assert read("VIDEOS") == other, "what was chosen since stays"


def test_what_is_new_since_a_landing_was_chosen_is_counted(world):
    fill(world.path("kestrel", "Games", "Kite"))
    assert world.run("survey") == 0 and world.run("landing", "game", "heron") == 0
    time.sleep(1.1)  # moments are kept by the second
    fill(world.path("heron", "Games", "Loom"), seed=2)
    fill(world.path("kestrel", "Games", "Moor"), seed=3)
    assert world.run("survey") == 0
    assert "since then 1 on" in world.prints("landing")
    assert world.open().landings.landed(Kind.GAME) == {"heron": 1, "kestrel": 1}


def test_a_landing_is_told_to_every_setting_that_was_taught_and_taken_back(world, capsys, monkeypatch):
    """Two values of one program, one of them changed by it since; and a folder that holds links to the others."""
    at = ["--world", str(world.folder)]
    old, new = world.path("kestrel", "Games"), world.path("heron", "New Games")
    for n, name in enumerate(("Kite", "Moor"), start=1):
        fill(world.path("kestrel", "Games", name), seed=n)
    fill(world.path("wren", "Games", "Loom"), seed=4)
    fill(world.path("wren", "Games", "Rook"), seed=5)
    shelf = Path(world.path("kestrel", "Settings", "shelf"))
    shelf.mkdir(parents=True)
    (shelf / "shelf.json").write_text(f'{{"new": "{old}", "more": "{old}/", "name": "Games"}}')
    (shelf / "odd.ini").write_text(f"[a]\nplace = no folder\nlast = {old}/Kite\n")
    for name in ("Ufo", "Vane"):  # in the folder that is to take new content: never linked into it
        fill(f"{new}/Games/{name}", seed=7)
    assert world.run("survey") == 0
    printed = world.prints("landing", "game", "--find")
    assert "new = " in printed and "more = " in printed and "Kite\n" not in printed, "only the folder itself"
    teach = ["landing", "game", "--add", *at, "--file", str(shelf / "shelf.json"), "--key"]
    assert run([*teach, "new"]) == 0 and run([*teach, "more"]) == 0 and run([*teach, "more"]) == 3
    assert run([*teach, "name"]) == 3, "that is no folder"
    assert run(["landing", "game", *at, "--add", "--file", str(shelf / "odd.ini"), "--key", "a.last"]) == 0
    assert run(["landing", "game", *at, "--remove", "3"]) == 0 and run(["landing", "game", *at, "--remove", "3"]) == 2
    assert world.run("landing", "game", new) == 0 and old in (shelf / "shelf.json").read_text(), "do not use it yet"
    assert world.run("landing", "game", "--yes", "--gather") == 0
    assert (shelf / "shelf.json").read_text() == f'{{"new": "{new}", "more": "{new}/", "name": "Games"}}'
    links = sorted(name for name in os.listdir(new) if name != "Games")
    assert links == ["Games on Kestrel", "Games on Wren"] and os.readlink(f"{new}/{links[1]}").endswith("wren/Games")
    assert world.run("survey") == 0
    stage = world.open().landings
    row = next(row for row in stage.rows(stage.survey.latest()) if row.kind is Kind.GAME)
    assert (row.programs_know, row.now.path, len(row.folders), row.landed) == (True, new, 3, {}), (
        "the links are no libraries"
    )
    plan = str(Path(world.folder) / "along.nuvik-plan.json")
    capsys.readouterr()
    assert world.run("landing", "game", "--along", plan) == 0
    assert [step.target_path for step in world.open().plan.read(plan).steps] == [f"{new}/Kite", f"{new}/Moor"]
    # Its program spells it otherwise: that is the same folder.
    whole = (shelf / "shelf.json").read_text()
    (shelf / "shelf.json").write_text(whole.replace(f'"{new}"', f'"{new}/."'))
    row = next(row for row in stage.rows(stage.survey.latest()) if row.kind is Kind.GAME)
    assert row.programs_know and not any(place.trouble for place in row.places)
    (shelf / "shelf.json").write_text(whole)
    # The program sets one back; a link is put elsewhere by hand.
    (shelf / "shelf.json").write_text((shelf / "shelf.json").read_text().replace(f"{new}/", "/mine"))
    os.unlink(f"{new}/{links[0]}")
    os.symlink("/elsewhere", f"{new}/{links[0]}")
    assert "somebody has changed it since" in world.prints("landing", code=5)
    assert "It is left as it is." in world.prints("landing", "game", "--forget")
    assert json.loads((shelf / "shelf.json").read_text()) == {"new": old, "more": "/mine", "name": "Games"}
    assert sorted(os.listdir(new)) == ["Games", links[0]], "only what is Nuvik's own goes"
    # Nothing new goes to a drive that is away, nor to where the system is.
    world.drive("stork", attached=False)
    world.write()
    assert world.run("landing", "game", "stork") == 3
    monkeypatch.setattr(WorldHost, "why_protected", lambda host, path: "it is the system's")
    assert world.run("landing", "game", world.path("kestrel", "Elsewhere")) == 3


def test_what_takes_effect_at_the_next_login_is_remembered_until_then(world, tmp_path, monkeypatch):
    (tmp_path / "home" / ".config").mkdir(parents=True)
    monkeypatch.delenv("XDG_CONFIG_HOME", raising=False)
    monkeypatch.setattr(WorldHost, "surroundings", lambda host: Surroundings(home=str(tmp_path / "home")))
    monkeypatch.setattr(WorldHost, "logged_in_since_s", lambda host: logged_in)
    logged_in = time.time() - 60
    assert "next log in" in world.prints("landing", "video", "heron", "--yes")
    logged_in = time.time() + 60
    assert "log in" not in world.prints("landing", "video")
    assert logged_in_since_s() < time.time()


def test_a_standard_folder_moves_along_whole_and_into_the_folder_made_for_it(tmp_path, monkeypatch):
    """A read-only file and another choice in between change nothing of what is told back at the end."""
    world = a_world(tmp_path / "world", kestrel={}, heron={})
    home = Path(world.path("kestrel", "home"))
    dirs = home / ".config" / "user-dirs.dirs"
    put(home / "Videos" / "sky.mkv", 60 * MB)
    put(home / "Videos" / "sea.mkv", 50 * MB)
    fill(home / "Games" / "Kite")
    dirs.parent.mkdir()
    dirs.write_text('XDG_VIDEOS_DIR="$HOME/Videos"\n')
    monkeypatch.delenv("XDG_CONFIG_HOME", raising=False)
    around = Surroundings(home=str(home), standard={str(home / "Videos"): Kind.VIDEO})
    monkeypatch.setattr(WorldHost, "surroundings", lambda host: around)
    goal = Path(world.path("heron", "Films"))
    assert world.run("survey") == 0 and world.run("landing", "video", str(goal), "--yes") == 0
    assert goal.is_dir() and not os.listdir(goal)
    with monkeypatch.context() as locked:
        locked.setattr("nuvik.core.settings.settings_file.os.access", lambda place, mode: False)
        assert world.run("landing", "video", world.path("heron", "Other"), "--yes") == 3
    assert str(goal) in dirs.read_text()
    assert world.run("landing", "video", str(goal)) == 0
    row = next(row for row in world.open().landings.rows(world.open().survey.latest()) if row.kind is Kind.VIDEO)
    assert row.programs_know and [folder.path for folder in row.folders] == [str(home / "Videos")]
    plan = str(tmp_path / "along.nuvik-plan.json")
    assert world.run("landing", "video", "--along", plan) == 0 and world.run("carry", plan, "--yes") == 0
    assert sorted(os.listdir(goal)) == ["sea.mkv", "sky.mkv"] and os.readlink(home / "Videos") == str(goal)
    assert (home / "Videos").is_dir()
    assert world.run("undo", "last", "--yes") == 0 and sorted(os.listdir(home / "Videos")) == ["sea.mkv", "sky.mkv"]
    assert world.run("landing", "video", "--forget") == 0
    assert dirs.read_text() == 'XDG_VIDEOS_DIR="$HOME/Videos"\n'


async def test_the_page_of_landings_chooses_tells_forgets_and_lets_follow(world):
    for n, name in enumerate(("Kite", "Moor"), start=1):
        fill(world.path("kestrel", "Games", name), seed=n)
    file = Path(world.path("kestrel", "Settings", "shelf", "shelf.json"))
    old, new = world.path("kestrel", "Games"), world.path("heron", "Games")
    put(file)
    file.write_text(json.dumps({"new": old}))
    async with running(world) as (app, pilot):
        await press(pilot, "3", "d")
        page = app.screen
        assert isinstance(page, LandingsPage)
        at = next(n for n, row in enumerate(page._rows) if row.kind is Kind.GAME)
        await pilot.press(*["down"] * at, "t")
        assert app.screen is page, "nothing is chosen yet"
        await press(pilot, "s")
        await press(pilot, "a")
        await pilot.press("enter")
        offers = list(app.screen._choices)
        await press(pilot, next(key for key, words in offers if words.startswith("Heron")))
        assert "sends new content elsewhere (game)" in words_of(page.query_one("#map-title", Static))
        assert app.desk.draft.landings[Kind.GAME].path == new
        await pilot.press("b")
        assert len(app.desk.draft.places) == 2
        await press(pilot, "t")
        assert isinstance(app.screen, Confirm) and f"+ {new}" in words_of(app.screen.query_one("#question", Static))
        await press(pilot, "y")
        assert json.loads(file.read_text()) == {"new": new}
        await press(pilot, "g")
        assert os.readlink(f"{new}/Games on Kestrel") == old
        await press(pilot, "f")
        assert json.loads(file.read_text()) == {"new": old} and not os.listdir(new) and not app.desk.draft.landings
        # With the plan that it is part of: shown before, told at the end, and taken back with it.
        await press(pilot, "enter", next(key for key, words in offers if words.startswith("Heron")), "escape", "n")
        await press(pilot, "c")
        assert "where new content goes:" in words_of(app.screen.query_one("#question", Static))
        await press(pilot, "y")
        assert json.loads(file.read_text()) == {"new": new}
        await press(pilot, "6", "U")
        await press(pilot, "y")
        assert json.loads(file.read_text()) == {"new": old}


def test_nobody_is_told_of_a_folder_on_a_drive_that_is_away(world):
    """Else it would be made on the drive below its mount point."""
    file = Path(world.path("kestrel", "Settings", "shelf", "shelf.json"))
    put(file)
    file.write_text(json.dumps({"new": world.path("kestrel", "Games")}))
    assert world.run("landing", "game", "--add", "--file", str(file), "--key", "new") == 0
    assert world.run("landing", "game", "wren") == 0
    world.attach("wren", False)
    os.rename(world.path("wren"), f"{world.path('wren')} gone")
    os.mkdir(world.path("wren"))
    whole = file.read_text()
    assert world.run("landing", "game", "--yes") == 3
    assert file.read_text() == whole and not os.listdir(world.path("wren"))


def test_an_empty_drive_or_mount_point_never_gives_way(world, monkeypatch):
    assert not os.listdir(world.path("heron")) and not gives_way(world.open().computer.host, world.path("heron"))
    empty = Path(world.path("heron", "Films"))
    empty.mkdir()
    host = world.open().computer.host
    assert gives_way(host, str(empty)) and not gives_way(host, world.path("heron", "Nothing"))
    put(empty / "a")
    assert not gives_way(host, str(empty))
    (empty / "a").unlink()
    monkeypatch.setattr(WorldHost, "why_protected", lambda host, path: "it is a mount point")
    assert not gives_way(host, str(empty))
