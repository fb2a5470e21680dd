"""What cannot be taken back is guarded: nothing that exists in only one place is ever removed."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import World, a_world, fill, leftovers, picture
from nuvik.core.carrying.aside_folders import held, incoming
from nuvik.core.carrying.run import release, resume, undo
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.model.errors import NuvikError, Refused, Stopped
from nuvik.core.model.journal import State
from nuvik.core.stages.workspace import Workspace
from refusals import shift


class Dead(BaseException):
    """The machine died."""


class AtOperation(FileOpHook):
    """Does something before the n-th operation that changes anything; then lets the machine die before another."""

    def __init__(self, inner: FileOpHook, at: int, act: Callable[[], None], dies_at: int) -> None:
        self.inner, self.at, self.act, self.dies_at, self.count = inner, at, act, dies_at, 0

    def before(self, operation: str, path: str, count_bytes: int = 0) -> None:
        if operation != "look":
            self.count += 1
            if self.count == self.at:
                self.act()
            if self.count == self.dies_at:
                raise Dead
        self.inner.before(operation, path, count_bytes)


def small_world(folder: Path) -> tuple[World, str]:
    made = a_world(folder, kestrel={}, heron={"medium": "hdd"})
    source = Path(made.path("kestrel", "Games", "Ferry"))
    (source / "data").mkdir(parents=True)
    (source / "data" / "one.bin").write_bytes(b"one")
    (source / "two.bin").write_bytes(b"two" * 100)
    return made, str(source)


def test_an_undo_that_stopped_does_not_hide_newer_work_when_it_goes_on(world):
    """Something took the old path, so taking back stopped; meanwhile the user worked at the new place."""
    source, target = world.path("kestrel", "Games", "Ferry"), world.path("heron", "Games", "Ferry")
    fill(source, files=3)
    shift(world.open(), source, on_trial=True)
    os.rename(source, f"{source} link")
    Path(source).write_text("in the way")
    with pytest.raises(Stopped, match="Something else is at"):
        undo(world.open().carry.work(), "last")
    os.remove(source)
    Path(target, "new.txt").write_text("new work")
    with pytest.raises(Stopped, match=r"new\.txt is new there.*copies the newer contents back"):
        resume(world.open().carry.work())
    assert world.open().logbook.moves()[0].state is State.ON_TRIAL
    undo(world.open().carry.work(), "last")
    assert Path(source, "new.txt").read_text() == "new work"
    assert not leftovers(world.folder)


@pytest.mark.parametrize("half_gone", [False, True], ids=["whole", "half gone"])
@pytest.mark.parametrize("harm", ["file missing", "cut short", "copy gone", "original changed", "new in original"])
def test_a_resumed_release_looks_at_the_copy_first(world, harm, half_gone):
    source, target = world.path("kestrel", "Games", "Ferry"), Path(world.path("heron", "Games", "Ferry"))
    fill(source, files=3)
    shift(world.open(), source, on_trial=True)
    workspace = world.open()
    move = workspace.logbook.moves()[0]
    workspace.carry.work().journal.keep(replace(move, state=State.RELEASING))  # as if it was stopped just there
    original = Path(held(move))
    file = "data/file-0001.bin"
    if half_gone:
        (original / "file-0000.bin").unlink()
    if harm == "file missing":
        (target / file).unlink()
    elif harm == "cut short":
        stamp = (target / file).stat().st_mtime_ns
        os.truncate(target / "sparse.dat", 5)
        os.utime(target / "sparse.dat", ns=(stamp, 1_000_000_000))
    elif harm == "copy gone":
        os.rename(target, f"{target} elsewhere")
    elif harm == "original changed":
        (original / file).write_bytes(b"newer")
    else:
        (original / "new.txt").write_bytes(b"new")
    before = picture(original)
    with pytest.raises(Stopped) as stopped:
        resume(world.open().carry.work())
    assert picture(original) == before, "nothing is removed"
    now = world.open().logbook.moves()[0]
    if harm == "copy gone":
        assert "is not at" in stopped.value.what, "the library as a whole, not each of its files"
        assert now.state is State.RELEASING
        return
    assert now.state is (State.RELEASING if half_gone else State.ON_TRIAL)
    assert "--even-if-changed" in stopped.value.next_step
    with pytest.raises(Refused):
        release(world.open().carry.work(), "1")
    release(world.open().carry.work(), "1", even_if_changed=True)
    assert not leftovers(world.folder)


def test_a_release_cut_short_goes_on_when_nothing_would_be_lost(world):
    """Newer work at the new place, hard links and read-only folders are no reason to keep what is half gone."""
    source = world.path("kestrel", "Games", "Ferry")
    fill(source, files=6, odd=True)
    shift(world.open(), source, on_trial=True)
    workspace = world.open()
    move = workspace.logbook.moves()[0]
    workspace.carry.work().journal.keep(replace(move, state=State.RELEASING))
    original = Path(held(move))
    (original / "file-0004.bin").unlink()
    (original / "locked").chmod(0o700)
    (original / "locked" / "read-only.txt").unlink()
    Path(source, "file-0000.bin").write_bytes(b"newer work")
    resume(world.open().carry.work())
    assert not leftovers(world.folder)


def test_a_copy_whose_original_is_gone_is_not_given_up(world):
    source = world.path("kestrel", "Games", "Ferry")
    fill(source, files=3)
    world.write(fault=[{"drive": "heron", "fail_write": 4}])
    with pytest.raises(Stopped):
        shift(world.open(), source)
    world.write(fault=[])
    os.rename(source, f"{source} elsewhere")
    with pytest.raises(Stopped, match="the copy is all there is of it"):
        undo(world.open().carry.work(), "last")
    move = world.open().logbook.moves()[0]
    assert os.path.exists(incoming(move))
    os.rename(f"{source} elsewhere", source)
    resume(world.open().carry.work())
    assert not leftovers(world.folder)


def test_taking_back_by_copying_keeps_an_original_that_has_more(world):
    """A file was removed at the new place by mistake: the kept original has it, and it is not thrown away."""
    source, target = world.path("kestrel", "Games", "Ferry"), Path(world.path("heron", "Games", "Ferry"))
    fill(source, files=3)
    shift(world.open(), source, on_trial=True)
    (target / "file-0000.bin").unlink()
    (target / "saved.txt").write_text("level 9")
    with pytest.raises(Stopped, match=r"file-0000\.bin is missing"):
        undo(world.open().carry.work(), "last")
    first, back = world.open().logbook.moves()
    assert os.path.exists(os.path.join(held(first), "file-0000.bin"))
    assert Path(source, "saved.txt").read_text() == "level 9"
    release(world.open().carry.work(), str(back.id), even_if_changed=True)
    assert [move.state for move in world.open().logbook.moves()] == [State.UNDONE, State.RELEASED]
    assert not leftovers(world.folder)


def deep_library(root: str, depth: int) -> None:
    """Folders inside each other, too deep for one path, each with a file."""
    os.makedirs(root)
    handle = os.open(root, os.O_RDONLY)
    for number in range(depth):
        os.mkdir("folder-name", dir_fd=handle)
        inner = os.open("folder-name", os.O_RDONLY, dir_fd=handle)
        os.close(handle)
        handle = inner
        file = os.open("file.txt", os.O_CREAT | os.O_WRONLY, dir_fd=handle)
        os.write(file, b"%d" % number)
        os.close(file)
    os.close(handle)


@pytest.fixture
def deep_world(world):
    """What clears up after tests goes only so deep."""
    yield world
    subprocess.run(["rm", "-rf", str(world.folder)], check=True)


@pytest.mark.slow
def test_any_depth_moves_resumes_and_is_taken_back(deep_world):
    world = deep_world
    source, target = world.path("kestrel", "Games", "Deep"), world.path("heron", "Games", "Deep")
    deep_library(source, 1_100)  # deeper than this language calls itself, and than a path may be long
    before = _sums(source)
    workspace, count = world.open(), []

    class Pulled(FileOpHook):
        def before(self, operation: str, path: str, count_bytes: int = 0) -> None:
            count.append(operation)
            if count.count("create") == 700:
                raise OSError(5, "Input/output error", path)

    workspace.computer.host.files.hook = Pulled()
    with pytest.raises(Stopped):
        shift(workspace, source)
    resume(world.open().carry.work())
    assert os.path.islink(source) and _sums(target) == before
    undo(world.open().carry.work(), "last")
    assert _sums(source) == before and not os.path.exists(target)


def _sums(root: str) -> str:
    """Every file's checksum and place, from the system's own tools; none of them takes a path that is too long."""
    words = "find . -type f -execdir cksum {} + | sort | cksum; find . -type d | wc -l"
    return subprocess.run(words, cwd=root, shell=True, capture_output=True, text=True, check=True).stdout


ACTS: dict[str, Callable[[World, str], Callable[[Workspace], object]]] = {
    "move": lambda world, source: lambda workspace: shift(workspace, source),
    "take back at once": lambda world, source: (
        shift(world.open(), source, on_trial=True) or (lambda workspace: undo(workspace.carry.work(), "last"))
    ),
    "copy back": lambda world, source: (
        shift(world.open(), source) or (lambda workspace: undo(workspace.carry.work(), "last"))
    ),
    "release": lambda world, source: (
        shift(world.open(), source, on_trial=True) or (lambda workspace: release(workspace.carry.work(), "all"))
    ),
}


@pytest.mark.slow
@settings(max_examples=50, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    act=st.sampled_from(sorted(ACTS)),
    at=st.integers(1, 60),
    dies_after=st.integers(0, 25),
    place=st.sampled_from(["old path", "new path"]),
    change=st.booleans(),
    then=st.lists(st.sampled_from(["resume", "undo", "release"]), max_size=3),
)
def test_whatever_is_written_between_two_operations_is_never_lost(
    tmp_path_factory, act, at, dies_after, place, change, then
):
    """New work appears at the library's old or new path at any instant, and the machine may die soon after."""
    world, source = small_world(tmp_path_factory.mktemp("guard") / "world")
    target = world.path("heron", "Games", "Ferry")
    go, written = ACTS[act](world, source), []

    def write() -> None:
        folder = source if place == "old path" else target
        if os.path.isdir(folder):
            name = "two.bin" if change else "late.txt"
            if not change or os.path.exists(os.path.join(folder, name)):
                Path(folder, name).write_bytes(b"written late")
                written.append(name)

    workspace = world.open()
    workspace.computer.host.files.hook = AtOperation(
        workspace.computer.host.files.hook, at, write, at + dies_after if dies_after else 0
    )
    for following in [go, *(_THEN[word] for word in then), _THEN["resume"]]:
        try:
            following(workspace)
        except (NuvikError, Dead):
            pass
        workspace = world.open()
    if written:
        copies = [path for path in world.folder.rglob("*") if path.is_file() and path.read_bytes() == b"written late"]
        assert copies, "the only copy of new work is gone"


_THEN: dict[str, Callable[[Workspace], object]] = {
    "resume": lambda workspace: resume(workspace.carry.work()),
    "undo": lambda workspace: undo(workspace.carry.work(), "last"),
    "release": lambda workspace: release(workspace.carry.work(), "all"),
}
