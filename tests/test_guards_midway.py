"""Guards that matter only when something happens at a certain moment of a move."""

from __future__ import annotations

import errno
import os
import shutil
from contextlib import nullcontext
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import MB, count_descriptors, fill, picture, put
from nuvik.core.carrying import guards, proof
from nuvik.core.carrying import move as move_module
from nuvik.core.carrying.aside_folders import held, held_folder, incoming
from nuvik.core.carrying.guards import loss_of_original
from nuvik.core.carrying.proof import changed_since, unchanged
from nuvik.core.carrying.renames import renamable
from nuvik.core.carrying.run import _floors_of, carry_plan, release, resume, undo, undo_plan
from nuvik.core.carrying.tethers.base import open_held_folder
from nuvik.core.carrying.tethers.none import lead_on
from nuvik.core.carrying.waiting import carry_next, skip
from nuvik.core.hosts.files import Files
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.many_files import IN_ONE_CALL
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import State
from nuvik.core.model.progress import Event
from nuvik.core.model.tether import TetherKind
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.store.journal import Journal
from nuvik.core.survey.walk.take_inventory import take_inventory
from refusals import hook, move_of, shift, stop_when, target_of


def test_a_move_that_was_left_out_at_the_moment_it_began_is_not_carried(world, ferry, monkeypatch):
    plain = Journal.begin

    def begin(self: Journal, move):
        self.skip(self.move(move.id))
        return plain(self, move)

    monkeypatch.setattr(Journal, "begin", begin)
    before = picture(ferry)
    shift(world.open(), ferry)
    assert move_of(world).state is State.UNDONE and picture(ferry) == before


@pytest.mark.parametrize("moment", ["while it is copied", "after it was proven"])
def test_a_library_that_never_comes_to_rest_is_given_up_and_untouched(world, ferry, monkeypatch, moment):
    workspace, plain = world.open(), move_module.prove_copy

    def grow() -> None:
        with open(ferry / "start.bin", "ab") as file:
            file.write(b"more")

    def proven(work, move):
        wrong = plain(work, move)
        grow()
        return wrong

    if moment == "after it was proven":
        monkeypatch.setattr(move_module, "prove_copy", proven)
    else:
        hook(workspace, lambda operation, path: grow() if (operation, path[-9:]) == ("create", "start.bin") else None)
    with pytest.raises(Stopped, match="keeps changing while it is copied"):
        shift(workspace, ferry)
    monkeypatch.undo()
    assert ferry.is_dir() and not ferry.is_symlink()
    (ferry / "start.bin").write_bytes(b"at rest")
    resume(world.open().carry.work())
    assert (target_of(world) / "start.bin").read_bytes() == b"at rest"


@pytest.mark.parametrize(
    ("reason", "says"),
    [
        ("nothing", None),
        ("wish", None),
        ("user", "its original is kept because Painter has it open"),
        ("check", "its original is kept because a check failed: It does not open"),
        ("by hand", "its original is kept until you have done this: choose the new folder"),
        ("unread", "its original is kept because its copy was compared, but could not be read from the medium of"),
    ],
)
def test_each_reason_to_keep_an_original_is_said_and_only_that(world, ferry, monkeypatch, reason, says):
    workspace = world.open()
    host = type(workspace.computer.host)
    if reason == "user":
        monkeypatch.setattr(host, "used_by", lambda self, path: ["Painter"] if ".nuvik-held" in path else [])
    elif reason == "check":
        monkeypatch.setattr(move_module, "failed_checks", lambda work, move: "It does not open.")
    elif reason == "by hand":
        monkeypatch.setattr(move_module, "due_by_hand", lambda work, move: "choose the new folder")
        monkeypatch.setattr(TetherKind, "keeps_old_path", property(lambda self: False))
    elif reason == "unread":
        monkeypatch.setattr(host, "reaches_medium", lambda self, drive: False)
    shift(workspace, ferry, on_trial=reason == "wish")
    move = move_of(world)
    assert move.state is (State.RELEASED if reason == "nothing" else State.ON_TRIAL)
    assert (move.problem or "").startswith(says or "") and bool(move.problem) == bool(says)
    if reason == "unread":
        with pytest.raises(Refused, match="could not be read from the medium") as refused:
            release(world.open().carry.work(), "1")
        assert "attach it again" in (refused.value.next_step or "") and move_of(world).state is State.ON_TRIAL


def test_what_shows_that_a_file_is_another_than_was_copied(world, ferry):
    move = stop_when(world, ferry, "create", "two.bin")
    work = world.open().carry.work()
    entries = take_inventory(LocalHost().files, str(ferry)).entries
    file, facts = entries["start.bin"], (ferry / "start.bin").stat()
    (ferry / "new.bin").write_bytes(b"")
    assert not any(changed_since(work, move, entry) for entry in entries.values()), "a folder that has more is the same"
    os.utime(ferry / "start.bin", ns=(0, facts.st_mtime_ns + 1))
    assert changed_since(work, move, file)
    (ferry / "start.bin").write_bytes(b"shorter")
    os.utime(ferry / "start.bin", ns=(0, facts.st_mtime_ns))
    assert changed_since(work, move, file)
    (ferry / "start.bin").unlink()
    assert changed_since(work, move, file)


