"""The screens, by keys alone: through the pilot, and the real program in tmux."""

from __future__ import annotations

import io
import os
import re
import shutil
import signal
import subprocess
import sys
import time

import pytest
from rich.console import Console
from textual._compositor import Compositor, LayoutUpdate
from textual.widgets import DataTable, Input, Static

from conftest import MB, picture
from nuvik.core.survey.drives.gauge import budget_for
from nuvik.demo.build import household_at
from nuvik.tui.jobs.carry import CarryRun
from nuvik.tui.screens.drive_card import DriveCard
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.drive_board import DriveBoard
from nuvik.tui.widgets.library_table import LibraryTable
from nuvik.tui.widgets.speed_chart import SpeedChart
from nuvik.tui.widgets.traffic import TrafficPanel
from refusals import shift
from screens import go_to, press, running, settle, words


async def test_from_a_full_drive_to_moved_and_taken_back(house):
    game = house.path("kestrel", "Games", "Ferrymoss")
    whole = picture(game)
    async with running(house) as (app, pilot):
        assert words(app, "#headline").startswith("Kestrel is almost full")
        await pilot.press("tab", "l")
        assert app.screen.STAGE == "plan"
        board = app.screen.query_one(DriveBoard)
        while board.drive.id != "heron":
            await pilot.press("down")
        assert "Ferrymoss Kestrel → Heron" in words(app, "#consequence")
        await pilot.press("enter")
        assert "1 move" in words(app, "#totals") and "→ 197 MB free" in words(app, "#totals")
        await pilot.press("u")
        assert not app.desk.draft.places
        await pilot.press("U", "n")
        assert words(app, "#headline").startswith("Fits. 1 move")
        await pilot.press("c", "n")
        assert app.carry_job.run is None
        await press(pilot, "c", "y")
        assert app.screen.STAGE == "carry"
        assert words(app, "#headline").startswith("Done: 1 move. Kestrel 183 MB freed")
        assert os.path.islink(game)
        assert picture(game) == whole
        await pilot.press("6")
        assert app.screen.query_one(DataTable).row_count == 1
        await press(pilot, "u", "y")
        assert "is back where it was" in words(app, "#headline")
        assert not os.path.islink(game)
        assert picture(game) == whole


async def test_what_cannot_be_done_is_said_where_it_is_tried(house):
    house.cards = [{"path": "kestrel/Games/Ferrymoss", "movable": False, "why_not": "it holds the keys"}]
    house.attach("wren", False)
    async with running(house) as (app, pilot):
        await pilot.press("tab", "l")
        assert app.screen.STAGE == "survey"
        assert any("it holds the keys" in note.message for note in app._notifications)
        await pilot.press("down", "l")
        assert app.screen.STAGE == "plan"
        board = app.screen.query_one(DriveBoard)
        while board.drive.id != "wren":
            await pilot.press("down")
        assert words(app, "#consequence").startswith("Wren is away.")
        await pilot.press("enter")
        assert app.desk.in_hand is not None, "it is still in the hand"
        await pilot.press("escape", "4")
        assert "Nothing moves in this plan" in words(app, "#headline")
        await pilot.press("c")
        assert app.screen.STAGE == "rehearse"


async def test_a_stop_midway_is_shown_and_goes_on(house):
    house.write(fault=[{"drive": "heron", "fail_write": 6}])
    async with running(house) as (app, pilot):
        await pilot.press("tab", "l")
        await go_to(pilot, "heron")
        await press(pilot, "enter", "n", "c", "y")
        assert "could not be read or written" in words(app, "#headline")
        assert "original untouched" in words(app, "#headline")
        await press(pilot, "g")
        assert words(app, "#headline").startswith("Done")


async def test_finding_themes_help_and_small_windows(house):
    async with running(house, (100, 30)) as (app, pilot):
        await pilot.press("slash", *"lantern", "enter")
        table = app.screen.query_one(LibraryTable)
        assert table.row_count == 1
        assert "\x1b" not in "".join(segment.text for segment in table.render_line(1))
        app.clear_notifications()
        boxes = ("question_mark", "m", "d")  # each brings styles of its own, under a theme of its own
        for name, box in zip(("nuvik-day", "nuvik-contrast", "nuvik-night") * 2, boxes * 2, strict=True):
            await pilot.press("t", box)
            await pilot.pause()
            assert app.theme == name and app.screen.query("*").first().styles.background.hex.lower() in (
                palette_of(name).raised,
                palette_of(name).ground,
            )
            await pilot.press("escape")
            await pilot.pause()
            assert app.screen.styles.background.hex.lower() == palette_of(name).ground
        for stage in "123456":
            await pilot.press(stage, "question_mark")
            assert not hasattr(app.screen, "STAGE")
            await pilot.press("escape")
        await pilot.resize_terminal(90, 25)
        assert app.screen.query_one("#too-small").display


