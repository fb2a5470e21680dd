"""Settings that lead programs, as a user meets them: by commands, on the screens, with a real small program."""

from __future__ import annotations

import json
import os
import subprocess
import sys

import pytest
from textual.widgets import Input, Static

from conftest import leftovers, picture
from nuvik.__main__ import run
from nuvik.core.carrying.aside_folders import held
from nuvik.core.model.errors import Refused
from nuvik.core.model.journal import State
from nuvik.core.model.leftover import Repair
from nuvik.core.model.tether import TetherState
from nuvik.core.stages.workspace import open_workspace
from nuvik.demo.build import household_at
from nuvik.demo.title_box import TitleBox, main
from nuvik.tui.screens.library_page import LibraryPage
from nuvik.tui.screens.tether_choice import TetherChoice
from nuvik.tui.widgets.tick_box import TickBox
from screens import press, running, settle, words_of
from screens import words as words_at
from test_promise import shift
from test_tethers import places, shelf, taught


def test_what_is_to_be_done_by_hand_keeps_the_original_until_it_is(tmp_path):
    world, source, _ = taught(tmp_path / "world", "exfat")
    assert world.run("tether", "Ferry", "--remove", "1") == 0
    assert world.run("tether", "Ferry", "--add", "by-hand") == 2, "what?"
    assert world.run("tether", "Ferry", "--add", "by-hand", "--words", "choose the folder") == 0
    assert world.run("shift", source, "heron", "--yes") == 5
    target = world.path("heron", "Games", "Ferry")
    assert "due" in world.prints("tether", target, "--check", code=5)
    (move,) = world.open().logbook.moves()
    assert move.state is State.ON_TRIAL and "until you have done this: choose the folder" in move.problem
    assert world.run("tether", target, "--done", "1") == 0 and world.run("tether", target, "--check") == 0
    assert world.run("release", "all", "--yes") in (0, 2)


def test_tethers_by_commands(tmp_path, capsys, monkeypatch):
    world, source, file = taught(tmp_path / "world", "ext4")
    settings = world.folder / "kestrel" / "Settings"
    for words, code in (
        (["Nobody"], 2),
        (["Ferry", "--add", "glue"], 2),
        (["Ferry", "--add", "link"], 3),
        (["Ferry", "--add", "setting"], 2),
        (["Ferry", "--add", "setting", "--file", "/nowhere.json"], 2),
        (["Ferry", "--add", "setting", "--file", file], 3),
        (["Ferry", "--add", "setting", "--file", file, "--key", "titles.0.path"], 3),
        (["Ferry", "--add", "setting", "--file", file, "--format", "xml"], 2),
        (["Ferry", "--add", "standard-folder"], 3),
        (["Ferry", "--key", "x"], 2),
        (["Ferry", "--remove", "7"], 2),
        (["Ferry", "--done", "1"], 3),
        (["Ferry", "--remove", "1", "--done", "1"], 2),
    ):
        assert world.run("tether", *words) == code, words
        assert "Traceback" not in capsys.readouterr().err
    settings.mkdir()
    os.rename(file, settings / "shelf.json")
    (settings / "kite.desktop").write_text(f'[Desktop Entry]\nExec="{source}/run" %U\nComment=in {source}, at home\n')
    listed = json.loads(world.prints("tether", "Ferry", "--find", "--json"))["settings_with_path"]
    assert [(os.path.basename(each["file"]), each["key"], each["certain"]) for each in listed] == [
        ("kite.desktop", "Desktop Entry.Exec", True),
        ("kite.desktop", "Desktop Entry.Comment", False),
        ("shelf.json", "titles.1.path", True),
    ]
    entry = str(settings / "kite.desktop")
    assert world.run("tether", "Ferry", "--remove", "1") == 0
    assert world.run("tether", "Ferry", "--add", "shortcut", "--file", entry, "--key", "Desktop Entry.Exec") == 0
    shown = world.prints("shift", source, "heron")
    assert f'- "{source}/run" %U' in shown and f'+ "{world.path("heron", "Games", "Ferry")}/run" %U' in shown
    assert world.run("shift", source, "heron", "--yes") == 0
    assert f'Exec="{world.path("heron", "Games", "Ferry")}/run" %U' in (settings / "kite.desktop").read_text()
    assert "shortcut" in world.prints("card", world.path("heron", "Games", "Ferry"))


