"""Nothing that the user decided is lost, and no screen leaves anybody stuck."""

from __future__ import annotations

import threading
import time

import pytest

from conftest import MB, fill, put
from nuvik.core.model.errors import Stopped, StopRequested
from nuvik.core.model.progress import Event, Stop
from nuvik.core.stages.plan import PlanStage
from nuvik.core.stages.rehearse import RehearseStage
from nuvik.tui.app import NuvikApp
from nuvik.tui.key_words import by_keys
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.widgets.drive_board import DriveBoard
from nuvik.tui.widgets.library_table import LibraryTable
from screens import press, running, settle, words


@pytest.fixture
def shelf(world):
    """Three games on the fast drive, and two drives with room."""
    for n, name in enumerate(("Kite", "Moor", "Loom"), start=1):
        put(fill(world.path("kestrel", "Games", name), seed=n) / "more.bin", n * 15 * MB)
    return world


async def put_down(app: NuvikApp, pilot, name: str, drive: str) -> None:
    """Move a library of the drive at the cursor in Plan, by keys."""
    table = app.screen.query_one(LibraryTable)
    table.focus()
    library = next(each for each in table.listed if each.name == name)
    table.point_at(library.id)
    await pilot.press("l")
    board = app.screen.query_one(DriveBoard)
    board.point_at(drive)
    await pilot.press("enter")
    board.point_at(library.drive)
    await pilot.pause()


async def test_a_draft_and_its_history_outlive_pins_surveys_drives_and_the_program(shelf):
    async with running(shelf) as (app, pilot):
        await pilot.press("3")
        app.screen.query_one(DriveBoard).point_at("kestrel")
        await put_down(app, pilot, "Loom", "heron")
        await put_down(app, pilot, "Moor", "wren")
        places = dict(app.desk.draft.places)
        assert len(places) == 2 and app.desk.position == 2
        # A pin, a survey, a drive that was measured.
        table = app.screen.query_one(LibraryTable)
        table.point_at(next(each.id for each in table.listed if each.name == "Kite"))
        await press(pilot, "k", "1", "r")
        app.desk.take_drives(app.desk.workspace.drives.all())
        assert dict(app.desk.draft.places) == places
        await pilot.press("3", "u")
        assert len(app.desk.draft.places) == 1
        await pilot.press("U")
        assert dict(app.desk.draft.places) == places
        # A drive goes away: its move waits, is said to, and comes back with it.
        shelf.attach("wren", False)
        app.desk.take_drives(app.desk.workspace.drives.all())
        app.refresh_stage()
        assert list(app.desk.draft.suspended.values()) == ["wren"] and len(app.desk.draft.places) == 1
        assert "1 move waits for Wren" in words(app, "#totals")
        await press(pilot, "4")
        assert words(app, "#headline").startswith("Fits. 1 move") and "waits for Wren" in words(app, "#verdict")
        await pilot.press("q")
    # At the next start it is there, and so is what waits.
    async with running(shelf) as (again, pilot):
        assert any("Your plan of 2 moves" in note.message for note in again._notifications)
        assert len(again.desk.draft.places) == 1 and len(again.desk.draft.suspended) == 1
        shelf.attach("wren")
        again.desk.take_drives(again.desk.workspace.drives.all())
        assert dict(again.desk.draft.places) == places
        again.draft_keeper.look()
        await settle(again, pilot)
        await pilot.press("3", "u")
        assert not again.desk.draft.places, "as before it was planned"
        await pilot.press("q")
    async with running(shelf) as (last, pilot):
        assert not last.desk.draft.places


async def test_leaving_while_something_is_carried_waits_for_a_safe_point(shelf):
    app, safe = NuvikApp(shelf.open), threading.Event()

    def act(report, stop):
        safe.wait(20)
        stop.check()

    async with app.run_test(size=(159, 47)) as pilot:
        await settle(app, pilot)
        app.carry_job.begin(act)
        await pilot.press("q", "escape")
        assert not app.carry_job.run.stop.asked
        await pilot.press("q", "y")
        assert app.carry_job.run.stop.asked and app.carry_job.is_running and app.is_running
        safe.set()
        for _ in range(100):
            await pilot.pause(0.05)
            if not app.is_running:
                break
        assert not app.is_running and not app.carry_job.is_running


def hold_checks(monkeypatch) -> threading.Event:
    """Looking at the steps of a plan waits for this event."""
    let_go, check = threading.Event(), RehearseStage.check

    def slow(self, *arguments, **named):
        assert let_go.wait(20)
        return check(self, *arguments, **named)

    monkeypatch.setattr(RehearseStage, "check", slow)
    return let_go


async def test_a_survey_that_ends_meanwhile_loses_no_wish_to_carry(shelf, monkeypatch):
    """However the key and the end of a survey meet: the user is asked, and what was agreed to is carried."""
    let_go = hold_checks(monkeypatch)
    async with running(shelf) as (app, pilot):
        await pilot.press("3")
        app.screen.query_one(DriveBoard).point_at("kestrel")
        await put_down(app, pilot, "Loom", "heron")
        await pilot.press("4", "c")  # while the steps are still being looked at
        assert any("still being looked at" in note.message for note in app._notifications)
        let_go.set()
        await settle(app, pilot)
        assert isinstance(app.screen, Confirm)
        await pilot.press("escape", "c")
        app.desk.take_snapshot(app.desk.snapshot)  # after the key, before the answer
        app.refresh_stage()
        await settle(app, pilot)
        assert isinstance(app.screen, Confirm)
        app.desk.take_snapshot(app.desk.snapshot)  # while the question stands there
        app.refresh_stage()
        await press(pilot, "enter")
        assert [move.library for move in app.desk.workspace.logbook.moves()] == ["Loom"]


