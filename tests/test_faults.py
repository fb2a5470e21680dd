"""Faults of drives at single moments: what is said, what is kept, and what is left behind."""

from __future__ import annotations

import errno
import os
import shutil
from collections.abc import Callable
from contextlib import nullcontext, suppress
from dataclasses import replace
from pathlib import Path

import pytest
from filelock import FileLock

from conftest import MB, World, count_descriptors, fill, picture, put
from nuvik.core.carrying import guards, lock
from nuvik.core.carrying.aside_folders import held, held_folder, incoming
from nuvik.core.carrying.explain_oserror import stopped_by
from nuvik.core.carrying.lock import carrying_lock
from nuvik.core.carrying.move import carry_move
from nuvik.core.carrying.run import carry_plan, outlook_of_undo, release, resume, undo
from nuvik.core.carrying.tethers.none import lead_on
from nuvik.core.carrying.work import Meter
from nuvik.core.hosts import remove_tree, syscalls
from nuvik.core.hosts.local import LocalHost
from nuvik.core.model.emptied import EmptiedState
from nuvik.core.model.errors import DriveAway, Refused, Stopped, StopRequested
from nuvik.core.model.journal import State
from nuvik.core.model.progress import Event
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.stages.workspace import Workspace
from nuvik.core.survey.walk.take_inventory import take_inventory
from refusals import hook, move_of, once, shift, stop_when, target_of


def fails(operation: str, part: str, fault: OSError) -> Callable[[str, str], None]:
    """A drive that fails at the first such operation on a path that holds this part."""

    def fail(happening: str, path: str) -> None:
        if happening == operation and part in path:
            raise fault

    return fail


# -- while copying -----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("filename", "named"), [(None, "long.bin"), (7, "long.bin"), ("/elsewhere/other.bin", "other.bin")]
)
def test_a_fault_that_names_no_path_is_that_of_the_file_at_hand(world, ferry, filename, named):
    put(ferry / "long.bin", 3 * MB)
    workspace = world.open()
    hook(workspace, fails("write", "long.bin", OSError(errno.EIO, os.strerror(errno.EIO), filename)))
    with pytest.raises(Stopped, match=named):
        shift(workspace, ferry)


def test_each_file_reaches_its_medium_where_a_whole_drive_cannot_be_flushed(world, ferry, monkeypatch):
    (ferry / "long.bin").write_bytes(os.urandom(3 * MB))
    flushed: list[bool] = []
    plain = "nuvik.core.hosts.small_files.write_many"
    write_many = __import__("nuvik.core.hosts.small_files", fromlist=["write_many"]).write_many
    monkeypatch.setattr(syscalls, "sync_volume", lambda *_: False)
    monkeypatch.setattr(
        plain, lambda writings, owned, flush, width: flushed.append(flush) or write_many(writings, owned, flush, width)
    )
    workspace = world.open()
    recorder = hook(workspace)
    shift(workspace, ferry, on_trial=True)
    copy = os.path.join(incoming(move_of(world)), "long.bin")
    written = [operation for operation, path in recorder.done if path == copy and operation in ("write", "flush")]
    assert written[-1] == "flush" and "write" in written
    assert all(flushed), "small files as well, and folders"
    assert ("flush", os.path.dirname(copy)) in recorder.done


def test_a_fault_without_any_drive_names_both_or_says_a_drive(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    work, move = world.open().carry.work(), move_of(world)
    assert "Kestrel or Heron could not" in str(stopped_by(work, move, OSError(errno.EIO, "x")))
    assert "Heron could not be read or written (" in str(stopped_by(work, move, OSError(errno.EIO, "x", move.target)))
    work.drives = lambda: ()
    assert str(stopped_by(work, move, OSError(errno.EIO, "x"))).startswith("a drive could not be read or written.")


# -- a drive without a free byte ---------------------------------------------------------------------------


def test_a_full_drive_still_lets_its_library_go_and_leaves_no_half_written_note(world, ferry):
    workspace = world.open()
    hook(workspace, fails("write", "held", OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))))
    shift(workspace, ferry, on_trial=True)
    assert os.listdir(held_folder(move_of(world))) == ["content"]
    undo(world.open().carry.work(), "1")
    assert ferry.is_dir() and not ferry.is_symlink()


@pytest.mark.parametrize(("part", "fault"), [("incoming", errno.ENOSPC), ("held", errno.EIO)])
def test_any_other_note_that_cannot_be_written_stops_the_move(world, ferry, part, fault):
    workspace = world.open()
    hook(workspace, fails("write", f"{part}-1-", OSError(fault, os.strerror(fault))))
    with pytest.raises(Stopped):
        shift(workspace, ferry, on_trial=True)
    resume(world.open().carry.work())
    assert move_of(world).state is State.ON_TRIAL


