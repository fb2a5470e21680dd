"""By which paths the two ends of a move are reached now, and what is said where one cannot be."""

from __future__ import annotations

import errno
import json
import os
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import a_drive
from nuvik.core.carrying.aside_folders import held_folder
from nuvik.core.carrying.explain_oserror import stopped_by
from nuvik.core.carrying.mending.find_broken_settings import find_broken_settings
from nuvik.core.carrying.mending.seen_here import seen_by_journal, seen_by_sidecar
from nuvik.core.carrying.places import located, source_located
from nuvik.core.carrying.run import carry_plan, undo
from nuvik.core.carrying.sidecar import VolumeName, read_sidecar
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.anchors import Anchor
from nuvik.core.hosts.local import LocalHost
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import Move, State
from nuvik.core.model.tether import Tether, TetherKind, TetherRecord, TetherState
from nuvik.core.planning.drafting.make_plan import make_plan
from refusals import hook, move_of, shift, stop_when, target_of


@pytest.fixture
def moved(world, ferry) -> Move:
    shift(world.open(), ferry, on_trial=True)
    return move_of(world)


# -- on drives that are mounted somewhere ------------------------------------------------------------------


def test_an_end_is_reached_where_it_was_else_where_its_drive_shows_it(moved):
    move = replace(moved, source="/a/Games/Ferry", source_place="/Games/Ferry", source_drive="s")
    assert source_located(move, {"s": [Anchor("/b"), Anchor("/a")]}).source == "/a/Games/Ferry"
    elsewhere = source_located(move, {"s": [Anchor("/b")]})
    assert (elsewhere.source, elsewhere.was_source) == ("/b/Games/Ferry", ("/a/Games/Ferry",))
    assert source_located(move, {"s": [Anchor("/g", "/Games")]}).source == "/g/Ferry"
    with pytest.raises(Stopped, match="cannot be reached"):
        source_located(move, {"s": [Anchor("/p", "/Papers")]})


def test_an_end_whose_place_is_not_known_must_lie_on_its_drive(moved):
    move = replace(moved, source="/a/Games/Ferry", source_place="", source_drive="s")
    assert source_located(move, {"s": [Anchor("/a")], "o": [Anchor("/")]}).source_place == "/Games/Ferry"
    for anchors in ({"s": [Anchor("/b")]}, {"s": [Anchor("/a")], "o": [Anchor("/a/Games")]}):
        with pytest.raises(Stopped, match="is not on s, which is mounted at"):
            source_located(move, anchors)


def test_the_folders_made_for_a_move_move_with_its_drive(moved):
    move = replace(
        moved,
        source="/a/F",
        source_place="/F",
        source_drive="s",
        target="/t/Games/F",
        target_place="/Games/F",
        target_drive="t",
        made_folders=("/t/Games",),
    )
    there = located(move, {"s": [Anchor("/a")], "t": [Anchor("/u")]})
    assert (there.target, there.was_target, there.made_folders) == ("/u/Games/F", ("/t/Games/F",), ("/u/Games",))
    assert located(move, {"s": [Anchor("/a")], "t": [Anchor("/t")]}) == move


# -- what a sidecar says -----------------------------------------------------------------------------------


def test_what_a_sidecar_says_is_trusted_as_far_as_the_drives_bear_it_out(moved):
    sidecar = read_sidecar(LocalHost().files, held_folder(moved))
    assert sidecar is not None
    move = replace(sidecar.move, source_place="/Games/F", target_place="/Other/F", may_lose=True, undoes=7)
    sidecar = replace(
        sidecar,
        move=move,
        source_volume=VolumeName(identity="ext4:1", label="Source"),
        target_volume=VolumeName(identity="ext4:2", label="Target"),
    )
    source, target = a_drive(id="s", label="S", identity="ext4:1"), a_drive(id="t", label="T", identity="ext4:2")
    anchors = {"s": [Anchor("/s")], "t": [Anchor("/t")]}

    def seen(sidecar=sidecar, drives=(source, target), anchors=anchors):
        return seen_by_sidecar(sidecar, 5, "0123abcd", drives, anchors)

    both = seen()
    assert (both.move.source, both.move.target, both.source_is_here, both.target_is_here) == (
        "/s/Games/F",
        "/t/Other/F",
        True,
        True,
    )
    assert (both.move.token, both.move.first_id, both.move.undoes, both.move.may_lose) == ("0123abcd", 5, None, False)
    assert not seen(drives=(source,)).target_is_here and seen(drives=(source,)).target_label == "Target"
    assert not seen(anchors={"t": [Anchor("/t")]}).source_is_here, "it is not attached"
    assert not seen(drives=(replace(source, identity=""), target)).source_is_here
    assert not seen(anchors={**anchors, "s": [Anchor("/s", "/Papers")]}).source_is_here, "that part is not mounted"
    nameless = replace(sidecar, source_volume=VolumeName(identity="", label="Source"))
    assert not seen(nameless, (replace(source, identity=""), target)).source_is_here
    for place in ("Games/F", "/Games/\0F"):
        assert not seen(replace(sidecar, move=replace(move, source_place=place))).source_is_here
    assert seen(replace(sidecar, move=replace(move, source_place="/../../etc"))).move.source == "/s/etc"