def test_the_title_box_opens_every_title_from_its_new_drive_with_its_progress(tmp_path, capsys):
    folder = household_at(str(tmp_path / "home"), fresh=True)
    box, at = TitleBox(folder), ["--world", folder]
    before = {title: box.open(title) for title in box.titles()}
    workspace = open_workspace(folder, waits=False)
    workspace.survey.take()
    goals = {"Comet Courier": "heron", "Saltmarsh Signalman": "dunlin", "Lodestone Lane Nine": "kestrel"}
    moves = [(before[title].place, drive) for title, drive in goals.items()]
    plan = workspace.plan.make(workspace.plan.draft(moves, {"kestrel": 0}))
    runs = f"import sys, nuvik.demo.title_box as b\nwith b.TitleBox({folder!r}).running(): print(flush=True); input()"
    with subprocess.Popen([sys.executable, "-c", runs], stdin=subprocess.PIPE, stdout=subprocess.PIPE) as program:
        assert program.stdout is not None and program.stdout.readline()
        with pytest.raises(Refused, match=r"titles\.toml is in use by"):
            workspace.carry.carry(plan)
        program.communicate(b"\n")
    workspace.carry.carry(plan)
    after = {title: box.open(title) for title in box.titles()}
    for title, opened in after.items():
        assert os.sep + goals[title] + os.sep in opened.place and opened.minutes == 30, "continued, not started over"
    assert after["Comet Courier"].seconds > 5 * before["Comet Courier"].seconds
    assert after["Lodestone Lane Nine"].seconds < before["Lodestone Lane Nine"].seconds / 5
    workspace.logbook.undo_plan()
    assert {title: box.open(title).place for title in box.titles()} == {
        title: opened.place for title, opened in before.items()
    }
    played = os.path.join(before["Comet Courier"].place, "minutes-played.txt")
    runs = f"file = open({played!r}); print(flush=True); input()"
    with subprocess.Popen([sys.executable, "-c", runs], stdin=subprocess.PIPE, stdout=subprocess.PIPE) as program:
        assert program.stdout is not None and program.stdout.readline()
        assert run(["tether", "Comet Courier", "--check", *at]) == 0
        assert f"runs from {before['Comet Courier'].place} now" in capsys.readouterr().out
        program.communicate(b"\n")
    box.set_updating(True)
    for words, code, expected in (
        ([folder, "open", "Comet Courier"], 3, "busy updating"),
        ([folder, "play"], 2, ""),
        ([folder], 0, "Saltmarsh Signalman"),
    ):
        assert main(words) == code
        printed = capsys.readouterr()
        assert expected in printed.out + printed.err
    box.set_updating(False)
    assert main([folder, "open", "Nothing"]) == 3 and run(["tether", "Comet Courier", "--check", *at]) == 0


async def test_tethers_are_chosen_on_a_librarys_page(tmp_path):
    world, source, _ = taught(tmp_path / "world", "ext4")
    settings = world.folder / "kestrel" / "Settings"
    settings.mkdir()
    (settings / "kite.ini").write_text(f"place = {source}\nlist = /a:{source}:/b\n")
    async with running(world, (120, 40)) as (app, pilot):
        await pilot.press("tab", "enter")
        assert isinstance(app.screen, LibraryPage)
        await pilot.press("f")
        assert isinstance(app.screen, TetherChoice)
        await settle(app, pilot)
        boxes = list(app.screen.query(TickBox))
        assert [box.value for box in boxes] == [True, False] and "kite.ini" in str(boxes[1].label)
        assert "1 more speak" in words_of(app.screen.query_one("#looking", Static))
        boxes[1].focus()
        await pilot.press("space")
        boxes[0].focus()
        await pilot.press("space")
        (tether,) = world.open().survey.card(source).tethers
        assert tether.file == str(settings / "kite.ini") and tether.key == "place"
        (ferry,) = (library for library in app.desk.snapshot.libraries if library.path == source)
        assert ferry.tethers == (tether,), "it counts at once"
        kept = app.screen.query_one("#check", Input)
        kept.focus()
        kept.value = os.listdir(source)[0]
        await pilot.press("enter")
        assert [str(each.kind) for each in world.open().survey.card(source).tethers] == ["setting", "check"]
        kept.value = "nothing of that name"
        await pilot.press("enter")
        assert kept.value and len(world.open().survey.card(source).tethers) == 2, "a check must hold now"
        await pilot.press("escape")