async def test_another_theme_is_drawn_in_one_picture(house, monkeypatch):
    pictures, plain = [], Compositor.render_update
    monkeypatch.setattr(
        Compositor, "render_update", lambda *given, **named: pictures.append(plain(*given, **named)) or pictures[-1]
    )
    async with running(house) as (_, pilot):
        for stage in "13":
            await press(pilot, stage)
            pictures.clear()
            await press(pilot, "t")
            assert [type(picture) for picture in pictures].count(LayoutUpdate) == 1


async def test_speeds_measures_shows_and_stops(house):
    for declared in house.data["drive"][1:]:
        declared.update(usable_bytes=90_000 * MB, capacity_bytes=90_000 * MB)
    house.write()
    async with running(house) as (app, pilot):
        await pilot.press("2")
        assert words(app, "#headline").startswith("No drive has been measured yet")
        chart = app.screen.query_one(SpeedChart)
        while chart.drive.id != "heron":
            await pilot.press("down")
        assert "writes up to" in words(app, "#consequence")
        await pilot.press("g", "n")
        assert app.gauge_job.run is None
        await press(pilot, "g", "y")
        assert words(app, "#headline").startswith("Heron reads 400 MB/s"), words(app, "#headline")
        assert chart.drive.speed_source == "measured"
        panel = app.screen.query_one(TrafficPanel)
        panel._look()
        assert str(panel.content).startswith("Heron") and "Kestrel" in str(panel.content)
        assert "Ferrymoss" in words(app, "#meaning") and "docs/candidates.md" in words(app, "#buy")
        await pilot.press("1", "2")
        assert words(app, "#headline").startswith("Not measured yet")
        await pilot.press("i")
        page = Console(width=120, file=io.StringIO(), record=True)
        page.print(app.screen.query_one("#lines", Static).content)
        assert "The label says 90.0 GB" in page.export_text()
        await pilot.press("escape")
        app.gauge_job.begin([budget_for(chart.drive)])
        app.gauge_job.run.stop.ask()
        await settle(app, pilot)
        assert words(app, "#headline").startswith("Stopped as asked")
        assert not [path for path in house.folder.rglob("*") if ".nuvik-gauge" in str(path)]
        await pilot.resize_terminal(100, 30)
        await pilot.pause()
        assert app.screen.query_one(SpeedChart).size.width > 80


async def test_all_are_measured_and_a_drive_is_told_of_from_its_page(house):
    house.data["drive"][0]["read_only"] = True
    house.data["drive"][1]["filesystem"] = "exfat"
    house.write()
    async with running(house) as (app, pilot):
        await pilot.press("2", "G")
        question = words(app, "#question")
        assert question.startswith("Measure 3 drives?") and "it is read-only" in question
        await press(pilot, "y")
        assert words(app, "#headline") == "3 drives measured; the test files are removed."
        assert "nothing was written to it" in words(app, "#meaning")
        chart = app.screen.query_one(SpeedChart)
        while chart.drive.id != "heron":
            await pilot.press("down")
        await pilot.press("i", "e")
        assert isinstance(app.screen, DriveCard)
        assert "ext4 would be better" in words(app, "#advice") and "1. Heron holds" in words(app, "#advice")
        app.screen.query_one("#systems", Input).value = "windows, macos"
        await pilot.pause()
        assert "No other file system would do better" in words(app, "#advice")
        app.screen.query_one("#systems", Input).value = "moon"
        await pilot.pause()
        assert words(app, "#advice").startswith("Say linux")
        await pilot.press("escape")
        assert app.screen.STAGE == "speeds"
        await pilot.press("1")
        assert app.gauge_job.run is None, "how it ended was seen"


async def test_a_new_drive_is_greeted_named_and_measured(house):
    async with running(house) as (app, pilot):
        house.drive("lapwing", usable_bytes=9_000 * MB, capacity_bytes=9_000 * MB)
        house.attach("wren", False)
        app.drive_watch.look()
        await settle(app, pilot)
        messages = [note.message for note in app._notifications]
        assert "Lapwing is here." in messages and "Wren went away." in messages
        assert isinstance(app.screen, DriveCard)
        app.screen.query_one("#headroom", Input).value = "99%"
        await pilot.press("ctrl+s")
        assert isinstance(app.screen, DriveCard), "what cannot be is not kept"
        app.screen.query_one("#headroom", Input).value = "90%"
        app.screen.query_one("#name", Input).value = "Field box"
        app.screen.query_one("#welcomes", Input).value = "photo, video"
        await pilot.click("#measure")
        await settle(app, pilot)
        assert app.screen.STAGE == "speeds"
        known = app.desk.workspace.drives.find("Field box")
        assert (known.headroom_bytes, known.welcomes) == (8_100 * MB, ("photo", "video"))
        assert known.speed_source == "measured"
        written = app.desk.workspace.drives.gauge_histories([known])[known.id][-1].written_bytes
        assert 0 < written <= 900 * MB, "the headroom that was just asked for is kept"
        app.drive_watch.look()
        await settle(app, pilot)
        assert app.screen.STAGE == "speeds", "it is not greeted twice"
        app.carry_job.run = CarryRun()  # while something is carried, the drives on the desk stay
        house.data["drive"][3]["attached"] = False
        house.write()
        raised = []
        for _ in range(3):
            app.drive_watch.look()
            await settle(app, pilot)
            raised.append([note.raised_at for note in app._notifications if note.message == "Field box went away."])
        assert len(raised[0]) == 1 and raised == raised[:1] * 3, "told once"