def test_what_somebody_put_beside_an_original_stays_and_what_a_stop_left_goes(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    ours = Path(held_folder(move_of(world)))
    (ours / "about.json.new").write_text("half")
    release(world.open().carry.work(), "1")
    assert not ours.exists()
    undo(world.open().carry.work(), "1")
    shift(world.open(), ferry, on_trial=True)
    ours = Path(held_folder(move_of(world, 3)))
    (ours / "mine.txt").write_text("mine")
    release(world.open().carry.work(), "3")
    assert sorted(path.name for path in ours.iterdir()) == ["about.json", "mine.txt"]
    assert move_of(world, 3).state is State.RELEASED


# -- while an original goes --------------------------------------------------------------------------------


def test_what_comes_into_an_original_while_it_goes_is_named_and_kept(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    original, workspace = Path(held(move_of(world))), world.open()
    comes = once(lambda operation, path: operation == "remove", lambda: put(original / "data" / "late.txt"))
    hook(workspace, comes)
    with pytest.raises(Stopped, match=r"late\.txt exists nowhere else"):
        release(workspace.carry.work(), "1")
    assert (original / "data" / "late.txt").exists() and target_of(world).is_dir()


def test_what_comes_into_a_copy_while_it_is_removed_stays(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    workspace, copy, late = world.open(), Path(incoming(move_of(world))), list[Path]()

    def come(operation: str, path: str) -> None:
        if operation == "remove" and path.startswith(str(copy)) and not late:
            late.extend(put(folder / "late.txt") for folder in (copy, copy / "data"))

    hook(workspace, come)
    with pytest.raises(Stopped, match=r"is not removed: .*late\.txt is new there"):
        undo(workspace.carry.work(), "last")
    assert late and all(path.exists() for path in late)


def test_an_original_that_did_not_go_is_never_taken_for_gone(world, ferry, monkeypatch):
    shift(world.open(), ferry, on_trial=True)
    with monkeypatch.context() as failing:
        failing.setattr(guards, "_all_went", lambda work, going, now: False)
        with pytest.raises(Stopped, match="is not empty after its files were removed"):
            release(world.open().carry.work(), "1")
    workspace = world.open()
    hook(workspace, fails("remove", "held", OSError(errno.EIO, os.strerror(errno.EIO))))
    with pytest.raises(Stopped, match="could not be read or written"):
        resume(workspace.carry.work())
    assert picture(target_of(world)) == picture(held(move_of(world)))


def test_a_way_back_that_is_nearly_done_is_not_taken_back_again(world, ferry):
    shift(world.open(), ferry)
    workspace = world.open()
    hook(workspace, fails("remove", "-held-", OSError(errno.EIO, os.strerror(errno.EIO))))
    with pytest.raises(Stopped):
        undo(workspace.carry.work(), "1")
    with pytest.raises(Refused, match="is already taking Ferry back and is nearly done"):
        undo(world.open().carry.work(), "2")
    resume(world.open().carry.work())
    assert ferry.is_dir() and not ferry.is_symlink()


@pytest.mark.parametrize("away", [True, False])
def test_a_move_whose_drive_is_away_holds_up_no_other(world, ferry, away):
    workspace = world.open()
    hook(workspace, fails("create", "two.bin", OSError(errno.EIO, os.strerror(errno.EIO))))
    with pytest.raises(Stopped):
        shift(workspace, ferry, drive="wren")
    world.attach("wren", not away)
    other = fill(world.path("kestrel", "Games", "Moor"), files=2)
    with nullcontext() if away else pytest.raises(Refused, match="is unfinished"):
        shift(world.open(), other)
    assert other.is_symlink() is away


# -- emptying ----------------------------------------------------------------------------------------------


def cache(world: World) -> tuple[Path, Workspace]:
    path = fill(world.path("kestrel", "Vane cache"), files=4)
    (path / "CACHEDIR.TAG").write_text("Signature: 8a477f597d28d172789f06886806bc55\n")
    with suppress(OSError):  # not every temporary folder keeps them
        os.setxattr(path, "user.note", b"of the cache")
    workspace = world.surveyed()
    return path, workspace


@pytest.mark.parametrize(
    ("operation", "part", "fault", "says"),
    [
        ("mkdir", "emptied", errno.EROFS, "Nothing was changed"),
        ("write", "about.json", errno.EIO, "Nothing was changed"),
        ("rename", "Vane cache", errno.EACCES, "Nothing was changed"),
        ("mkdir", "emptied", errno.ENOSPC, "Nothing was changed"),
    ],
)
def test_a_folder_that_cannot_be_emptied_is_as_it_was_and_nothing_is_left(world, operation, part, fault, says):
    path, workspace = cache(world)
    whole = picture(path)
    hook(workspace, fails(operation, part, OSError(fault, os.strerror(fault))))
    with pytest.raises(Refused, match=says) as refused:
        workspace.emptying.set_aside(workspace.emptying.find(str(path)))
    assert ("Delete a small file" in (refused.value.next_step or "")) == (fault == errno.ENOSPC)
    assert picture(path) == whole and not [name for name in os.listdir(path.parent) if name.startswith(".nuvik")]
    assert world.open().emptying.kept() == []


def test_a_fault_after_the_contents_were_put_aside_goes_on_later(world):
    path, workspace = cache(world)
    whole = picture(path)
    hook(workspace, fails("rename", "/fresh", OSError(errno.EIO, os.strerror(errno.EIO))))
    with pytest.raises(Stopped, match="is kept at"):
        workspace.emptying.set_aside(workspace.emptying.find(str(path)))
    again = world.open().emptying
    with pytest.raises(Refused):
        again.put_back(99)
    (kept,) = again.kept()
    assert kept.state is EmptiedState.ASIDE and picture(again.content_of(kept)) == whole
    assert sorted(os.listdir(os.path.dirname(again.content_of(kept)))) == ["about.json", "content"]
    if os.listxattr(again.content_of(kept)):
        assert os.getxattr(path, "user.note") == b"of the cache"


def test_no_descriptor_stays_open(world, ferry):
    path, workspace = cache(world)
    stage = workspace.emptying

    def every_act() -> None:
        shift(workspace, ferry, on_trial=True)
        undo(workspace.carry.work(), "last")
        stage.set_aside(stage.find(str(path)))
        stage.put_back(stage.kept()[-1].id)
        stage.set_aside(stage.find(str(path)))
        stage.release(stage.kept()[-1].id)
        fill(path, files=2)
        workspace.survey.take()
        shift(workspace, ferry, on_trial=True)
        for attached in (False, True):
            world.attach("heron", attached)
            if not attached:
                undo(world.open().carry.work(), "last")
        shutil.rmtree(target_of(world))
        os.makedirs(empty := os.path.join(path.parent, ".nuvik-held-77-0123abcd"))
        logbook = world.open().logbook
        logbook.mend(logbook.leftovers())
        assert not os.path.exists(empty)

    every_act()
    before = count_descriptors()
    every_act()
    assert count_descriptors() == before


# -- between two states ------------------------------------------------------------------------------------


def test_a_copy_that_vanishes_at_the_switch_is_made_again_from_the_original_put_back(world, ferry):
    whole, workspace = picture(ferry), world.open()

    def fail(operation: str, path: str) -> None:
        if operation == "flush" and ferry.is_symlink():
            raise OSError(errno.EIO, os.strerror(errno.EIO), path)

    hook(workspace, fail)
    with pytest.raises(Stopped):
        shift(workspace, ferry)
    assert move_of(world).state is State.PUBLISHED and ferry.is_symlink()
    shutil.rmtree(target_of(world))
    resume(world.open().carry.work())
    assert move_of(world).state is State.RELEASED and picture(target_of(world)) == whole


def test_what_waits_in_another_plan_holds_up_taking_a_move_back(world, ferry):
    shift(world.open(), ferry)
    others = [(str(fill(world.path("kestrel", "Games", name), files=2)), "heron") for name in ("Kite", "Moor")]
    workspace = world.open()
    work = workspace.carry.work()
    hook(workspace, once(lambda operation, path: operation == "create", work.stop.ask_after_step))
    with pytest.raises(Stopped, match="not started"):
        carry_plan(work, make_plan(workspace.plan.draft(others)))
    for ask in (undo, outlook_of_undo):
        with pytest.raises(Refused, match=r"Move 3 \(Moor\) is unfinished"):
            ask(world.open().carry.work(), "1")
    undo(world.open().carry.work(), "2")
    assert move_of(world, 2).state is State.UNDONE, "of its own plan it may be"


def test_only_links_that_still_lead_to_a_library_lead_on_with_it(world, ferry, tmp_path):
    shift(world.open(), ferry)
    target, work = target_of(world), world.open().carry.work()
    work.settle(move_of(world))
    there = put(target.parent / "There" / "start.bin").parent
    for change, goal in ((lambda: None, there), (lambda: _lead(ferry, tmp_path), tmp_path)):
        _lead(ferry, target)
        change()
        lead_on(work, str(target), str(there))
        assert Path(os.readlink(ferry)) == goal
    ferry.unlink()
    ferry.mkdir()
    lead_on(work, str(target), str(there))
    assert not ferry.is_symlink(), "something of the user's"
    work.let_go()


def _lead(link: Path, goal: Path) -> None:
    link.unlink()
    link.symlink_to(goal)


# -- removing what was looked at ---------------------------------------------------------------------------


@pytest.mark.parametrize("in_one_call", [True, False])
def test_only_what_is_as_it_was_looked_at_goes(tmp_path, monkeypatch, in_one_call):
    monkeypatch.setattr(remove_tree, "IN_ONE_CALL", in_one_call and remove_tree.IN_ONE_CALL)
    root, files = tmp_path / "held", LocalHost().files
    for name in ("same", "longer", "later", "replaced", "named twice", "deep/same", "deep/new beside"):
        put(root / name).write_text(name)
    (root / "way").symlink_to("same")
    (root / "led").symlink_to("same")
    os.link(root / "named twice", root / "twin")
    known = take_inventory(files, str(root)).entries
    facts = (root / "replaced").stat()
    (root / "longer").write_text("longer by far")
    os.utime(root / "longer", ns=(0, known["longer"].changed_ns))
    os.utime(root / "later", ns=(0, 10**18))
    put(tmp_path / "other").write_text("replaced")
    os.utime(tmp_path / "other", ns=(facts.st_atime_ns, facts.st_mtime_ns))
    os.replace(tmp_path / "other", root / "replaced")
    (root / "led").unlink()
    (root / "led").symlink_to("elsewhere")
    put(root / "deep" / "new")
    put(root / "new folder" / "file")
    with pytest.raises(OSError, match="not empty"):
        files.remove_tree(str(root), known)
    left = {str(path.relative_to(root)) for path in root.rglob("*") if path.is_symlink() or not path.is_dir()}
    assert left == {"longer", "later", "replaced", "led", "deep/new", "new folder/file"}
    files.remove_tree(str(root))
    assert not root.exists()
    files.remove_tree(str(root))


def test_a_copy_that_is_out_of_date_is_never_seen_by_programs(world, ferry):
    workspace, seen = world.open(), list[bool]()
    change = once(
        lambda operation, path: operation == "read" and "-incoming-" in path,
        lambda: (ferry / "start.bin").write_text("changed while its copy was proven"),
    )

    def look(operation: str, path: str) -> None:
        change(operation, path)
        start = target_of(world) / "start.bin"
        seen.append(not start.exists() or start.read_text() == "changed while its copy was proven")

    hook(workspace, look)
    shift(workspace, ferry)
    assert all(seen) and (target_of(world) / "start.bin").exists()


def test_a_library_in_use_in_its_new_place_is_not_taken_back(world, ferry, monkeypatch):
    shift(world.open(), ferry, on_trial=True)
    work = world.open().carry.work()
    begun = work.journal.keep(replace(move_of(world), state=State.TAKING_BACK))
    monkeypatch.setattr(guards, "_open_for_writing", lambda files, now, stop: frozenset(["start.bin"]))
    with pytest.raises(Stopped, match="is in use in its new place") as stopped:
        carry_move(work, begun)
    assert "Close the program" in (stopped.value.next_step or "") and move_of(world).state is State.ON_TRIAL
    monkeypatch.undo()
    undo(world.open().carry.work(), "1")
    assert ferry.is_dir() and not ferry.is_symlink()


def test_whoever_listens_hears_of_a_move_that_stopped(world, ferry):
    heard: list[Event] = []
    workspace = world.open()
    hook(workspace, fails("create", "one.bin", OSError(errno.EIO, os.strerror(errno.EIO))))
    with pytest.raises(Stopped):
        workspace.carry.carry(make_plan(workspace.plan.draft([(str(ferry), "heron")])), report=heard.append)
    assert (heard[-1].event, heard[-1].library) == ("stopped", "Ferry")


# -- stopping ----------------------------------------------------------------------------------------------


def test_the_lock_is_let_go_whatever_happens_under_it(world, monkeypatch):
    made: list[FileLock] = []
    monkeypatch.setattr(lock, "FileLock", lambda path, timeout: made.append(FileLock(path, timeout)) or made[-1])
    folder = world.open().computer.state_folder
    with pytest.raises(RuntimeError), carrying_lock(folder, "failing"):
        assert made[0].is_locked
        with pytest.raises(Refused), carrying_lock(folder, "another"):
            pass
        raise RuntimeError
    assert not made[0].is_locked


def test_a_move_goes_on_only_while_both_its_drives_are_here(world, ferry):
    stop_when(world, ferry, "create", "one.bin")
    world.attach("heron", False)
    work = world.open().carry.work()
    with pytest.raises(DriveAway):
        carry_move(work, work.journal.move(1))
    assert work.journal.move(1).state is State.COPYING


def test_whoever_counts_bytes_hears_of_a_stop(world, ferry):
    shift(world.open(), ferry)
    heard: list[Event] = []
    work = world.open().carry.work(heard.append)
    meter = Meter(work, move_of(world), "copying", 100)
    for _ in range(99):
        meter.add(1)
    assert 1 <= len(heard) < 20, "not more often than anybody can read"
    work.stop.ask()
    with pytest.raises(StopRequested):
        meter.add(1)
