"""Every refusal and guard of carrying, on a small library: quick, so that each line removed is noticed."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import MB, World, leftovers, picture
from nuvik.core.carrying.aside_folders import held, incoming, incoming_folder
from nuvik.core.carrying.proof import prove_copy
from nuvik.core.carrying.run import carry_plan, release, resume, undo
from nuvik.core.carrying.tethers.registry import tether_of
from nuvik.core.checks.check_step import check_step
from nuvik.core.hosts import syscalls
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import Move, State
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.calibration_samples import as_step
from nuvik.core.stages.workspace import Workspace


class Recorder(FileOpHook):
    """Writes down what is done, and may do something itself before one of it."""

    def __init__(self, inner: FileOpHook, act: Callable[[str, str], None] | None = None) -> None:
        self.inner, self.act = inner, act
        self.done: list[tuple[str, str]] = []

    def before(self, operation: str, path: str, count_bytes: int = 0) -> None:
        if self.act is not None:
            self.act(operation, path)
        if operation != "look":
            self.done.append((operation, path))
        self.inner.before(operation, path, count_bytes)

    def read_back(self, path: str, data: bytes) -> bytes:
        return self.inner.read_back(path, data)


@pytest.fixture
def ferry(world: World) -> Path:
    source = Path(world.path("kestrel", "Games", "Ferry"))
    (source / "data").mkdir(parents=True)
    for number, path in enumerate(("start.bin", "data/one.bin", "data/two.bin")):
        (source / path).write_bytes(b"%d" % number * 5_000)
        os.utime(source / path, ns=(10**18, 10**18 + number))
    return source


def target_of(world: World, drive: str = "heron") -> Path:
    return Path(world.path(drive, "Games", "Ferry"))


def shift(workspace: Workspace, source: Path, on_trial: bool = False, drive: str = "heron") -> None:
    carry_plan(workspace.carry.work(), make_plan(workspace.plan.draft([(str(source), drive)])), on_trial)


def hook(workspace: Workspace, act: Callable[[str, str], None] | None = None) -> Recorder:
    recorder = Recorder(workspace.computer.host.files.hook, act)
    workspace.computer.host.files.hook = recorder
    return recorder


def move_of(world: World, number: int = 1) -> Move:
    return world.open().logbook.move(number)


def once(condition: Callable[[str, str], bool], act: Callable[[], None]) -> Callable[[str, str], None]:
    """Something that is done before the first operation for which the condition holds."""
    pending = [act]

    def before(operation: str, path: str) -> None:
        if pending and condition(operation, path):
            pending.pop()()

    return before


def stop_when(world: World, source: Path, operation: str, path: str, count: int = 1) -> Move:
    """Carry until the n-th such operation at this name, where the drive fails."""
    workspace, left = world.open(), [count]

    def fail(happening: str, place: str) -> None:
        if happening == operation and place.endswith(path):
            left[0] -= 1
            if left[0] == 0:
                raise OSError(5, "Input/output error", place)

    hook(workspace, fail)
    with pytest.raises(Stopped):
        shift(workspace, source)
    return workspace.logbook.moves()[-1]


# -- copying -----------------------------------------------------------------------------------------------


def test_a_proven_file_that_was_cut_short_is_copied_again(world, ferry):
    """A power cut may cost what was not flushed, even of a file that was read back before."""
    before = picture(ferry)
    move = stop_when(world, ferry, "rename", "Ferry")
    assert all(entry.proven for entry in world.open().carry.work().journal.entries(move).values() if entry.checksum)
    world.open().carry.work().journal.keep(replace(move, state=State.COPYING, visible=False))
    os.truncate(os.path.join(incoming(move), "data", "one.bin"), 7)
    resume(world.open().carry.work())
    assert picture(target_of(world)) == before


def test_what_the_source_lost_meanwhile_is_not_in_the_copy(world, ferry):
    move = stop_when(world, ferry, "create", "two.bin")
    assert os.path.exists(os.path.join(incoming(move), "start.bin"))
    (ferry / "start.bin").unlink()
    Path(incoming(move), "stranger.txt").write_text("left by nobody knows whom")
    resume(world.open().carry.work())
    assert sorted(path.name for path in target_of(world).rglob("*.*")) == ["one.bin", "two.bin"]


def test_what_cannot_be_carried_stops_the_copy(world, ferry, monkeypatch):
    """A pipe that appears after the checks."""
    workspace = world.open()
    hook(workspace, once(lambda operation, path: operation == "mkdir", lambda: os.mkfifo(ferry / "pipe")))
    with pytest.raises(Stopped, match=r"pipe cannot be carried \(a named pipe\)"):
        shift(workspace, ferry)
    (ferry / "pipe").unlink()
    resume(world.open().carry.work())


@pytest.mark.skipif(not hasattr(os, "geteuid") or os.geteuid() != 0, reason="only root gives files away")
def test_owners_and_attributes_are_set(world, ferry):
    os.chown(ferry / "start.bin", 1234, 1235)
    os.lchown(ferry / "data", 1236, 1237)
    shift(world.open(), ferry)
    facts, folder = (target_of(world) / "start.bin").stat(), (target_of(world) / "data").stat()
    assert (facts.st_uid, facts.st_gid, folder.st_uid, folder.st_gid) == (1234, 1235, 1236, 1237)


# -- publishing and switching ------------------------------------------------------------------------------


def test_nothing_is_published_over_what_came_to_be_there(world, ferry):
    target, workspace, before = target_of(world), world.open(), picture(ferry)

    def in_the_way() -> None:
        target.mkdir(parents=True)
        (target / "mine.txt").write_text("mine")

    hook(workspace, once(lambda operation, path: operation == "rename" and path.endswith("content"), in_the_way))
    with pytest.raises(Stopped, match="appeared at"):
        shift(workspace, ferry)
    assert (target / "mine.txt").read_text() == "mine" and picture(ferry) == before
    shutil.rmtree(target)
    resume(world.open().carry.work())
    assert picture(target) == before


def test_a_copy_that_vanished_before_the_switch_leaves_the_original(world, ferry):
    before = picture(ferry)
    move = stop_when(world, ferry, "symlink", "content")
    assert move.state is State.PUBLISHED
    shutil.rmtree(target_of(world))
    resume(world.open().carry.work())
    assert picture(target_of(world)) == before, "copied once more"
    undo(world.open().carry.work(), "last")
    again = stop_when(world, ferry, "rename", "Ferry")
    shutil.rmtree(incoming(again))
    with pytest.raises(Stopped, match="no longer at"):
        resume(world.open().carry.work())
    assert picture(ferry) == before


def test_names_are_durable_before_the_journal_goes_on(world, ferry):
    workspace = world.open()
    recorder = hook(workspace)
    shift(workspace, ferry)
    target = target_of(world)
    steps = recorder.done
    published = steps.index(("rename", str(target)))
    switched = steps.index(("rename", str(ferry)))
    removed = next(number for number, (operation, _) in enumerate(steps) if operation == "remove" and number > switched)
    assert ("flush", str(target.parent)) in steps[published:switched]
    assert ("flush", str(ferry.parent)) in steps[switched:removed]
    assert any(
        operation == "flush" and path.endswith("held-1-" + move_of(world).token)
        for operation, path in steps[switched:removed]
    )
    assert ("flush", incoming_folder(move_of(world))) in steps[:published], "the contents, before they are proven"
    synchronous = workspace.computer.database
    with synchronous.connect() as connection:
        assert connection.execute("PRAGMA synchronous").fetchone()[0] == 2  # FULL: a commit is on the medium
        assert connection.execute("PRAGMA foreign_keys").fetchone()[0] == 1


@pytest.mark.parametrize("change", ["content", "same size and time", "new file", "gone"])
def test_changed_at_both_places_at_the_switch_keeps_both(world, ferry, monkeypatch, change):
    target, workspace, real, late = target_of(world), world.open(), syscalls.exchange, []

    def exchange(first: str, second: str) -> bool:
        if not late:
            late.append(1)
            stamp = (ferry / "start.bin").stat()
            (ferry / "start.bin").write_bytes(b"9" * 5_000)
            os.utime(ferry / "start.bin", ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
            _harm(target, change)
        return real(first, second)

    monkeypatch.setattr(syscalls, "exchange", exchange)
    if change == "same size and time":  # then only the original is newer, and it is copied again
        shift(workspace, ferry)
        assert (target / "start.bin").read_bytes() == b"9" * 5_000
        return
    with pytest.raises(Stopped, match="Both are kept"):
        shift(workspace, ferry)
    move = move_of(world)
    assert move.state is State.ON_TRIAL
    assert Path(held(move), "start.bin").read_bytes() == b"9" * 5_000
    with pytest.raises(Refused, match="was changed since it was moved"):
        release(world.open().carry.work(), "1")


def _harm(root: Path, change: str) -> None:
    if change == "content":
        (root / "data" / "one.bin").write_bytes(b"8" * 5_000)
    elif change == "new file":
        (root / "new.bin").write_bytes(b"new")
    elif change == "gone":
        (root / "data" / "one.bin").unlink()
        (root / "data" / "one.bin").mkdir()


@pytest.mark.parametrize("harm", ["missing", "another size", "extra", "unreadable"])
def test_the_look_through_the_old_path_keeps_the_original(world, ferry, monkeypatch, harm):
    target, workspace = target_of(world), world.open()

    def spoil() -> None:
        if harm == "missing":
            (target / "data" / "one.bin").unlink()
        elif harm == "another size":
            os.truncate(target / "data" / "one.bin", 3)
        elif harm == "extra":
            (target / "extra.bin").write_bytes(b"x")
        else:
            monkeypatch.setattr(workspace.computer.host.files, "names_in", refused_below(workspace, target))

    hook(workspace, once(lambda operation, path: operation == "flush" and path == str(ferry.parent), spoil))
    with pytest.raises(Stopped, match=r"The original is kept|is kept"):
        shift(workspace, ferry)
    monkeypatch.undo()
    assert move_of(world).state is State.ON_TRIAL and "opened through" in str(move_of(world).problem)
    assert Path(held(move_of(world)), "data", "one.bin").stat().st_size == 5_000


def refused_below(workspace: Workspace, target: Path) -> Callable[..., list[str]]:
    """Listing folders that fails for those of the moved library."""
    plain, place = workspace.computer.host.files.names_in, os.stat(target)

    def names_in(folder, path: str) -> list[str]:
        if os.path.samestat(os.stat(folder), place):
            raise PermissionError(13, "Permission denied")
        return plain(folder, path)

    return names_in


def test_a_link_is_checked_repaired_and_never_put_over_anything(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    work, move = world.open().carry.work(), move_of(world)
    tether = tether_of(move)
    assert tether.leads_to(move) == str(ferry) and tether.check(work, move) is None
    assert not tether.repair(work, move)
    ferry.unlink()
    assert tether.check(work, move) is not None
    assert tether.repair(work, move) and tether.check(work, move) is None
    ferry.unlink()
    ferry.write_text("something else")
    with pytest.raises(Stopped, match="Something else is at"):
        tether.repair(work, move)
    assert ferry.read_text() == "something else"


def test_links_that_must_lead_elsewhere_have_to_be_here(world, ferry):
    """The library was moved twice; taking the second move back changes the link on the first drive."""
    shift(world.open(), ferry)
    shift(world.open(), target_of(world), drive="wren")
    world.data["drive"][0]["attached"] = False
    world.write()
    with pytest.raises(Refused, match="Kestrel is away, and the link to Ferry is on it"):
        undo(world.open().carry.work(), "2")
    world.data["drive"][0]["attached"] = True
    world.write()
    undo(world.open().carry.work(), "2")
    assert os.readlink(ferry) == str(target_of(world))


# -- releasing and taking back -----------------------------------------------------------------------------


@pytest.mark.parametrize("harm", ["ctime", "mtime", "size", "link", "kind", "folder", "pipe", "unreadable"])
def test_an_original_that_was_touched_is_not_released(world, ferry, harm, monkeypatch):
    (ferry / "link").symlink_to("start.bin")
    shift(world.open(), ferry, on_trial=True)
    original = Path(held(move_of(world)))
    file = original / "data" / "one.bin"
    if harm == "ctime":  # as a program writes that sets the time back
        stamp = file.stat()
        file.write_bytes(b"7" * 5_000)
        os.utime(file, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    elif harm == "mtime":
        os.utime(file, ns=(1, 1))
    elif harm == "size":
        stamp = file.stat()
        file.write_bytes(b"longer than before" * 900)
        os.utime(file, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    elif harm == "link":
        stamp = os.lstat(original / "link")
        (original / "link").unlink()
        (original / "link").symlink_to("other.bin")
        os.utime(original / "link", ns=(stamp.st_atime_ns, stamp.st_mtime_ns), follow_symlinks=False)
    elif harm == "kind":
        file.unlink()
        file.mkdir()
    elif harm == "folder":
        shutil.rmtree(original / "data")
        (original / "data").write_text("no folder any more")
    elif harm == "pipe":
        os.mkfifo(original / "pipe")
    workspace = world.open()
    if harm == "unreadable":
        monkeypatch.setattr(workspace.computer.host.files, "names_in", refused_below(workspace, original / "data"))
    with pytest.raises(Refused, match=r"was changed since it was moved|is a named pipe|cannot be inspected"):
        release(workspace.carry.work(), "1")
    assert original.exists()


@pytest.mark.parametrize("harm", ["none", "content", "time", "link", "kind", "new"])
def test_a_copy_that_others_changed_is_not_given_up(world, ferry, harm):
    """It had its final name for a while; then the move was taken back."""
    (ferry / "link").symlink_to("start.bin")
    shift(world.open(), ferry, on_trial=True)
    workspace = world.open()
    move = move_of(world)
    copy, file = target_of(world), target_of(world) / "data" / "one.bin"
    stamp = file.stat()
    if harm == "content":
        file.write_bytes(b"shorter")
        os.utime(file, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    elif harm == "time":
        os.utime(file, ns=(1, 1))
    elif harm == "link":
        (copy / "link").unlink()
        (copy / "link").symlink_to("data")
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


@pytest.mark.parametrize("harm", ["older", "kind", "link gone"])
def test_a_moved_library_that_is_less_than_its_original_releases_nothing(world, ferry, harm):
    (ferry / "link").symlink_to("start.bin")
    shift(world.open(), ferry, on_trial=True)
    file = target_of(world) / "data" / "one.bin"
    if harm == "older":
        file.write_bytes(b"old")
        os.utime(file, ns=(1, 1))
    elif harm == "kind":
        file.unlink()
        file.mkdir()
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
    world.data["drive"][2]["attached"] = False
    world.write()
    with pytest.raises(Refused, match="is not visible at"):
        release(world.open().carry.work(), "3")
    with pytest.raises(Refused, match="Wren is away"):
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
    world.data["drive"][2]["attached"] = False
    world.write()
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


def test_programs_at_work_in_it_keep_a_library_where_it_is(world, ferry, monkeypatch):
    shift(world.open(), ferry)
    workspace = world.open()
    monkeypatch.setattr(workspace.computer.host, "used_by", lambda path: ("viewer (process 7)",))
    with pytest.raises(Refused, match="in use by viewer"):
        undo(workspace.carry.work(), "1")


# -- proving and checking ----------------------------------------------------------------------------------


def test_a_file_that_comes_back_wrong_is_not_proven(world, ferry):
    move = stop_when(world, ferry, "rename", "Ferry")
    work = world.open().carry.work()
    entries = {path: replace(entry, proven=False) for path, entry in work.journal.entries(move).items()}
    work.journal.keep_entries(move, entries.values())
    with open(os.path.join(incoming(move), "data", "one.bin"), "r+b") as file:
        file.write(b"?")
    assert prove_copy(work, move) == ["data/one.bin"]
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
    found = check_step(workspace.computer.host, workspace.drives.all(), step, workspace.computer.state_folder)
    return " ".join(violation.problem for violation in found.violations)


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