def test_an_end_that_the_journal_knows_is_here_when_its_drive_is(world, moved):
    def here() -> tuple[bool, bool]:
        seen = seen_by_journal(world.open().carry.work(), moved)
        return seen.source_is_here, seen.target_is_here

    assert here() == (True, True)
    for drive, expected in (("kestrel", (False, True)), ("heron", (True, False))):
        world.attach(drive, False)
        assert here() == expected
        world.attach(drive)


# -- settings and faults -----------------------------------------------------------------------------------


def test_only_settings_of_what_still_lies_where_it_was_moved_are_broken(world, moved):
    work = world.open().carry.work()
    tether = Tether(kind=TetherKind.SETTING, file=world.path("gone.json"), key="path", format="json")
    record = TetherRecord(move=1, n=1, tether=tether, state=TetherState.OK, before=moved.source, after=moved.target)
    work.journal.keep_tether(record)

    def broken(*moves: Move) -> int:
        return len(list(find_broken_settings(work, moves)))

    assert broken(moved) == 1
    for state in (State.COPYING, State.UNDONE, State.PLANNED):
        assert broken(replace(moved, state=state)) == 0
    on = replace(moved, id=2, source=moved.target, target=world.path("wren", "Ferry"))
    assert broken(moved, on) == 0, "from there it was moved on"
    assert broken(moved, replace(on, state=State.UNDONE)) == 1
    assert broken(replace(moved, undoes=9)) == 0
    check = Tether(kind=TetherKind.CHECK, file="gone.bin")
    work.journal.keep_tether(replace(record, n=2, tether=check))
    setting, failed = find_broken_settings(work, [moved])
    assert setting.what.startswith("The setting that leads to Ferry") and failed.what.startswith("A check of Ferry")


def test_a_setting_leads_to_a_library_wherever_it_is(world, ferry):
    file = Path(world.path("wren", "titles.json"))
    file.write_text(json.dumps({"path": str(ferry), "other": 1}))
    workspace = world.open()
    plan = make_plan(workspace.plan.draft([(str(ferry), "heron")]))
    tether = Tether(kind=TetherKind.SETTING, file=str(file), key="path", format="json")
    plan = replace(plan, steps=(replace(plan.steps[0], tethers=(tether,)),))
    recorder = hook(workspace)
    carry_plan(workspace.carry.work(), plan, True)
    assert json.loads(file.read_text()) == {"path": str(target_of(world)), "other": 1}
    assert [operation for operation, path in recorder.done if path == str(file)] == ["rename", "flush"]
    undo(world.open().carry.work(), "1")
    assert json.loads(file.read_text()) == {"path": str(ferry), "other": 1}
    carry_plan(world.open().carry.work(), plan)
    undo(world.open().carry.work(), "last")
    assert json.loads(file.read_text()) == {"path": str(ferry), "other": 1} and ferry.is_dir()


def test_a_setting_that_changed_after_the_check_is_refused_before_anything_is_touched(world, ferry, monkeypatch):
    file = Path(world.path("wren", "titles.json"))
    file.write_text(json.dumps({"path": str(ferry)}))
    workspace = world.open()
    plan = make_plan(workspace.plan.draft([(str(ferry), "heron")]))
    tether = Tether(kind=TetherKind.SETTING, file=str(file), key="path", format="json")
    plan = replace(plan, steps=(replace(plan.steps[0], tethers=(tether,)),))
    monkeypatch.setattr(Work, "was_just_checked", lambda self, move: bool(file.write_text('{"path": "/elsewhere"}')))
    recorder = hook(workspace)
    with pytest.raises((Refused, Stopped)):
        carry_plan(workspace.carry.work(), plan)
    assert not [done for done in recorder.done if done[0] in ("create", "mkdir", "rename")]
    assert json.loads(file.read_text()) == {"path": "/elsewhere"} and not target_of(world).exists()


def test_a_move_whose_target_went_before_the_switch_is_given_up_without_it(world, ferry):
    stop_when(world, ferry, "create", "one.bin")
    world.attach("heron", False)
    undo(world.open().carry.work(), "1")
    move = move_of(world)
    assert move.state is State.UNDONE and "its copy is left on heron" in (move.problem or "") and ferry.is_dir()


@pytest.mark.parametrize("number", [errno.EACCES, errno.ENODEV, errno.EIO, errno.ENOSPC])
def test_a_fault_names_its_drive_and_its_path_once(world, moved, number):
    work = world.open().carry.work()
    path = os.path.join(moved.target, "start.bin")
    on_drive, nowhere = (str(stopped_by(work, moved, OSError(number, "x", where))) for where in (path, "/gone/x"))
    assert on_drive.count(path) == 1 and "Heron" in on_drive
    assert nowhere.count("/gone/x") <= 2 and "Heron" not in nowhere
    assert "()" not in on_drive + nowhere
