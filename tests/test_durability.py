"""Whatever changed on a drive is on its medium before the journal says what follows from it."""

from __future__ import annotations

import os

import pytest

from conftest import fill, put
from nuvik.core.carrying.aside_folders import held_folder
from nuvik.core.carrying.run import release, undo
from nuvik.core.carrying.tethers.registry import tether_of
from nuvik.core.hosts import syscalls
from nuvik.core.hosts.base import drive_holding
from nuvik.core.model.emptied import Emptied
from nuvik.core.model.journal import State
from nuvik.core.stages.workspace import Workspace
from nuvik.core.store.emptied import EmptiedFolders
from nuvik.core.store.journal import Journal
from refusals import Recorder, hook, shift

_RENAMING = {"mkdir", "rename", "symlink", "link", "remove", "create"}


def watched(workspace: Workspace, monkeypatch: pytest.MonkeyPatch) -> Recorder:
    """A record of what is done to files, with every state that the journal writes in between."""
    recorder = hook(workspace)
    for way in ("keep", "begin"):
        plain = getattr(Journal, way)

        def kept(journal, *moves, plain=plain):
            recorder.done += [("state", move.state) for move in moves]
            return plain(journal, *moves)

        monkeypatch.setattr(Journal, way, kept)
    return recorder


def not_durable(workspace: Workspace, done: list[tuple[str, str]], lacks: str) -> list[tuple[str, str]]:
    """Each change of a name that was not flushed, neither its folder nor its whole drive, before the next state."""
    drives = workspace.computer.host.drives()
    waiting: dict[str, str] = {}
    late = []
    for operation, path in done:
        if operation in _RENAMING:
            # What is removed with its folder needs no flush of its own.
            waiting[os.path.dirname(path)] = operation
            waiting = waiting if operation != "remove" else {f: o for f, o in waiting.items() if f != path}
        elif operation in ("flush", "flush-volume"):
            drive = drive_holding(drives, path)
            whole = operation == "flush-volume" and lacks != "sync_volume"
            waiting = {
                folder: change
                for folder, change in waiting.items()
                if folder != path and not (whole and drive_holding(drives, folder) is drive)
            }
        elif operation == "state":
            late += [(f"{change} in {folder}", path) for folder, change in waiting.items()]
            waiting = {}
    return late


@pytest.mark.parametrize("lacks", ["nothing", "exchange", "sync_volume"])
def test_every_change_of_a_name_is_durable_before_the_next_state(world, ferry, monkeypatch, lacks):
    """Also on systems that cannot exchange names, or cannot flush a whole volume."""
    if lacks != "nothing":
        monkeypatch.setattr(syscalls, lacks, lambda *_: False)
    workspace = world.open()
    recorder = watched(workspace, monkeypatch)
    shift(workspace, ferry)
    undo(workspace.carry.work(), "last")
    shift(workspace, ferry, on_trial=True)
    undo(workspace.carry.work(), "last")
    shift(workspace, ferry, on_trial=True)
    release(workspace.carry.work(), "all")
    states = {state for operation, state in recorder.done if operation == "state"}
    assert states >= set(State) - {State.PLANNED}
    assert not_durable(workspace, recorder.done, lacks) == []


def test_an_original_that_goes_back_is_durable_though_something_lies_beside_it(world, ferry, monkeypatch):
    shift(world.open(), ferry, on_trial=True)
    put(os.path.join(held_folder(world.open().logbook.move(1)), "mine.txt"))
    workspace = world.open()
    recorder = watched(workspace, monkeypatch)
    undo(workspace.carry.work(), "1")
    assert ferry.is_dir() and not ferry.is_symlink()
    assert not_durable(workspace, recorder.done, "nothing") == []


def test_a_copy_that_gets_its_name_is_durable_though_something_lies_beside_it(world, ferry, monkeypatch):
    workspace = world.open()
    recorder = watched(workspace, monkeypatch)

    def beside(operation: str, path: str) -> None:
        if operation == "rename" and "incoming" in path:
            put(os.path.join(os.path.dirname(path), "mine.txt"))

    recorder.act = beside
    shift(workspace, ferry, on_trial=True)
    assert world.open().logbook.move(1).state is State.ON_TRIAL
    assert not_durable(workspace, recorder.done, "nothing") == []


def test_a_link_that_is_made_again_is_durable(world, ferry):
    shift(world.open(), ferry)
    ferry.unlink()
    workspace = world.open()
    work, recorder = workspace.carry.work(), hook(workspace)
    move = work.settle(work.journal.move(1))
    assert tether_of(move).repair(work, move) and not tether_of(move).repair(work, move)
    work.let_go()
    made = [operation for operation, path in recorder.done if path in (str(ferry), str(ferry.parent))]
    assert made == ["symlink", "flush"]


def test_every_change_of_a_name_is_durable_before_the_next_state_of_an_emptied_folder(world, monkeypatch):
    path = fill(world.path("kestrel", "Vane cache"), files=4)
    (path / "CACHEDIR.TAG").write_text("Signature: 8a477f597d28d172789f06886806bc55\n")
    workspace = world.surveyed()
    recorder, plain = hook(workspace), EmptiedFolders.keep

    def kept(folders: EmptiedFolders, emptied: Emptied) -> Emptied:
        recorder.done.append(("state", str(emptied.state)))
        return plain(folders, emptied)

    monkeypatch.setattr(EmptiedFolders, "keep", kept)
    stage = workspace.emptying
    stage.set_aside(stage.find(str(path)))
    stage.put_back(1)
    stage.set_aside(stage.find(str(path)))
    stage.release(2)
    states = [state for operation, state in recorder.done if operation == "state"]
    assert states == ["aside", "putting-back", "back", "aside", "releasing", "gone"]
    assert not_durable(workspace, recorder.done, "nothing") == []
