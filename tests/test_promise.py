"""The promise: at every instant, whatever fails, a complete copy of every byte is reachable and Nuvik knows where."""

from __future__ import annotations

import os
import random
import signal
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

import pytest

from conftest import ODD_NAMES, World, a_world, fill, leftovers, picture
from nuvik.core.carrying.aside_folders import held
from nuvik.core.carrying.run import release, resume, undo
from nuvik.core.hosts import syscalls
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import State
from nuvik.core.stages.workspace import Workspace
from refusals import shift


class Dead(BaseException):
    """The machine died. No clean-up may touch the disk any more."""


class Fuse(FileOpHook):
    """Lets `life` file operations through, then the machine is dead."""

    def __init__(self, inner: FileOpHook, life: int) -> None:
        self.inner, self.life, self.count = inner, life, 0

    def before(self, operation: str, path: str, count_bytes: int = 0) -> None:
        self.count += operation != "look"
        if self.count > self.life:
            raise Dead
        self.inner.before(operation, path, count_bytes)

    def read_back(self, path: str, data: bytes) -> bytes:
        return self.inner.read_back(path, data)


def set_up(world: World, names: Sequence[bytes] = ODD_NAMES) -> tuple[str, str, dict]:
    source = world.path("kestrel", "Games", "Ferry [bold]")
    fill(source, files=5, odd=True, names=names)
    return source, world.path("heron", "Games", "Ferry [bold]"), picture(source)


def assert_promise(source: str, target: str, whole: dict, workspace: Workspace) -> None:
    """A whole copy is reachable; whatever stands under the library's own name, here or there, is whole."""
    moves = workspace.logbook.moves()
    kept = [held(move) for move in moves] + [source, target]
    assert any(os.path.isdir(place) and picture(place) == whole for place in kept)
    for place in (source, target):
        if os.path.isdir(place):
            assert picture(place) == whole, f"{place} is half there"
    assert moves, "the journal knows nothing"


def die_after(workspace: Workspace, life: int, act: Callable[[], object]) -> bool:
    """Do something on a machine that dies after `life` operations; True if it died."""
    workspace.computer.host.files.hook = Fuse(workspace.computer.host.files.hook, life)
    try:
        act()
    except Dead:
        return True
    return False


EVERY = [pytest.param(1, marks=pytest.mark.slow, id="every operation"), pytest.param(14, id="a few operations")]
"""The few are there to be quick: who changes the code sees in seconds what the whole would show in minutes. Where every
operation is tried, fewer files of odd names take part: each of them is one of the few's.
"""


@pytest.mark.parametrize("stride", EVERY)
@pytest.mark.parametrize("atomic", [True, False], ids=["exchange", "two renames"])
@pytest.mark.parametrize("then", ["resume", "undo"])
def test_forward_survives_death_at_every_operation(tmp_path, monkeypatch, then, atomic, stride):
    if not atomic:
        monkeypatch.setattr(syscalls, "exchange", lambda first, other: False)
    life, died = 3, True
    while died:
        life += stride if then == "resume" and atomic else stride + 2
        world = _fresh(tmp_path, life)
        source, target, whole = set_up(world, ODD_NAMES[: 1 if stride == 1 else None])
        workspace = world.open()
        died = die_after(workspace, life, partial(shift, workspace, source))
        again = world.open()
        if died and not again.logbook.midway():
            # It died before anything was written down (nothing happened), or after all was done.
            assert picture(source) == whole
            continue
        assert_promise(source, target, whole, again)
        if then == "resume" and died:
            resume(again.carry.work())
        if then == "undo":
            undo(
                again.carry.work(), "last" if any(m.state is not State.PLANNED for m in again.logbook.moves()) else "1"
            )
        _assert_ended(world, source, target, whole, moved=then == "resume")
    assert life > 60


