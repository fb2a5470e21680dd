"""Moves that wait are left out or carried next while others are carried; a whole plan is taken back; trials end."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import jsonschema
import pytest

from conftest import World, fill, leftovers, picture
from nuvik.core.carrying.run import carry_plan, release, resume, undo, undo_plan
from nuvik.core.hosts.desktop import kept_awake, show_notice
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import State
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.stages.workspace import Workspace
from refusals import hook, once
from screens import press, running, words
from test_documents import shipped, strict

NAMES = ("Anvil", "Beacon", "Comet", "Dune")


@pytest.fixture
def four(world: World) -> dict[str, Path]:
    return {name: fill(world.path("kestrel", "Games", name), files=4, seed=number) for number, name in enumerate(NAMES)}


def plan_of(workspace: Workspace, libraries: dict[str, Path]):
    return make_plan(workspace.plan.draft([(str(path), "heron") for path in libraries.values()]))


def test_the_queue_may_be_changed_while_it_is_carried(world, four):
    workspace, watching = world.open(), world.open()
    order: list[str] = []

    def meddle() -> None:
        with pytest.raises(Refused, match=r"Move 1 .* is not waiting: copying"):
            watching.carry.skip("1")
        watching.carry.carry_next("4")
        assert [move.id for move in watching.carry.skip("2")] == [2]

    hook(workspace, once(lambda operation, path: operation == "create" and "incoming" in path, meddle))
    work = workspace.carry.work(lambda event: order.append(event.library) if event.event == "step-started" else None)
    outcome = carry_plan(work, plan_of(workspace, four))
    assert order == ["Anvil", "Dune", "Comet"] and [move.id for move in outcome.moves] == [1, 3, 4]
    moves = world.open().logbook.moves()
    assert moves[1].left_out and four["Beacon"].is_dir() and not four["Beacon"].is_symlink()
    assert all(four[name].is_symlink() for name in ("Anvil", "Comet", "Dune")) and not leftovers(world.folder)


def test_what_waits_is_remembered_in_its_order_after_a_restart(world, four):
    workspace = world.open()
    work = workspace.carry.work()
    hook(workspace, once(lambda operation, path: operation == "create", work.stop.ask))
    with pytest.raises(Stopped):
        carry_plan(work, plan_of(workspace, four))
    again = world.open()
    again.carry.carry_next("3")
    again.carry.carry_next("4")
    assert [move.id for move in again.logbook.midway()] == [1, 4, 3, 2]
    order: list[str] = []
    resume(again.carry.work(lambda event: order.append(event.library) if event.event == "released" else None))
    assert order == ["Anvil", "Dune", "Comet", "Beacon"]


def test_a_whole_plan_is_taken_back_and_goes_on_after_a_stop(world, four):
    whole = {name: picture(path) for name, path in four.items()}
    workspace = world.open()
    carry_plan(workspace.carry.work(), plan_of(workspace, {"Anvil": four["Anvil"]}))
    carry_plan(workspace.carry.work(), plan_of(workspace, {name: four[name] for name in NAMES[1:]}), on_trial=True)
    release(workspace.carry.work(), "3")
    assert world.prints("undo", "plan").splitlines()[0] == f"Move 4: Dune goes back to {four['Dune']}."
    work = workspace.carry.work()
    hook(
        workspace, once(lambda operation, path: operation == "remove" and "incoming" in path, work.stop.ask_after_step)
    )
    with pytest.raises(Stopped, match="with 1 move taken back"):
        undo_plan(work)
    assert {move.id for move in undo_plan(world.open().carry.work()).moves} >= {2}
    assert {name: picture(path) for name, path in four.items() if name != "Anvil"} == {
        name: facts for name, facts in whole.items() if name != "Anvil"
    }
    assert four["Anvil"].is_symlink(), "the plan before is another one"
    undo_plan(world.open().carry.work())
    assert picture(four["Anvil"]) == whole["Anvil"] and not leftovers(world.folder)
    with pytest.raises(Refused, match="No move is left"):
        undo_plan(world.open().carry.work())


def test_trials_end_when_they_are_old_enough(world, four):
    workspace = world.open()
    carry_plan(workspace.carry.work(), plan_of(workspace, four), on_trial=True)
    journal = workspace.carry.work().journal
    journal.keep(replace(journal.move(2), ended_at="2020-01-01T00:00:00Z"))
    assert [move.id for move in release(workspace.carry.work(), "all", older_than_days=30).moves] == [2]
    with pytest.raises(Refused, match="No move is on trial for 30 days"):
        release(workspace.carry.work(), "all", older_than_days=30)
    assert journal.move(1).state is State.ON_TRIAL


def test_a_move_that_takes_another_one_on_is_left_out_with_it(world, four):
    workspace = world.open()
    journal = workspace.carry.work().journal
    moves = journal.begin_run(plan_of(workspace, four), "", False, [0.0] * 4)
    journal.keep(replace(moves[3], source=moves[1].target))
    with pytest.raises(Refused, match="has to wait: move 2"):
        workspace.carry.carry_next("4")
    assert [move.id for move in workspace.carry.skip("2")] == [2, 4]
    assert [move.id for move in workspace.logbook.midway()] == [1, 3]
    for command, numbers in (("next", [3]), ("skip", [1])):
        document = json.loads(world.prints(command, str(numbers[0]), "--json"))
        jsonschema.validate(document, strict(shipped("nuvik-queue/1")))
        assert [move["id"] for move in document["moves"]] == numbers


async def test_keys_leave_out_and_bring_forward(world, four):
    workspace = world.open()
    journal = workspace.carry.work().journal
    journal.begin_run(plan_of(workspace, four), "", False, [0.0] * 4)
    async with running(world, (140, 40)) as (app, pilot):
        await press(pilot, "5", "down", "k", "down", "n")
        assert [move.id for move in world.open().logbook.midway()] == [4, 1, 3]
        assert "unfinished" in words(app, "#headline")


@pytest.mark.skipif(sys.platform != "linux", reason="the programs of Linux desktops are stood in for")
def test_the_computer_stays_awake_and_is_let_go_even_after_a_kill(tmp_path, monkeypatch):
    log = tmp_path / "log"
    for program, rest in (
        ("systemd-inhibit", 'while [ "${1#--}" != "$1" ]; do shift; done; "$@"'),
        ("notify-send", ""),
    ):
        (tmp_path / program).write_text(f'#!/bin/sh\necho "{program} $*" >> {log}\n{rest}\necho ended >> {log}\n')
        (tmp_path / program).chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}:{os.environ['PATH']}")
    with kept_awake("moving 3 libraries"):
        _until(lambda: log.exists())
        assert "--what=sleep:idle --who=Nuvik --why=moving 3 libraries" in log.read_text()
        assert "ended" not in log.read_text()
    show_notice("Carrying has ended.")
    assert "notify-send --app-name=Nuvik Nuvik Carrying has ended." in log.read_text()
    log.unlink()
    code = "from nuvik.core.hosts.desktop import kept_awake\nimport time\nwith kept_awake('x'): time.sleep(60)"
    process = subprocess.Popen([sys.executable, "-c", code])
    _until(log.exists)
    process.kill()
    process.wait()
    _until(lambda: "ended" in log.read_text())


def test_without_such_programs_nothing_happens(monkeypatch, tmp_path):
    monkeypatch.setenv("PATH", str(tmp_path))
    with kept_awake("x"):
        pass
    show_notice("x")


def test_with_json_there_is_a_line_a_second(world):
    fill(world.path("kestrel", "Games", "Big"), files=3)
    with open(world.path("kestrel", "Games", "Big", "big.bin"), "wb") as file:
        file.truncate(40 * 10**6)
        file.write(os.urandom(30 * 10**6))
    workspace = world.open()
    plan = world.folder / "p.json"
    workspace.plan.write(plan_of(workspace, {"Big": Path(world.path("kestrel", "Games", "Big"))}), str(plan))
    lines = [json.loads(line) for line in world.prints("carry", str(plan), "--yes", "--json").splitlines()]
    progress = [line for line in lines if line["event"] == "progress" and line["done_bytes"] < line["total_bytes"]]
    assert len(progress) <= 6 and lines[-1]["event"] == "done"
    undo(world.open().carry.work(), "last")


def _until(happened, seconds: float = 10.0) -> None:
    until = time.monotonic() + seconds
    while not happened():
        assert time.monotonic() < until
        time.sleep(0.02)