def test_a_taught_check_that_fails_keeps_the_original(tmp_path, capsys):
    world, source, file = taught(tmp_path / "world", "exfat")
    at, target = ["--world", str(world.folder)], world.path("heron", "Games", "Ferry")
    second = tmp_path / "second.toml"
    second.write_text(f'where = "{source}"\nlook = "dark"\n')
    check = ["tether", source, *at, "--add", "check", "--file"]
    inside = sorted(os.listdir(source))[0]
    assert run([*check, inside]) == 0 and run([*check, f"{source}/{inside}"]) == 3, "it is known already"
    assert run([*check, "not there"]) == 3 and run([*check, ".."]) == 3 and run(check[:-1]) == 2
    assert run([*check, str(second), "--key", "look", "--value", "dark"]) == 0
    assert run([*check, str(second), "--key", "look", "--value", "light"]) == 3
    assert world.run("shift", source, "heron", "--yes") == 0, "all hold"
    assert world.run("undo", "last", "--yes") == 0
    assert run([*check, str(second), "--key", "where"]) == 0
    whole = picture(source)
    capsys.readouterr()
    assert world.run("shift", source, "heron", "--yes") == 5
    workspace = world.open()
    move = workspace.logbook.moves()[-1]
    assert move.state is State.ON_TRIAL and "a check failed" in move.problem and second.name in move.problem
    assert picture(held(move)) == whole == picture(target)
    states = {row.tether.file: row.state for row in workspace.tethers.of_move(move)}
    assert states == {file: TetherState.OK, inside: TetherState.OK, str(second): TetherState.BROKEN}
    (finding,) = workspace.logbook.broken_tethers()
    assert finding.repair is Repair.NONE and "“where”" in finding.what
    assert world.run("tether", target, "--check") == 5
    assert workspace.tethers.repair(workspace.tethers.library(target)) == 0, "a check is nothing to set"
    second.write_text(second.read_text().replace(source, target))
    assert not workspace.logbook.broken_tethers() and world.run("tether", target, "--check") == 0
    assert world.run("release", "all") == 0 and not leftovers(world.folder)
    # A check alone leads nobody anywhere: from a drive without links the library must not leave.
    assert world.run("undo", "last", "--yes") == 0 and run(["tether", source, *at, "--remove", "1"]) == 0
    assert [str(each.kind) for each in world.open().survey.card(source).tethers] == ["check"] * 3
    assert world.run("shift", source, "heron", "--yes") == 3


async def test_logbook_says_what_no_longer_leads_there_and_puts_it_right(tmp_path):
    world, source, file = taught(tmp_path / "world", "ext4")
    workspace = world.surveyed()
    shift(workspace, source)
    target = world.path("heron", "Games", "Ferry")
    shelf(world.folder, Other="/elsewhere", Ferry="/gone")
    os.unlink(source)
    async with running(world) as (app, pilot):
        await press(pilot, "6")
        assert "is gone, so programs do not find" in words_at(app, "#headline") and "one more finding" in words_at(
            app, "#headline"
        )
        await press(pilot, "f")
        shows = words_of(app.screen.query_one("#lines", Static))
        assert "! broken" in shows and "/gone" in shows and "✓ holds" not in shows
        await press(pilot, "f")
        assert os.path.realpath(source) == target and "leads to" in words_of(app.screen.query_one("#lines", Static))
        assert places(file)["Ferry"] == "/gone", "what somebody else wrote is left"
        shelf(world.folder, Other="/elsewhere", Ferry=source)
        await press(pilot, "escape", "5", "6")
        assert "does not lead to Ferry" in words_at(app, "#headline"), "its program may not follow links"
        await press(pilot, "f")
        await press(pilot, "f")
        assert places(file)["Ferry"] == target
        await press(pilot, "escape")
        assert "1 move done" in words_at(app, "#headline")
