"""A new kind of tether needs one class: the machine may die at any operation of it, and it is taken back in full."""

from __future__ import annotations

import os
from functools import partial

import pytest

from conftest import World, fill, leftovers, picture
from nuvik.core.carrying.aside_folders import held
from nuvik.core.carrying.renames import renamable
from nuvik.core.carrying.run import resume, undo
from nuvik.core.carrying.tethers import registry
from nuvik.core.carrying.tethers.base import (
    Tether,
    close_held_folder,
    flush_names,
    holds_original,
    open_held_folder,
    put_original_back,
)
from nuvik.core.carrying.work import Work
from nuvik.core.model.journal import Move
from nuvik.core.model.tether import TetherKind
from test_promise import assert_promise, die_after, shift


class NoteTether(Tether):
    """A text file beside the old place says where the library is now; programs are shown the new path."""

    def apply(self, work: Work, move: Move) -> None:
        if not holds_original(work.files, move):
            open_held_folder(work, move)
            with renamable(work.files, move.source):
                work.files.rename_to_free_name(move.source, held(move))
        work.files.write_small(note(move.source), move.target)
        flush_names(work, move)

    def undo(self, work: Work, move: Move) -> None:
        self.withdraw(work, move)
        put_original_back(work, move)
        close_held_folder(work, move)

    def withdraw(self, work: Work, move: Move) -> None:
        if work.files.exists(note(move.source)):
            work.files.remove(note(move.source))

    def leads_to(self, move: Move) -> str:
        return move.target


def note(path: str) -> str:
    return path + " moved.txt"


@pytest.mark.parametrize("on_trial", [False, True], ids=["released", "on trial"])
def test_a_tether_of_another_kind_survives_death_and_is_taken_back(tmp_path, monkeypatch, on_trial):
    monkeypatch.setitem(registry._TETHERS, TetherKind.LINK, NoteTether())
    life, died = 3, True
    while died:
        life += 7
        world = World(tmp_path / str(life), {"format": "nuvik-world/1", "name": "Test House", "time_scale": 0})
        world.folder.mkdir()
        world.drive("kestrel")
        world.drive("heron", medium="hdd")
        world.write()
        source, target = world.path("kestrel", "Games", "Ferry"), world.path("heron", "Games", "Ferry")
        fill(source, files=4)
        whole = picture(source)
        workspace = world.open()
        died = die_after(workspace, life, partial(shift, workspace, source, on_trial))
        again = world.open()
        if died and not again.logbook.midway():
            continue
        assert_promise(source, target, whole, again)
        if died:
            resume(again.carry.work())
        assert picture(target) == whole and not os.path.lexists(source)
        with open(note(source), encoding="utf-8") as file:
            assert file.read() == target
        undo(again.carry.work(), "last")
        assert picture(source) == whole and not os.path.lexists(note(source)) and not os.path.exists(target)
        assert not leftovers(world.folder)
    assert life > 60
