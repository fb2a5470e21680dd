"""Every refusal and guard of releasing, taking back, proving and checking; quick ones."""

from __future__ import annotations

import os
import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import MB, World, leftovers, picture
from nuvik.core.carrying.aside_folders import held, incoming
from nuvik.core.carrying.proof import prove_copy
from nuvik.core.carrying.run import carry_plan, release, resume, undo
from nuvik.core.checks.check_step import check_step
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import Move, State
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.calibration_samples import as_step
from refusals import hook, move_of, once, refused_below, shift, stop_when, target_of

# -- releasing and taking back -----------------------------------------------------------------------------


@pytest.mark.parametrize("harm", ["ctime", "folder", "pipe", "unreadable"])
def test_an_original_that_was_touched_is_not_released(world, ferry, harm, monkeypatch):
    shift(world.open(), ferry, on_trial=True)
    original = Path(held(move_of(world)))
    file = original / "data" / "one.bin"
    if harm == "ctime":  # as a program writes that sets the time back
        stamp = file.stat()
        file.write_bytes(b"7" * 5_000)
        os.utime(file, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    elif harm == "folder":
        shutil.rmtree(original / "data")
        (original / "data").write_text("no folder any more")
    elif harm == "pipe":
        os.mkfifo(original / "pipe")
    workspace = world.open()
    if harm == "unreadable":
        monkeypatch.setattr(workspace.computer.host.files, "entries_in", refused_below(workspace, original / "data"))
    with pytest.raises(Refused, match=r"was changed since it was moved|is a named pipe|cannot be inspected"):
        release(workspace.carry.work(), "1")
    assert original.exists()


@pytest.mark.parametrize("harm", ["none", "content", "kind", "new"])
def test_a_copy_that_others_changed_is_not_given_up(world, ferry, harm):
    """It had its final name for a while; then the move was taken back."""
    shift(world.open(), ferry, on_trial=True)
    workspace = world.open()
    move = move_of(world)
    copy, file = target_of(world), target_of(world) / "data" / "one.bin"
    stamp = file.stat()
    if harm == "content":
        file.write_bytes(b"shorter")
        os.utime(file, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    elif harm == "kind":
        shutil.rmtree(copy / "data")
        (copy / "data").write_text("no folder any more")
    elif harm == "new":
        (copy / "new.bin").write_bytes(b"")
    workspace.carry.work().journal.keep(replace(move, state=State.TAKING_BACK))
    if harm == "none":
        resume(world.open().carry.work())
        assert not leftovers(world.folder) and not copy.exists()
        return
    with pytest.raises(Stopped, match=r"was changed there|is new there"):
        resume(world.open().carry.work())
    assert copy.exists() and move_of(world).state is State.ON_TRIAL


def test_a_copy_that_is_gone_already_is_given_up(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    undo(world.open().carry.work(), "1")
    work = world.open().carry.work()
    work.journal.keep(replace(move_of(world), state=State.DISCARDING, visible=True))
    resume(world.open().carry.work())
    assert move_of(world).state is State.UNDONE and not leftovers(world.folder)


@pytest.mark.parametrize("harm", ["older", "link gone"])
def test_a_moved_library_that_is_less_than_its_original_releases_nothing(world, ferry, harm):
    (ferry / "link").symlink_to("start.bin")
    shift(world.open(), ferry, on_trial=True)
    file = target_of(world) / "data" / "one.bin"
    if harm == "older":
        file.write_bytes(b"old")
        os.utime(file, ns=(1, 1))
    else:
        (target_of(world) / "link").unlink()
    with pytest.raises(Refused, match=r"a different size|something else|is missing"):
        release(world.open().carry.work(), "all")


def test_what_is_no_move_on_trial_cannot_be_released(world, ferry):
    with pytest.raises(Refused, match="No move is on trial"):
        release(world.open().carry.work(), "all")
    shift(world.open(), ferry)
    for wanted, why in (("1", "not on trial"), ("7", "no move 7"), ("x", "is not a move"), ("9" * 30, "is not a move")):
        with pytest.raises(Refused, match=why):
            release(world.open().carry.work(), wanted)
    undo(world.open().carry.work(), "1")
    for wanted, why in (
        ("2", "cannot be taken back itself"),
        ("1", "already been taken back"),
        ("last", "no move to take"),
    ):
        with pytest.raises(Refused, match=why):
            undo(world.open().carry.work(), wanted)
    shift(world.open(), ferry, on_trial=True, drive="wren")
    world.attach("wren", False)
    with pytest.raises(Refused, match="is not visible at"):
        release(world.open().carry.work(), "3")
    world.data["drive"][0]["attached"] = False
    world.data["drive"][0]["portable"] = True
    world.write()
    with pytest.raises(Refused, match="is away"):
        undo(world.open().carry.work(), "3")


def test_new_work_waits_until_what_is_midway_is_decided(world, ferry):
    move = stop_when(world, ferry, "create", "two.bin")
    with pytest.raises(Refused, match="Run “nuvik resume”"):
        shift(world.open(), ferry, drive="wren")
    undo(world.open().carry.work(), str(move.id))
    with pytest.raises(Refused, match="Nothing is unfinished"):
        resume(world.open().carry.work())
    assert not leftovers(world.folder)


@pytest.mark.parametrize("state", [State.PUBLISHED, State.RELEASING, State.TAKING_BACK])
def test_a_path_on_an_away_drive_is_never_taken_for_removed(world, ferry, state):
    shift(world.open(), ferry, on_trial=True, drive="wren")
    workspace = world.open()
    workspace.carry.work().journal.keep(replace(move_of(world), state=state))
    before = picture(held(move_of(world)))
    world.attach("wren", False)
    with pytest.raises(Stopped, match="Wren is away"):
        resume(world.open().carry.work())
    assert picture(held(move_of(world))) == before


def test_taking_back_what_went_on_or_vanished_is_refused(world, ferry):
    shift(world.open(), ferry)
    target = target_of(world)
    shift(world.open(), target, drive="wren")
    with pytest.raises(Refused, match="moved on from"):
        undo(world.open().carry.work(), "1")
    undo(world.open().carry.work(), "2")
    os.rename(target, f"{target} elsewhere")
    with pytest.raises(Refused, match="no longer at"):
        undo(world.open().carry.work(), "1")
    os.rename(f"{target} elsewhere", target)
    os.rename(ferry.parent, f"{ferry.parent} real")
    os.symlink(f"{ferry.parent} real", ferry.parent)
    with pytest.raises(Refused, match="itself been moved since"):
        undo(world.open().carry.work(), "1")


@pytest.mark.parametrize("on_trial", [False, True], ids=["released", "on trial"])
def test_programs_at_work_in_it_keep_a_library_where_it_is(world, ferry, monkeypatch, on_trial):
    shift(world.open(), ferry, on_trial=on_trial)
    workspace = world.open()
    monkeypatch.setattr(workspace.computer.host, "used_by", lambda path: ("viewer (process 7)",))
    with pytest.raises(Refused, match="in use by viewer"):
        undo(workspace.carry.work(), "1")


# -- proving and checking ----------------------------------------------------------------------------------


def test_a_file_that_comes_back_wrong_is_not_proven(world, ferry):
    move = stop_when(world, ferry, "rename", "Ferry")
    work = world.open().carry.work()
    entries = {path: entry._replace(proven=False) for path, entry in work.journal.entries(move).items()}
    work.journal.keep_entries(move, entries.values())
    with open(os.path.join(incoming(move), "data", "one.bin"), "r+b") as file:
        file.write(b"?")
    assert list(prove_copy(work, move)) == ["data/one.bin"]
    known = work.journal.entries(move)
    assert "data/one.bin" not in known and known["data/two.bin"].proven


def test_room_is_looked_for_again_right_before_a_move_begins(world, ferry):
    """The first move of a plan went, then something else filled the drive."""
    other = Path(world.path("kestrel", "Games", "Second"))
    other.mkdir()
    (other / "big.bin").write_bytes(b"x" * MB)
    workspace = world.open()
    plan = make_plan(workspace.plan.draft([(str(ferry), "heron"), (str(other), "heron")]))
    free = workspace.drives.find("heron").free_bytes

    def fill_up() -> None:
        with open(world.path("heron", "ballast"), "wb") as file:
            file.truncate(free - 200_000)

    hook(workspace, once(lambda operation, path: operation == "remove", fill_up))
    with pytest.raises(Stopped, match="Second needs"):
        carry_plan(workspace.carry.work(), plan)
    assert (other / "big.bin").exists() and ferry.is_symlink()


def refusals(world: World, move: Move, **changes: object) -> str:
    workspace = world.open()
    step = replace(as_step(move), **changes)
    checked = check_step(workspace.computer.host, workspace.drives.all(), step, workspace.computer.state_folder)
    return " ".join(violation.problem for violation in checked.violations)


def test_each_check_refuses_by_name(world, ferry):
    """One plan's step at a time, as a file may name it."""
    shift(world.open(), ferry, on_trial=True)
    undo(world.open().carry.work(), "1")
    move = move_of(world)
    assert refusals(world, move) == ""
    assert "There is no drive owl" in refusals(world, move, to_drive="owl")
    assert "already on heron" in refusals(world, move, to_drive="heron", from_drive="heron").lower()
    assert "not on wren" in refusals(world, move, to_drive="wren")
    assert "on no drive" in refusals(world, move, target_path="/nowhere/Ferry")
    assert "There is nothing at" in refusals(world, move, path=f"{ferry} gone")
    assert "changed since the plan was made" in refusals(world, move, bytes=1)
    assert "changed since the plan was made" in refusals(world, move, files=1)
    os.link(ferry / "start.bin", ferry.parent / "outside.bin")
    assert "second name (hard link) outside" in refusals(world, move)
    (ferry.parent / "outside.bin").unlink()
    (ferry / "film.part").write_bytes(b"")
    assert "looks like an unfinished download" in refusals(world, move, files=4)
    (ferry / "film.part").unlink()
    (ferry / "film.part").mkdir()
    assert "unfinished download" not in str(refusals(world, move, files=4)), "a folder of that name is no download"
    (ferry / "film.part").rmdir()
    os.mkfifo(ferry / "pipe")
    assert "is a named pipe" in refusals(world, move)
    (ferry / "pipe").unlink()
    target = target_of(world)
    target.parent.mkdir(exist_ok=True)
    target.write_text("taken")
    assert "There is already something at" in refusals(world, move)
    target.unlink()
    target.parent.rmdir()
    target.parent.symlink_to(world.path("wren"))
    assert "not an ordinary folder" in refusals(world, move)
    target.parent.unlink()
    (ferry / ".nuvik-held-9-x").mkdir()
    assert "being kept for another move" in refusals(world, move)
    (ferry / ".nuvik-held-9-x").rmdir()
    world.data["drive"][1]["read_only"] = True
    world.write()
    assert "read-only" in refusals(world, move)
    world.data["drive"][1].update(read_only=False, attached=False)
    world.write()
    assert "Heron is away" in refusals(world, move)
    world.data["drive"][1].update(attached=True, usable_bytes=10_000, capacity_bytes=10_000, headroom_bytes=0)
    world.write()
    assert "needs" in refusals(world, move)
    world.data["drive"][1].update(usable_bytes=9 * MB, capacity_bytes=9 * MB, filesystem="exfat")
    world.write()
    (ferry / "link").symlink_to("start.bin")
    os.link(ferry / "start.bin", ferry / "hard.bin")
    (ferry / "Start.bin").write_bytes(b"")
    (ferry / "what?.bin").write_bytes(b"")
    problems = refusals(world, move, files=6)
    for words in ("is a link, which", "is a hard link, which", "are the same name on", "what?.bin: "):
        assert words in problems
    world.data["drive"][0].update(filesystem="exfat")
    world.write()
    assert "cannot hold the link" in refusals(world, move)