def test_what_shows_that_an_original_is_not_all_that_was_copied(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    work, original = world.open().carry.work(), Path(held(move_of(world)))
    move = work.settle(move_of(world))
    assert unchanged(work, move, str(original), renamed=True)
    (original / "data" / "one.bin").unlink()
    assert not unchanged(work, move, str(original), renamed=True)
    work.let_go()


def test_an_original_that_vanished_before_the_switch_is_said_to_be_gone(world, ferry):
    move = stop_when(world, ferry, "rename", "content")
    with pytest.raises(Stopped, match="disappeared from /nowhere"):
        open_held_folder(world.open().carry.work(), replace(move, source="/nowhere"))
    assert not os.path.lexists(held_folder(move))


def test_newer_work_in_a_copy_that_had_its_final_name_is_not_overwritten(world, ferry):
    move = stop_when(world, ferry, "create", "two.bin")
    work = world.open().carry.work()
    work.journal.keep(replace(move, visible=True))
    (Path(incoming(move)) / "letter.txt").write_text("written while it was visible")
    with pytest.raises(Stopped, match=r"holds newer work: letter\.txt is new there"):
        resume(world.open().carry.work())
    assert (Path(incoming(move)) / "letter.txt").read_text() == "written while it was visible"
    (Path(incoming(move)) / "letter.txt").unlink()
    resume(world.open().carry.work())
    assert move_of(world).state is State.RELEASED


def test_an_original_that_is_gone_holds_up_no_release(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    shutil.rmtree(held_folder(move_of(world)))
    assert loss_of_original(world.open().carry.work(), move_of(world)) is None
    release(world.open().carry.work(), "1")
    assert move_of(world).state is State.RELEASED


def test_a_stop_while_the_first_move_is_looked_at_is_no_stop_after_it(world, ferry):
    shift(world.open(), ferry)
    shift(world.open(), fill(world.path("kestrel", "Games", "Moor")), on_trial=True)
    work = world.open().carry.work()
    work.stop.ask()
    with pytest.raises(Stopped, match=r"while looking\. Nothing was changed"):
        undo_plan(work, every=True)
    assert [move.state for move in world.open().logbook.moves()] == [State.RELEASED, State.ON_TRIAL]
    workspace = world.open()
    work = workspace.carry.work()
    hook(workspace, lambda *_: work.stop.ask_after_step())
    with pytest.raises(Stopped, match="with 1 move taken back"):
        undo_plan(work, every=True)


def test_where_no_link_takes_the_name_of_another_it_is_removed_first(world, ferry, monkeypatch):
    """So it is on Windows."""
    shift(world.open(), ferry)
    work, target = world.open().carry.work(), target_of(world)
    work.settle(move_of(world))
    plain = Files.rename

    def rename(self: Files, source: str, goal: str) -> None:
        if os.path.lexists(goal):
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), goal)
        plain(self, source, goal)

    monkeypatch.setattr(Files, "rename", rename)
    lead_on(work, str(target), world.path("wren"))
    work.let_go()
    assert os.readlink(ferry) == world.path("wren") and not [*ferry.parent.glob(".nuvik-link*")]


def test_what_some_program_may_still_write_to_is_kept_on_trial_and_is_no_way_back(world, ferry, monkeypatch):
    written: list[str] = ["start.bin"]
    monkeypatch.setattr(guards, "_open_for_writing", lambda files, now, stop: frozenset(written))
    shift(world.open(), ferry)
    move = move_of(world)
    assert move.state is State.ON_TRIAL and "some program may still write to" in (move.problem or "")
    written.clear()
    release(world.open().carry.work(), "1")
    written.append("start.bin")
    with pytest.raises(Stopped, match="is still open for writing"):
        undo(world.open().carry.work(), "1")
    written.clear()
    release(world.open().carry.work(), "2")
    assert ferry.is_dir() and not ferry.is_symlink()


def test_what_waits_for_a_move_that_has_begun_is_not_left_out_with_it(world, ferry):
    plan_of_two(world, ferry, stop_after_first=True)
    work = world.open().carry.work()
    first, second = work.journal.move(1), work.journal.move(2)
    work.journal.keep(replace(second, source=first.target))
    with pytest.raises(Refused, match="is not waiting"):
        skip(work, first)
    with pytest.raises(Refused, match="is not waiting"):
        carry_next(work, first)
    assert work.journal.move(2).state is State.PLANNED


def plan_of_two(world, ferry, stop_after_first: bool = False, side_by_side: bool = False) -> None:
    other = fill(world.path("kestrel", "Games", "Moor"), files=2)
    workspace = world.open()
    plan = make_plan(workspace.plan.draft([(str(ferry), "heron"), (str(other), "heron")]))
    work = workspace.carry.work()
    if stop_after_first:
        hook(workspace, lambda operation, path: work.stop.ask_after_step())
    with pytest.raises(Stopped) if stop_after_first else nullcontext():
        carry_plan(work, replace(plan, side_by_side=side_by_side), True)


