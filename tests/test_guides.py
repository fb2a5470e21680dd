"""Guides: stories of a drive through several stages. What is done is seen from how things are."""

from __future__ import annotations

import json
import os
from dataclasses import replace
from pathlib import Path

from conftest import MB, fill, picture, put
from nuvik.__main__ import run
from nuvik.core.model.guide import Story, Task
from nuvik.core.model.progress import Stop
from nuvik.core.stages.workspace import open_workspace
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.drive_card import DriveCard
from nuvik.tui.screens.guide import GuidePage
from screens import press, running, settle, words


def steps(at: list[str], story: str, drive: str, capsys) -> dict[str, bool]:
    capsys.readouterr()
    assert run(["guide", story, drive, "--json", *at]) == 0
    return {step["task"]: step["done"] for step in json.loads(capsys.readouterr().out)["steps"]}


def test_a_new_drive_is_put_to_use_in_any_order_of_steps(world, capsys):
    at = ["--world", str(world.folder)]
    game = fill(world.path("kestrel", "Games", "Ferrymoss"))
    assert world.run("survey") == 0
    done = steps(at, "new-drive", "heron", capsys)
    assert done == {"name": False, "format": True, "measure": False, "land": False, "gather": False}
    for task, call in (
        ("measure", ["gauge", "heron"]),
        ("gather", ["shift", str(game), "heron", "--yes"]),
        ("land", ["landing", "game", "heron"]),
        ("name", ["drive", "heron", "--welcomes", "game"]),
    ):
        assert world.run(*call) in (0, 5)
        done = {**done, task: True}
        assert steps(at, "new-drive", "heron", capsys) == done
    printed = world.prints("guide", "new-drive", "heron")
    assert "all 5 steps are done" in printed and "▸" not in printed and "nuvik gauge" not in printed


def test_libraries_go_to_another_computer_and_are_spread_there(real_drives, tmp_path, capsys):
    old, stick = real_drives.up("old", "160M", "ext4"), real_drives.up("stick", "220M", "exfat")
    kite = fill(old / "Games" / "Kite", files=9)
    for number in range(6):
        put(kite / "Films" / f"{number}.bin").write_bytes(os.urandom(4 * MB))
    before, state = picture(kite, times=False), ["--state", str(tmp_path / "one")]
    assert run(["card", str(kite), "--kind", "game", *state]) == 0
    assert run(["card", str(kite), "--kind", "game", "--opens-per-week", "4", *state]) == 0
    assert run(["survey", str(old), str(stick), *state]) in (0, 5)
    assert steps(state, "to-computer", str(stick), capsys) == {
        "survey": True,
        "gather": False,
        "note": False,
        "eject": False,
    }
    plan = str(tmp_path / "travel.nuvik-plan.json")
    assert run(["draft", "--all-to", str(stick), "-o", plan, *state]) in (0, 5)
    assert str(kite) in Path(plan).read_text()
    assert run(["carry", plan, "--yes", *state]) in (0, 5)
    assert steps(state, "to-computer", str(stick), capsys)["gather"]
    assert run(["note", str(stick), "--yes", *state]) == 0
    assert not steps(state, "to-computer", str(stick), capsys)["note"]  # without checksums
    assert run(["note", str(stick), "--checksums", "--yes", *state]) == 0
    assert steps(state, "to-computer", str(stick), capsys)["note"]
    assert run(["eject", str(stick), *state]) == 0
    assert steps(state, "to-computer", "stick", capsys)["eject"]

    new, stick = real_drives.up("new", "160M", "ext4"), real_drives.mount("stick", "there")
    state = ["--state", str(tmp_path / "two")]
    assert list(steps(state, "from-computer", str(stick), capsys).values()) == [True, False, False, False]
    assert run(["adopt", str(stick), "--check", "--yes", *state]) == 0
    assert "1 of them read and compared" in capsys.readouterr().out
    assert run(["survey", str(new), str(stick), *state]) in (0, 5)
    assert list(steps(state, "from-computer", str(stick), capsys).values()) == [True, True, True, False]
    (there,) = [each for each in open_workspace(None, state[1]).survey.latest().libraries if each.name == "Kite"]
    assert there.opens_per_week == 4
    assert run(["shift", there.path, str(new), "--yes", *state]) in (0, 5)
    assert all(steps(state, "from-computer", str(stick), capsys).values())
    arrived = picture(new / "Games" / "Kite", times=False)
    assert {path: facts[2] for path, facts in arrived.items() if facts[0] == "file"} == {
        path: facts[2] for path, facts in before.items() if facts[0] == "file"
    }


