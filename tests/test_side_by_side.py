"""Moves that share no disk are carried at the same time, as rehearsed, when the user wants that."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from threading import Barrier

import pytest

from conftest import World, fill, leftovers, picture
from households import drive, step
from nuvik.core.carrying.run import carry_plan, resume, undo_plan
from nuvik.core.model.errors import Stopped
from nuvik.core.model.journal import State
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.side_by_side import needs_of, step_beside
from refusals import hook
from screens import press, running, settle, words

WAYS = (("Anvil", "kestrel", "heron"), ("Beacon", "kestrel", "heron"), ("Comet", "wren", "tern"))
"""The first two share both disks; the third shares none with them."""


@pytest.fixture
def three(world: World) -> dict[str, Path]:
    world.drive("tern", medium="hdd", small_reads_per_s=90)
    world.write()
    return {
        name: fill(world.path(drive, "Games", name), files=4, seed=number)
        for number, (name, drive, _) in enumerate(WAYS)
    }


def plan_of(workspace, three, side_by_side=True):
    goals = [(str(three[name]), goal) for name, _, goal in WAYS]
    return replace(make_plan(workspace.plan.draft(goals)), side_by_side=side_by_side)


class Meeting:
    """Holds each of these moves up at its first new file until all have come there: they can only meet side by side."""

    def __init__(self, *numbers: int, then: Callable[[], None] = lambda: None) -> None:
        self.barrier, self.coming, self.then = Barrier(len(numbers)), set(numbers), then
        self.met = False

    def __call__(self, operation: str, path: str) -> None:
        number = next((number for number in self.coming if f"-incoming-{number}-" in path), None)
        if operation == "create" and number is not None:
            self.coming.remove(number)
            self.barrier.wait(timeout=20)
            self.met = True
            self.then()


def carry(workspace, plan, act, on_trial=False):
    events: list[tuple[str, str]] = []
    hook(workspace, act)
    work = workspace.carry.work(lambda event: events.append((event.event, event.library)))
    return work, events, lambda: carry_plan(work, plan, on_trial)


def test_moves_that_share_no_disk_meet_and_others_wait(world, three):
    whole = {name: picture(path) for name, path in three.items()}
    workspace = world.open()
    together = Meeting(1, 3)
    _, events, go = carry(workspace, plan_of(workspace, three), together)
    assert {move.state for move in go().moves} == {State.RELEASED} and together.met
    order = [(event, library) for event, library in events if event in ("step-started", "released")]
    assert order.index(("step-started", "Comet")) < order.index(("released", "Anvil"))
    assert order.index(("released", "Anvil")) < order.index(("step-started", "Beacon")), "they share their disks"
    undo_plan(world.open().carry.work())
    assert {name: picture(path) for name, path in three.items()} == whole and not leftovers(world.folder)


def test_when_a_move_fails_the_other_is_carried_to_its_end(world, three):
    workspace = world.open()
    together = Meeting(1, 3)

    def act(operation: str, path: str) -> None:
        together(operation, path)
        if together.met and operation == "write" and "-incoming-3-" in path:
            raise OSError(5, "Input/output error", path)

    _, events, go = carry(workspace, plan_of(workspace, three), act)
    with pytest.raises(Stopped, match="Tern could not be read or written"):
        go()
    states = {move.library: move.state for move in workspace.logbook.moves()}
    assert states == {"Anvil": State.RELEASED, "Beacon": State.PLANNED, "Comet": State.COPYING}
    assert [library for event, library in events if event == "stopped"] == ["Comet"]
    assert "could not be read" in (workspace.logbook.moves()[2].problem or "")
    assert {move.state for move in resume(world.open().carry.work()).moves} == {State.RELEASED}


@pytest.mark.parametrize("back", [False, True])
def test_a_stop_stops_both_and_both_go_on_side_by_side_or_back(world, three, back):
    whole = {name: picture(path) for name, path in three.items()}
    workspace = world.open()
    work = workspace.carry.work()
    together = Meeting(1, 3, then=work.stop.ask)
    hook(workspace, together)
    with pytest.raises(Stopped, match="Stopped as asked"):
        carry_plan(work, plan_of(workspace, three))
    problems = [move.problem or "" for move in workspace.logbook.moves()]
    assert "copying" in problems[0] and not problems[1] and "copying" in problems[2]
    if back:
        undo_plan(world.open().carry.work())
        assert {name: picture(path) for name, path in three.items()} == whole and not leftovers(world.folder)
        return
    again = world.open()
    hook(again, onwards := Meeting(1, 3))
    assert {move.state for move in resume(again.carry.work()).moves} == {State.RELEASED} and onwards.met
    assert not leftovers(world.folder)


def test_a_stop_while_looking_is_no_fault(world, three):
    workspace = world.open()
    work = workspace.carry.work()
    work.stop.ask()
    with pytest.raises(Stopped, match="while looking"):
        carry_plan(work, plan_of(workspace, three))
    assert not workspace.logbook.moves()


async def test_b_rehearses_and_carries_side_by_side(world, three):
    workspace = world.open()
    path = world.path("kestrel", "trip.nuvik-plan.json")
    workspace.plan.write(plan_of(workspace, three, side_by_side=False), path)
    assert world.run("rehearse", path, "--side-by-side") == 0
    async with running(world, (140, 45)) as (app, pilot):
        await pilot.press("4")
        app.desk.edit(app.desk.workspace.plan.draft([(str(three[name]), goal) for name, _, goal in WAYS]))
        app.screen.refresh_stage()
        await settle(app, pilot)
        alone = app.desk.timeline.total_s
        await press(pilot, "b")
        assert app.desk.timeline.total_s < alone and "go side by side (b)" in words(app, "#consequence")


def test_a_plan_that_cannot_be_read_any_more_holds_up_no_resume(world, three):
    workspace = world.open()
    work = workspace.carry.work()
    hook(workspace, Meeting(1, 3, then=work.stop.ask))
    with pytest.raises(Stopped):
        carry_plan(work, plan_of(workspace, three))
    for document in ("{", "[]", '{"steps": 7}'):
        with workspace.computer.database.connect() as connection:
            connection.execute("UPDATE runs SET plan = ?", (document,))
        assert work.journal.plan_of(1) is None
    assert {move.state for move in resume(world.open().carry.work()).moves} == {State.RELEASED}


def test_what_may_begin_beside_others():
    drives = {name: drive(name) for name in ("a", "b", "c", "d", "e", "f")}
    spare = dict.fromkeys(drives, 10)

    def beside(running, *waiting):
        needs = needs_of([*running, *waiting])
        begins = step_beside(waiting, running, drives, needs, lambda each: each.bytes, spare)
        return begins and begins.n

    first = step(1, "a", "b", "Kite")
    assert beside([first], step(2, "c", "d", "Loom")) == 2
    assert beside([first], step(2, "b", "d", "Loom")) is None, "one disk"
    assert beside([first], step(2, "c", "d", "Loom", 11)) is None, "no room"
    assert beside([first], step(2, "a", "d", "Loom", 6), step(3, "c", "d", "Moth", 6)) is None, "its room is wanted"
    brings, takes_on = step(2, "b", "c", "Loom"), step(3, "c", "d", "Loom")
    assert beside([first], brings, takes_on) is None, "it is not there yet"