@pytest.mark.skipif(shutil.which("tmux") is None, reason="tmux is not installed")
def test_the_real_program_in_a_terminal(tmp_path):
    """From `nuvik demo` to a move carried and taken back, typed and read in a real terminal."""
    folder = household_at(str(tmp_path / "demo"))
    world = tmp_path / "demo" / "world.toml"
    world.write_text(re.sub(r"time_scale = \d+", "time_scale = 3000", world.read_text()))
    socket = str(tmp_path / "tmux")
    # The pilot leaves its own idea of the window's size behind.
    clean = {name: value for name, value in os.environ.items() if name not in ("COLUMNS", "LINES")}

    def tmux(*command: str) -> str:
        return subprocess.run(
            ["tmux", "-S", socket, *command], capture_output=True, text=True, check=True, env=clean
        ).stdout

    def wait_for(text: str, seconds: float = 20) -> str:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            seen = tmux("capture-pane", "-p", "-t", "nuvik")
            if text in seen:
                return seen
            time.sleep(0.1)
        pytest.fail(f"“{text}” did not appear:\n{seen}")

    def press(*keys: str) -> None:
        for key in keys:
            tmux("send-keys", "-t", "nuvik", key)
            time.sleep(0.15)

    program = f"{sys.executable} -m nuvik demo --at {folder}; echo ended with $?; sleep 60"
    tmux("new-session", "-d", "-s", "nuvik", "-x", "159", "-y", "47", program)
    try:
        wait_for("Kestrel is almost full: 36.6 GB free")
        wait_for("Comet Courier")
        press("Tab", "l", "Down", "Down")
        wait_for("Comet Courier Kestrel → Dunlin")
        press("Enter", "n")
        wait_for("Fits. 1 move")
        press("c")
        wait_for("Carry out 1 move")
        press("y")
        wait_for("Done: 1 move. Kestrel 93.1 GB freed")
        assert os.path.islink(os.path.join(folder, "kestrel", "Games", "Comet Courier"))
        press("6", "u")
        wait_for("Take move 3 back?")
        press("y")
        wait_for("Comet Courier is back where it was")
        assert not os.path.islink(os.path.join(folder, "kestrel", "Games", "Comet Courier"))
        press("q")
        wait_for("ended with 0")
    finally:
        subprocess.run(["tmux", "-S", socket, "kill-server"], check=False, capture_output=True)


@pytest.mark.skipif(sys.platform == "win32", reason="a terminal of Windows ends its programs itself")
def test_a_terminal_that_is_gone_ends_the_program(world):
    """Also where the terminal is not the program's own, so that the system sends no signal."""
    import pty

    mine, its = pty.openpty()
    words = [sys.executable, "-m", "nuvik", "--world", str(world.folder)]
    child = subprocess.Popen(words, stdin=its, stdout=its, stderr=its, start_new_session=True)
    os.close(its)
    seen = b""
    while b"Survey" not in seen:
        seen += os.read(mine, 65_536)
    os.close(mine)
    try:
        assert child.wait(timeout=30) in (-signal.SIGHUP, -signal.SIGTERM), "the latter where hang-ups are ignored"
    finally:
        child.kill()


async def test_whoever_starts_for_the_first_time_is_welcomed_once(house):
    async with running(house) as (app, _):
        assert [note.title for note in app._notifications].count("Welcome") == 1
    async with running(house) as (again, _):
        assert "Welcome" not in [note.title for note in again._notifications]


async def test_what_arrived_is_drawn_as_a_library_while_more_is_carried(house):
    house.open().survey.take()
    async with running(house) as (app, pilot):
        await pilot.press("5")
        screen, game = app.screen, house.path("kestrel", "Games", "Ferrymoss")
        workspace = house.open()
        shift(workspace, game, "heron")
        assert screen.desk.snapshot.at_path(game).drive == "kestrel"  # before the next survey
        app.carry_job.run = CarryRun()  # its first library has arrived
        screen._look_at_drives()
        await settle(app, pilot)
        rows = {row.strips[0].drive.id: row.strips[0] for row in screen.query_one(DriveBoard)._rows}
        assert [library.name for library in rows["heron"].libraries] == ["Ferrymoss"]