@pytest.mark.parametrize("stride", EVERY)
@pytest.mark.parametrize("on_trial", [False, True], ids=["copied back", "put back"])
def test_undo_survives_death_at_every_operation(tmp_path, on_trial, stride):
    life, died = 0, True
    while died:
        life += stride + (1 if on_trial else 2)
        world = _fresh(tmp_path, life)
        source, target, whole = set_up(world, ODD_NAMES[: 1 if stride == 1 else None])
        workspace = world.open()
        shift(workspace, source, on_trial=on_trial)
        died = die_after(workspace, life, partial(undo, workspace.carry.work(), "last"))
        again = world.open()
        assert_promise(source, target, whole, again)
        if again.logbook.midway():
            resume(again.carry.work())
        elif died:
            undo(again.carry.work(), "last")
        _assert_ended(world, source, target, whole, moved=False)
    assert life > 15


def _fresh(tmp_path, number: int) -> World:
    return a_world(tmp_path / f"w{number}", kestrel={}, heron={"medium": "hdd"})


def _assert_ended(world: World, source: str, target: str, whole: dict, moved: bool) -> None:
    assert picture(source) == whole
    assert os.path.islink(source) is moved
    assert os.path.isdir(target) is moved
    assert not leftovers(world.folder)
    assert os.path.exists(os.path.dirname(target)) is moved, "folders that were made for the move stay behind"


@pytest.mark.slow
def test_killed_at_random_instants(tmp_path):
    """A real process is killed again and again; each time the promise holds and the work can be finished."""
    chance, midway = random.Random(7), 0
    for number in range(16):
        world = _fresh(tmp_path, number)
        # A gentle clock makes the move last long enough to be hit in every phase.
        world.data["time_scale"] = 0.2
        world.write()
        source, target, whole = set_up(world)
        words = [sys.executable, "-m", "nuvik", "shift", source, "heron", "--yes", "--world", str(world.folder)]
        child = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        assert child.stdout is not None
        begun = child.stdout.readline()  # "1. Ferry …": from here on it really carries
        time.sleep(chance.uniform(0, 0.5))
        child.send_signal(signal.SIGKILL)
        child.wait()
        assert begun.startswith("1. Ferry")
        again = world.open()
        assert_promise(source, target, whole, again)
        if again.logbook.midway():
            midway += 1
            resume(again.carry.work()) if number % 2 else undo(again.carry.work(), "last")
        moved = os.path.islink(source)
        assert picture(source) == whole
        assert not leftovers(world.folder)
        assert os.path.isdir(target) is moved
    assert midway >= 4, "the kills came too late to prove anything"


@pytest.mark.parametrize(
    ("fault", "words"),
    [
        ({"drive": "heron", "fail_write": 9}, "could not be read or written"),
        ({"drive": "heron", "pull_after_bytes": 60_000}, "cable"),
        ({"drive": "kestrel", "pull_after_bytes": 60_000}, "cable"),
        *(({"drive": "heron", "cut_after_bytes": count}, "cable") for count in (60_000, 120_000, 200_000)),
    ],
)
def test_declared_faults_stop_safely_and_resume_finishes(world, fault, words):
    source, target, whole = set_up(world)
    world.write(fault=[fault])
    with pytest.raises(Stopped, match=words) as stopped:
        shift(world.open(), source)
    assert "nuvik undo 1" in stopped.value.next_step
    assert picture(source) == whole
    world.write(fault=[])
    resume(world.open().carry.work())
    assert os.path.islink(source)
    assert picture(target) == whole


def test_a_bit_flipped_on_the_way_is_found_and_copied_again(world):
    source, target, whole = set_up(world)
    world.write(fault=[{"flip_read_back": 2}])
    shift(world.open(), source)
    assert picture(target) == whole


def test_a_drive_that_always_lies_is_refused_as_unsound(world, monkeypatch):
    source, _, whole = set_up(world)
    workspace = world.open()
    monkeypatch.setattr(workspace.computer.host.files.hook, "read_back", lambda path, data: bytes(data[:-1]) + b"?")
    with pytest.raises(Stopped, match="faulty"):
        shift(workspace, source)
    assert picture(source) == whole
    undo(world.open().carry.work(), "last")
    _assert_no_trace(world, source, whole)