def test_moves_go_side_by_side_only_where_their_one_plan_says_so(world, ferry):
    plan_of_two(world, ferry, side_by_side=True)
    work = world.open().carry.work()
    moves = work.journal.moves()
    assert _floors_of(work, moves) == {"kestrel": 20 * MB, "heron": 50 * MB, "wren": 50 * MB}
    assert _floors_of(work, [moves[0], replace(moves[1], run=99)]) is None, "those of two plans do not"
    assert _floors_of(work, [replace(moves[0], run=99)]) is None, "its plan is not known"
    shift(world.open(), fill(world.path("kestrel", "Games", "Nail"), files=1))
    assert _floors_of(work, [work.journal.moves()[-1]]) is None


def test_progress_is_heard_from_nothing_to_all_of_it(world, ferry):
    put(ferry / "long.bin", 3 * MB)
    heard: list[Event] = []
    workspace = world.open()
    ended = workspace.carry.carry(make_plan(workspace.plan.draft([(str(ferry), "heron")])), report=heard.append)
    assert ended.expected_freed_bytes == {"kestrel": ended.moves[0].frees_bytes} and ended.freed_bytes["kestrel"] > 0
    steps = [event.event for event in heard if event.event != "progress"]
    assert steps == ["step-started", "copied", "proven", "switched", "released", "done"]
    for phase in ("copying", "proving"):
        done = [event.done_bytes for event in heard if event.detail.get("phase") == phase]
        assert done[0] == 0 and done == sorted(done) and done[-1] == 3 * MB + 15_000, phase


@pytest.mark.parametrize(
    ("stop", "names"),
    [(("rename", "content"), {"start.bin"}), (("read", "two.bin", 3), {"start.bin", "one.bin", "two.bin"})],
    ids=["all of it", "one file"],
)
def test_what_is_proven_already_counts_as_progress_and_is_not_read_again(world, ferry, stop, names):
    """The source changed before the move goes on: of the new copy, too, only what is not proven is read."""
    put(ferry / "long.bin", 2 * MB)
    move = stop_when(world, ferry, *stop)
    put(ferry / "start.bin", 7)
    heard: list[Event] = []
    workspace = world.open()
    work, recorder = workspace.carry.work(heard.append), hook(workspace)
    resume(work)
    read = {path for operation, path in recorder.done if operation == "read" and path.startswith(incoming(move))}
    assert {os.path.basename(path) for path in read} == names
    proving = [event.done_bytes for event in heard if event.detail.get("phase") == "proving"]
    assert proving[0] == 0 and set(proving) == {0, 2 * MB + 10_007}


def test_what_was_written_is_on_the_drive_before_its_gain_is_measured(world, ferry):
    """What is not written yet counts as free on some file systems, and its removal would gain nothing."""
    shift(world.open(), ferry, on_trial=True)
    workspace = world.open()
    recorder = hook(workspace)
    release(workspace.carry.work(), "1")
    acts = [operation for operation, path in recorder.done if path.startswith(world.path("kestrel"))]
    assert acts.index("flush-volume") < acts.index("remove") < len(acts) - acts[::-1].index("flush-volume")


def test_the_time_a_move_took_is_kept_once_it_has_begun(world, ferry, monkeypatch):
    shift(world.open(), ferry)
    assert move_of(world).actual_s > 0
    other = fill(world.path("kestrel", "Games", "Moor"), files=2)
    monkeypatch.setattr(
        move_module, "prepare_tethers", lambda *_: (_ for _ in ()).throw(Refused("no", next_step="never"))
    )
    with pytest.raises((Refused, Stopped)):
        shift(world.open(), other)
    assert move_of(world, 2).actual_s == 0


@pytest.mark.skipif(not IN_ONE_CALL, reason="without the compiled part every file is asked")
def test_attributes_are_looked_for_only_where_there_may_be_some(world, ferry, monkeypatch):
    asked: list[str] = []
    plain = proof.read_attributes
    monkeypatch.setattr(proof, "read_attributes", lambda files, path: asked.append(path) or plain(files, path))
    shift(world.open(), ferry)
    assert asked and not [path for path in asked if path.endswith(".bin")]


@pytest.mark.parametrize("mode", [0o555, 0o755])
def test_a_folder_may_be_written_for_the_moment_of_its_rename_only(tmp_path, monkeypatch, mode):
    folder, then, flushed = tmp_path / "folder", tmp_path / "elsewhere", list[int]()
    monkeypatch.setattr(os, "fsync", flushed.append)
    folder.mkdir(mode)
    folder.chmod(mode)
    opened = count_descriptors()
    with renamable(LocalHost().files, str(folder)):
        assert folder.stat().st_mode & 0o777 == mode | 0o200
        folder.rename(then)
        os.utime(then, ns=(0, 5))
        changed = then.stat().st_mtime_ns
    assert then.stat().st_mode & 0o777 == mode and then.stat().st_mtime_ns != changed, "it has its own time again"
    assert flushed
    assert count_descriptors() == opened