async def test_who_leaves_rehearse_is_not_asked_to_carry_later(shelf, monkeypatch):
    let_go = hold_checks(monkeypatch)
    async with running(shelf) as (app, pilot):
        await pilot.press("3")
        app.screen.query_one(DriveBoard).point_at("kestrel")
        await put_down(app, pilot, "Loom", "heron")
        await pilot.press("4", "c", "1", "4")  # away, and back before the steps were looked at
        let_go.set()
        await settle(app, pilot)
        assert app.desk.checked is not None and not isinstance(app.screen, Confirm)
        await press(pilot, "c")
        assert isinstance(app.screen, Confirm)


async def test_what_is_half_done_and_on_trial_comes_first(shelf):
    workspace = shelf.open()
    plan = workspace.plan.make(workspace.plan.draft([(shelf.path("kestrel", "Games", "Kite"), "heron")]))
    workspace.carry.carry(plan, True)
    stop = Stop()

    def halt(event: Event) -> None:
        stop.ask()

    more = workspace.plan.make(workspace.plan.draft([(shelf.path("kestrel", "Games", "Loom"), "heron")]))
    with pytest.raises(Exception) as halted:
        workspace.carry.carry(more, True, halt, stop)
    assert not isinstance(halted.value, StopRequested)
    async with running(shelf) as (app, pilot):
        assert words(app, "#headline").startswith("Loom is half done: ") and "(5)" in words(app, "#headline")
        await press(pilot, "5", "g")
        assert "1 library on trial (2 altogether)" in words(app, "#headline")
        await press(pilot, "1")
        assert words(app, "#headline").startswith("2 libraries are on trial: ") and "(6)" in words(app, "#headline")


async def test_long_work_says_how_long_it_goes_on_and_esc_stops_it(shelf, monkeypatch):
    go_on = threading.Event()
    recommend, check = PlanStage.recommend, RehearseStage.check

    def slowly(stage, *asked):
        go_on.wait(20)
        return recommend(stage, *asked)

    def step_by_step(stage, plan, on_trial=False, stop=None, report=None):
        report(1, 7)
        for _ in range(200):
            stop.check()
            time.sleep(0.1)
        return check(stage, plan, on_trial, stop, report)

    monkeypatch.setattr(PlanStage, "recommend", slowly)
    async with running(shelf) as (app, pilot):
        await pilot.press("3", "a")
        await pilot.pause(1.3)
        says = words(app, "#headline")
        assert says.startswith("Looking for the best placement … ") and says.endswith("Esc stops.")
        await pilot.press("escape")
        assert "Looking" not in words(app, "#headline") and not app.screen.is_waiting
        go_on.set()
        await settle(app, pilot)
        assert app.screen.STAGE == "plan" and not app.desk.draft.places, "nobody hears of it"
        app.screen.query_one(DriveBoard).point_at("kestrel")
        await put_down(app, pilot, "Loom", "heron")
        monkeypatch.setattr(RehearseStage, "check", step_by_step)
        await pilot.press("n")
        await pilot.pause(1.3)
        assert words(app, "#headline").startswith("Looking at step 1 of 7 … ")
        await press(pilot, "escape")
        assert app.screen.STAGE == "plan" and app.desk.draft.places
        monkeypatch.setattr(RehearseStage, "check", check)
        await press(pilot, "n")
        assert words(app, "#headline").startswith("Fits. 1 move")


def test_messages_on_screens_name_keys():
    for command_words, key_words in (
        ("Then run “nuvik resume”, or “nuvik undo 7”.", "Then press g in Carry (5), or u in Logbook (6)."),
        ("Run “nuvik mend” again.", "Press m in Logbook (6) again."),
        ("“nuvik drives” lists them.", "Survey (1) lists them."),
        ("Choose it: “nuvik tether Sky --find”.", "Choose it: f in Plan (3)."),
        ("1 move more (--every-move).", "1 move more (A asks for every move)."),
        ("“nuvik release 3 --even-if-changed” lets it go", "“nuvik release 3 --even-if-changed” lets it go"),
        ("Nothing to see.", "Nothing to see."),
    ):
        assert by_keys(command_words) == key_words


async def test_moves_that_only_wait_are_not_called_half_done(shelf):
    workspace, stop = shelf.open(), Stop()
    pairs = [(shelf.path("kestrel", "Games", name), "heron") for name in ("Kite", "Moor", "Loom")]
    plan = workspace.plan.make(workspace.plan.draft(pairs))
    with pytest.raises(Stopped):
        workspace.carry.carry(plan, False, lambda event: stop.ask_after_step(), stop)
    async with running(shelf) as (app, _):
        assert words(app, "#headline").startswith("2 moves wait for you to go on: g in Carry (5).")