def test_a_source_that_changes_while_copied_is_copied_again(world, monkeypatch):
    source, target, _ = set_up(world)
    workspace = world.open()
    inner, written = workspace.computer.host.files.hook.before, []

    def write_late(operation: str, path: str, count_bytes: int = 0) -> None:
        inner(operation, path, count_bytes)
        if operation == "flush" and len(written) < 2:
            written.append(path)
            with open(os.path.join(source, "file-0000.bin"), "ab") as file:
                file.write(b"a late line")

    monkeypatch.setattr(workspace.computer.host.files.hook, "before", write_late)
    shift(workspace, source)
    with open(os.path.join(target, "file-0000.bin"), "rb") as file:
        assert file.read().endswith(b"a late line")
    assert len(written) == 2


def test_a_write_between_the_last_look_and_the_switch_is_not_lost(world, monkeypatch):
    source, target, _ = set_up(world)
    workspace, real, late = world.open(), syscalls.exchange, []

    def exchange(first: str, other: str) -> bool:
        if not late:
            late.append(1)
            with open(os.path.join(source, "file-0000.bin"), "ab") as file:
                file.write(b"in the gap")
        return real(first, other)

    monkeypatch.setattr(syscalls, "exchange", exchange)
    shift(workspace, source)
    with open(os.path.join(target, "file-0000.bin"), "rb") as file:
        assert file.read().endswith(b"in the gap")
    assert os.path.islink(source)
    assert not leftovers(world.folder)


def test_undo_on_trial_keeps_what_was_changed_at_the_new_place(world):
    source, target, whole = set_up(world)
    shift(world.open(), source, on_trial=True)
    with open(os.path.join(source, "saved-game.txt"), "w") as file:
        file.write("level 9")
    undo(world.open().carry.work(), "last")
    with open(os.path.join(source, "saved-game.txt")) as file:
        assert file.read() == "level 9"
    assert set(picture(source)) == {*whole, b"saved-game.txt"}
    assert not os.path.exists(target)
    assert not leftovers(world.folder)


def test_nothing_is_released_or_judged_while_its_drive_is_away(world):
    source, target, whole = set_up(world)
    target = target.replace("heron", "wren")
    shift(world.open(), source, on_trial=True, drive="wren")
    world.attach("wren", False)
    away = world.open()
    with pytest.raises(Refused, match="is not visible at"):
        release(away.carry.work(), "all")
    move = away.logbook.moves()[0]
    away.carry.work().journal.keep(replace(move, state=State.PUBLISHED))  # as if it had been stopped just there
    with pytest.raises(Stopped, match="Wren is away"):
        resume(away.carry.work())
    assert picture(held(move)) == whole
    world.attach("wren")
    resume(world.open().carry.work())
    assert picture(target) == whole
    assert os.path.islink(source)


def test_a_drive_without_a_free_byte_can_still_be_emptied(world):
    source, target, whole = set_up(world)
    free = next(drive for drive in world.open().drives.all() if drive.id == "kestrel").free_bytes
    with open(world.path("kestrel", "ballast"), "wb") as file:
        file.truncate(free)
    shift(world.open(), source)
    assert picture(target) == whole
    assert os.path.islink(source)
    assert not leftovers(world.folder)