def test_all_to_a_drive_takes_what_fits_and_leaves_headroom(world):
    for number, often in enumerate((1, 5, 3)):
        game = fill(world.path("heron", "Games", f"Kite {number}"), seed=number)
        put(game / "big.bin", 90 * MB)
        assert world.run("card", str(game), "--opens-per-week", str(often)) == 0
    fill(world.path("heron", ".cache", "thumbs"))
    workspace = world.surveyed()
    kestrel = workspace.drives.find("kestrel")
    going, staying = workspace.plan.all_to(kestrel)
    assert [os.path.basename(path) for path, _ in going] == ["Kite 1"]
    assert [library.name for library in staying] == ["Kite 2", "Kite 0"]
    workspace.survey.keep_cards([replace(workspace.survey.card(going[0][0]), pinned=True)])
    going, _ = workspace.plan.all_to(kestrel)
    assert [os.path.basename(path) for path, _ in going] == ["Kite 2"]


async def test_a_story_is_led_through_in_the_screens(world):
    fill(world.path("wren", "Games", "Ferrymoss"))
    world.open().survey.take()
    async with running(world) as (app, pilot):
        desk = app.screen.desk
        wren = next(drive for drive in desk.snapshot.drives if drive.id == "wren")
        app.push_screen(GuidePage(Story.NEW_DRIVE, wren, desk))
        await settle(app, pilot)
        assert "▸ 1  Name it" in words(app, "#lines")
        await pilot.press("enter")
        assert isinstance(app.screen, DriveCard)
        await press(pilot, "ctrl+s")
        await pilot.press("escape")
        app.push_screen(GuidePage(Story.TO_COMPUTER, wren, desk))
        await settle(app, pilot)
        await press(pilot, "enter")
        assert "✓ 3  Write its note" in words(app, "#lines") and "The note is written." in words(app, "#lines")
        assert os.path.exists(world.path("wren", ".nuvik-note.json"))
        await pilot.press("escape")
        app.push_screen(GuidePage(Story.FROM_COMPUTER, wren, desk))
        await settle(app, pilot)
        await press(pilot, "2")
        assert isinstance(app.screen, Confirm) and "1 of 1 noted library" in words(app, "#question")
        await press(pilot, "n")
        assert not desk.workspace.guides.guide(Story.FROM_COMPUTER, wren).steps[1].done
        await press(pilot, "2")
        await press(pilot, "y")
        assert "1 card taken over." in words(app, "#lines")
        assert desk.workspace.guides.guide(Story.FROM_COMPUTER, wren).steps[1].task is Task.ADOPT
        await pilot.press("escape")
        app.push_screen(GuidePage(Story.TO_COMPUTER, wren, desk))
        await settle(app, pilot)
        await press(pilot, "4", "y")
        assert "Wren is ejected: the cable may be pulled." in words(app, "#lines")
        assert "all 4 steps are done" in words(app, "#lines")
        page = app.screen
        page._stop = Stop()  # something that never ends
        await pilot.press("escape")
        assert app.screen is page and page._stop.asked
        await pilot.press("escape")
        assert app.screen is not page
        assert desk.workspace.guides.guide(Story.FROM_COMPUTER, wren).steps[1].done
