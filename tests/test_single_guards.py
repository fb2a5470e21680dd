"""Guards of one condition each, which nothing else needs to go right: what would go wrong without them."""

from __future__ import annotations

import errno
import os
import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import fill, put
from households import FAST, drive, library
from nuvik.core.carrying.aside_folders import held
from nuvik.core.carrying.renames import replace_link
from nuvik.core.carrying.run import release, resume, undo
from nuvik.core.carrying.waiting import skip
from nuvik.core.checks.check_step import check_step
from nuvik.core.checks.contents import check_contents
from nuvik.core.checks.findings import Findings
from nuvik.core.checks.marks import _Trial
from nuvik.core.checks.places import _why_not_mounted_for_you
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.remove_tree import change_mode, empty_folder
from nuvik.core.model.errors import DriveAway, Refused, Stopped
from nuvik.core.model.journal import State
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.limits import may_wait
from nuvik.core.planning.placement.solver import INFINITY, IntegerProgram
from nuvik.core.rehearsal.calibration_samples import as_step
from nuvik.core.survey.walk.take_inventory import take_inventory
from refusals import move_of, shift, stop_when, target_of

# -- releasing and removing --------------------------------------------------------------------------------


def test_a_link_in_the_place_of_a_moved_library_releases_nothing(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    target = target_of(world)
    os.rename(target, f"{target} elsewhere")
    os.symlink(f"{target} elsewhere", target)
    with pytest.raises((Refused, Stopped), match="is not at"):
        release(world.open().carry.work(), "1")
    assert (Path(held(move_of(world))) / "start.bin").exists()


def test_what_came_into_a_folder_since_it_was_looked_at_stays(tmp_path):
    folder = tmp_path / "held"
    fill(folder, files=3)
    known = take_inventory(LocalHost().files, str(folder)).entries
    (folder / "new.txt").write_text("new")
    with pytest.raises(OSError, match="not empty"):
        empty_folder(os.open(folder, os.O_RDONLY), str(folder.parent), FileOpHook(), {"held/x": known[""]})
    assert (folder / "new.txt").exists() and (folder / "file-0000.bin").exists()


def test_permissions_are_never_set_through_a_link(tmp_path):
    goal = put(tmp_path / "goal", mode=0o640)
    (tmp_path / "link").symlink_to(goal)
    with pytest.raises(OSError) as fault:
        change_mode(str(tmp_path / "link"), 0o777)
    assert fault.value.errno == errno.ELOOP and goal.stat().st_mode & 0o777 == 0o640


def test_what_takes_the_name_of_a_link_leaves_no_link_behind(tmp_path):
    content, link = tmp_path / "content", tmp_path / "link"
    content.mkdir()
    link.symlink_to("nowhere")
    replace_link(LocalHost().files, str(content), str(link))
    assert link.is_dir() and not link.is_symlink() and not os.path.lexists(content)


# -- going on and taking back ------------------------------------------------------------------------------


def test_a_library_that_vanished_while_it_was_copied_is_said_to_be_gone(world, ferry):
    stop_when(world, ferry, "create", "one.bin")
    shutil.rmtree(ferry)
    with pytest.raises(Stopped, match=r"is no longer at .*from where it was being copied"):
        resume(world.open().carry.work())


@pytest.mark.parametrize("gone", [True, False], ids=["original gone", "something else there"])
def test_without_its_target_a_move_is_given_up_only_while_the_original_is_untouched(world, ferry, gone):
    if gone:
        stop_when(world, ferry, "create", "one.bin")
        shutil.rmtree(ferry)
    else:
        shift(world.open(), ferry)
        ferry.unlink()
        ferry.mkdir()
    world.attach("heron", False)
    with pytest.raises((DriveAway, Refused, Stopped)):
        undo(world.open().carry.work(), "1")
    assert move_of(world).state not in (State.TAKING_BACK, State.UNDONE)


def test_a_move_that_begins_just_now_is_not_left_out(world, ferry, monkeypatch):
    shift(world.open(), ferry)
    workspace = world.open()
    work = workspace.carry.work()
    move = replace(work.journal.move(1), state=State.PLANNED)  # as it was when it was listed
    with pytest.raises(Refused):
        skip(work, move)
    assert move_of(world).state is State.RELEASED


# -- checks ------------------------------------------------------------------------------------------------


def test_nothing_is_looked_for_on_a_drive_that_is_away(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    undo(world.open().carry.work(), "1")
    step, workspace = as_step(move_of(world)), world.open()
    for away in ("heron", "kestrel"):
        world.attach(away, False)
        workspace = world.open()
        host, asked = workspace.computer.host, []
        host.files.exists = asked.append
        findings = check_step(host, workspace.drives.all(), step, workspace.computer.state_folder)
        assert findings.violations and not asked
        assert all("is away" in violation.problem for violation in findings.violations)


def test_what_is_not_yours_is_said_with_its_path(world, ferry, monkeypatch):
    shift(world.open(), ferry)
    workspace = world.open()
    heron = workspace.drives.find("heron")
    inventory = take_inventory(workspace.computer.host.files, str(target_of(world)))
    monkeypatch.setattr(os, "geteuid", lambda: 4711)
    findings = Findings(as_step(move_of(world)))
    check_contents(findings, inventory, heron.rules)
    assert any(f"{target_of(world)} belongs to another user" in each.problem for each in findings.violations)
    assert _why_not_mounted_for_you(heron) is None, "its file system knows owners"


def test_times_that_a_drive_keeps_are_not_refused(world, ferry):
    workspace = world.open()
    files, heron = workspace.computer.host.files, workspace.drives.find("heron")
    entries = list(take_inventory(files, str(ferry)).entries.values())
    with _Trial(files, heron) as trial:
        assert trial.refused_times(entries, step_ns=1) == []


# -- planning ----------------------------------------------------------------------------------------------


def test_where_a_library_may_wait_on_its_way():
    source, third = drive("source", **FAST), drive("third")
    tide = library("tide", "source")
    assert may_wait(tide, third, source, Wishes()) and not may_wait(tide, source, source, Wishes())
    assert not may_wait(tide, replace(third, attached=False), source, Wishes())
    assert not may_wait(tide, replace(third, portable=True), source, Wishes())
    assert not may_wait(tide, replace(third, read_only=True), source, Wishes())
    assert not may_wait(tide, third, source, Wishes(forbidden=frozenset([("tide", "third")])))
    sparse, plain = replace(tide, hole_bytes=9), replace(third, filesystem="exfat")
    assert may_wait(sparse, third, source, Wishes()) and not may_wait(sparse, plain, source, Wishes())


def test_what_is_left_out_of_a_program_is_worth_nothing():
    program = IntegerProgram()
    program.variable(-1.0)
    program.variable(-2.0)
    assert program.relaxed().bound == -3.0 and program.relaxed(without=[1]).bound == -1.0


def test_a_program_that_nothing_solves_has_no_bound(capfd):
    program = IntegerProgram()
    variable = program.variable(1.0)
    program.row([(variable, 1.0)], lower=2.0)
    relaxed = program.relaxed()
    assert relaxed.bound == -INFINITY and relaxed.prices == (0.0,) and relaxed.dear == (0.0,)
    assert capfd.readouterr() == ("", ""), "the solver says nothing of its own"