def test_what_a_program_still_holds_open_is_not_released(world, monkeypatch):
    """It opened a file after the checks and before the switch, and goes on writing to the original."""
    source, _, whole = set_up(world)
    workspace, real, programs = world.open(), syscalls.exchange, []

    def exchange(first: str, other: str) -> bool:
        if not programs:
            programs.append(
                subprocess.Popen(["tail", "-f", os.path.join(source, "file-0000.bin")], stdout=subprocess.DEVNULL)
            )
            while not workspace.computer.host.used_by(source):
                time.sleep(0.01)
        return real(first, other)

    monkeypatch.setattr(syscalls, "exchange", exchange)
    try:
        shift(workspace, source)
        move = workspace.logbook.moves()[0]
        assert move.state is State.ON_TRIAL and "tail" in str(move.problem)
        assert picture(held(move)) == whole
    finally:
        programs[0].kill()
        programs[0].wait()
    with open(os.path.join(held(move), "file-0000.bin"), "ab") as file:
        file.write(b"written late")
    with pytest.raises(Refused, match="was changed since it was moved"):
        release(world.open().carry.work(), "all")
    assert os.path.isdir(held(move))
    release(world.open().carry.work(), "1", even_if_changed=True)
    assert not leftovers(world.folder)


def test_moves_within_moves_are_taken_back_in_order(world):
    outer = world.path("kestrel", "Projects", "Mosaic")
    fill(outer, seed=4)
    inner = os.path.join(outer, "data")
    before = picture(outer, times=False)  # the folder above a moved one changes its own time
    shift(world.open(), inner, on_trial=True)
    with pytest.raises(Refused, match="being kept for another move"):
        shift(world.open(), outer)
    release(world.open().carry.work(), "all")
    shift(world.open(), outer)
    shift(world.open(), world.path("heron", "Projects", "Mosaic"), drive="wren")
    with pytest.raises(Refused, match="later move back first"):
        undo(world.open().carry.work(), "2")
    for move in ("3", "2", "1"):
        undo(world.open().carry.work(), move)
    assert picture(outer, times=False) == before
    assert not leftovers(world.folder)


def test_a_link_to_a_neighbour_stays_true_wherever_the_two_are_moved(world):
    ferry, lantern = (fill(world.path("kestrel", "Games", name), files=2) for name in ("Ferry", "Lantern"))
    (lantern / "neighbour").symlink_to("../Ferry/file-0000.bin")
    (lantern / "own name").symlink_to("../Lantern/data/file-0001.bin")
    opens = (lantern / "neighbour").read_bytes(), (lantern / "own name").read_bytes()
    shift(world.open(), str(ferry))
    shift(world.open(), str(lantern), drive="wren")
    for act in (
        lambda: undo(world.open().carry.work(), "1"),
        lambda: undo(world.open().carry.work(), "2"),
        lambda: None,
    ):
        assert ((lantern / "neighbour").read_bytes(), (lantern / "own name").read_bytes()) == opens
        act()
    assert os.readlink(lantern / "neighbour") == "../Ferry/file-0000.bin"


def test_a_single_file_is_a_library_too(world):
    image = world.path("kestrel", "old disc.img")
    with open(image, "wb") as file:
        file.write(b"disc")
        file.truncate(5_000_000)
    os.utime(image, ns=(1_600_000_000_000_000_000, 1_500_000_000_000_000_000))
    shift(world.open(), image)
    assert os.path.islink(image) and os.path.getsize(image) == 5_000_000
    undo(world.open().carry.work(), "last")
    assert not os.path.islink(image) and os.stat(image).st_mtime_ns == 1_500_000_000_000_000_000
    with open(image, "rb") as file:
        assert file.read(6) == b"disc\0\0"


def test_a_journal_that_cannot_be_written_stops_before_anything_is_lost(world, monkeypatch):
    source, _, whole = set_up(world)
    workspace, calls = world.open(), []
    real = workspace.computer.database._transaction

    def full_after_some():
        calls.append(1)
        if len(calls) > 9:
            raise sqlite3.OperationalError("database or disk is full")
        return real()

    monkeypatch.setattr(type(workspace.computer.database), "_transaction", lambda self: full_after_some())
    with pytest.raises(Stopped, match="disk is full"):
        shift(workspace, source)
    monkeypatch.undo()
    assert picture(source) == whole
    resume(world.open().carry.work())
    assert os.path.islink(source) and picture(source) == whole


def _assert_no_trace(world: World, source: str, whole: dict) -> None:
    assert picture(source) == whole
    assert not leftovers(world.folder)
