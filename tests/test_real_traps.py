"""On real drives: what a path leads to changes between a stop and going on, and nothing is lost or goes astray."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from contextlib import suppress
from functools import partial
from pathlib import Path

import pytest

from conftest import fill, leftovers, picture
from nuvik.__main__ import run
from nuvik.core.carrying.run import carry_plan, resume, undo
from nuvik.core.hosts import syscalls
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.model.errors import NuvikError, Stopped
from nuvik.core.model.journal import State
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.stages.workspace import open_workspace
from refusals import shift
from test_promise import die_after
from volumes import MAKE

LIVES = [3, 9, 16, 24, 33, 45, 60, 75, 90, 100, 110, 125, 400]
"""After how many operations the machine dies."""


@pytest.mark.parametrize("which", ["large", "small"])
@pytest.mark.parametrize("then", ["resume", "undo"])
def test_a_drive_that_is_mounted_elsewhere_after_a_stop_is_the_same_drive(real_drives, tmp_path, which, then):
    for number, life in enumerate(LIVES[:: 1 if which == "large" else 3]):
        small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
        library, state = fill(small / "Library", files=8), str(tmp_path / f"state {number}")
        whole, workspace = picture(library), open_workspace(state=state)
        die_after(workspace, life, partial(shift, workspace, library, "large"))
        point = real_drives.elsewhere(which, "another place")
        library = point / "Library" if which == "small" else library
        again = open_workspace(state=state)
        if again.logbook.midway():
            try:
                resume(again.carry.work()) if then == "resume" else undo(again.carry.work(), "last")
            except Stopped:  # what was switched already is opened through a link that leads to where the drive was
                undo(again.carry.work(), "last")
            move = again.logbook.moves()[0]
            assert move.source == str(library) and move.target.startswith(str(point if which == "large" else large))
        places = (library, point / "Other" / "Library", large / "Other" / "Library")
        there = [place for place in places if place.is_dir() and not place.is_symlink()]
        assert [picture(place) == whole for place in there] == [True], f"life {life}: whole, and in one place"
        assert os.listdir(real_drives.place / which) == [], "nothing is written to where the drive was"
        assert not leftovers(small if which == "large" else point)
        real_drives.down()
        real_drives.loops.clear()


class Trap(FileOpHook):
    """A hook that springs once, at a chosen operation of Nuvik."""

    def __init__(self, hook, at: int, spring) -> None:
        self._hook, self._left, self._spring = hook, at, spring

    def before(self, operation, path, count_bytes=0):
        self._left -= 1
        if self._left == 0:
            self._spring()
        return self._hook.before(operation, path, count_bytes)


@pytest.mark.parametrize("side", ["target", "source"])
@pytest.mark.parametrize("when", ["while it runs", "after a stop"])
@pytest.mark.parametrize("way_of_opening", ["in one call", "step by step"])
def test_a_folder_on_the_way_that_becomes_a_link_is_not_followed(
    real_drives, tmp_path, monkeypatch, when, side, way_of_opening
):
    if way_of_opening != "in one call":
        monkeypatch.setattr(syscalls, "opens_beneath", lambda: False)
    for number, life in enumerate(LIVES[1:]):
        small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
        library, state = fill(small / "mine" / "deep" / "Library", files=6), str(tmp_path / f"state {number}")
        whole, workspace = picture(library), open_workspace(state=state)
        (large / "box" / "inner").mkdir(parents=True)
        way, drive = (large / "box", large) if side == "target" else (small / "mine", small)
        decoy = fill(drive / "elsewhere" / ("inner" if side == "target" else "deep") / "Library", seed=9)
        before = picture(drive / "elsewhere")

        def swap(way=way, drive=drive) -> None:
            way.rename(drive / "away")
            way.symlink_to("elsewhere")

        def act(workspace=workspace, library=library, large=large) -> None:
            draft = workspace.plan.draft([(str(library), str(large / "box" / "inner"))])
            carry_plan(workspace.carry.work(), make_plan(draft))

        if when == "after a stop":
            die_after(workspace, life, act)
            swap()
        else:
            files = workspace.computer.host.files
            files.hook = Trap(files.hook, life, swap)
            with suppress(NuvikError):
                act()
        again = open_workspace(state=state)
        with suppress(NuvikError):
            if again.logbook.midway():
                resume(again.carry.work())
        assert picture(drive / "elsewhere") == before, f"life {life}: what the link leads to is touched"
        if way.is_symlink():
            way.unlink()
            (drive / "away").rename(way)
        with suppress(NuvikError):
            if open_workspace(state=state).logbook.midway():
                resume(open_workspace(state=state).carry.work())
        places = (library, large / "box" / "inner" / "Library")
        there = [place for place in places if place.is_dir() and not place.is_symlink()]
        assert there and all(picture(place) == whole for place in there), f"life {life}"
        assert decoy.is_dir()
        real_drives.down()
        real_drives.loops.clear()


@pytest.mark.parametrize("beneath", [True, False], ids=["in one call", "step by step"])
def test_what_is_mounted_in_a_library_later_is_neither_copied_nor_removed(real_drives, tmp_path, monkeypatch, beneath):
    """Also where the system, or a sandbox around the program, knows no call that refuses to enter a mount."""
    if not beneath:
        monkeypatch.setattr(syscalls, "opens_beneath", lambda: False)
    for number, life in enumerate(LIVES[1:]):
        small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
        library, state = fill(small / "Library", files=6), str(tmp_path / f"state {number}")
        other = fill(small / "other", seed=9)  # on the same device: only the mount tells
        before, workspace = picture(other), open_workspace(state=state)
        mounted: list[Path] = []

        def mount(small=small, other=other, mounted=mounted) -> None:
            inside = [*small.glob(".nuvik-held-*/content/empty"), small / "Library" / "empty"]
            place = next((path for path in inside if path.is_dir() and not path.parent.is_symlink()), None)
            if place is not None:
                subprocess.run(["mount", "--bind", str(other), str(place)], check=True)
                mounted.append(place)

        files = workspace.computer.host.files
        files.hook = Trap(files.hook, life, mount)
        with suppress(NuvikError):
            shift(workspace, library, "large")
        assert picture(other) == before, f"life {life}: what was mounted there is touched"
        copy = large / "Other" / "Library" / "empty"
        assert not copy.is_dir() or not os.listdir(copy), "and copied"
        for place in mounted:
            subprocess.run(["umount", "-l", str(place)], check=False, capture_output=True)
        real_drives.down()
        real_drives.loops.clear()


def test_what_would_fail_midway_is_refused_before_the_start(real_drives, tmp_path):
    small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
    library, workspace = fill(small / "mine" / "Library", files=6), open_workspace(state=str(tmp_path / "state"))

    def problems(goal: str = "large") -> str:
        timeline = workspace.rehearse.rehearse(make_plan(workspace.plan.draft([(str(library), goal)])))
        return " ".join(violation.problem for violation in timeline.violations)

    assert problems() == ""
    for flag, word, place in (("i", "immutable", library / "data" / "file-0001.bin"), ("a", "append-only", library)):
        subprocess.run(["chattr", f"+{flag}", str(place)], check=True)
        try:
            assert f"is marked as {word}" in problems()
        finally:
            subprocess.run(["chattr", f"-{flag}", str(place)], check=True)
    (large / ".nuvik-held-1-aa").mkdir()
    assert "kept for the file system itself" in problems(str(large / "lost+found"))
    assert "kept for moves of Nuvik" in problems(str(large / ".nuvik-held-1-aa"))
    host = workspace.computer.host
    assert host.why_no_place("/usr/share/games") == "it belongs to the system (/usr)"
    assert host.why_no_place(str(large / "new" / "folder")) is None


def test_a_listener_that_is_gone_and_a_terminal_that_hangs_up_cost_nothing(real_drives, tmp_path):
    small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
    library, state = fill(small / "Library", files=400), str(tmp_path / "state")
    whole = picture(library)
    words = [sys.executable, "-m", "nuvik", "shift", str(library), "large", "--yes", "--json", "--state", state]
    deaf = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    deaf.stdout.readline()
    deaf.stdout.close()
    printed = deaf.communicate(timeout=60)[1]
    (move,) = open_workspace(state=state).logbook.moves()
    assert move.state is State.RELEASED and picture(large / "Other" / "Library") == whole, printed
    undo(open_workspace(state=state).carry.work(), "last")
    hung = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    hung.stdout.readline()
    hung.send_signal(signal.SIGHUP)
    hung.communicate(timeout=60)
    assert hung.returncode in (0, 4), "as with Ctrl+C"
    workspace = open_workspace(state=state)
    if hung.returncode == 4:
        resume(workspace.carry.work())
    assert picture(large / "Other" / "Library") == whole


@pytest.mark.parametrize("on_trial", [False, True])
def test_a_drive_that_never_comes_back_locks_nothing(real_drives, tmp_path, on_trial):
    """A move to it is given up or taken back without it, while the original is kept; other work goes on meanwhile."""
    for number, life in enumerate([*LIVES[2:], 10_000]):
        small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
        third = real_drives.up("third", "60M", "ext4")
        library, other = fill(small / "Library", files=6), fill(small / "Another", files=4, seed=5)
        state, whole = str(tmp_path / f"state {number}"), picture(library)
        workspace = open_workspace(state=state)
        draft = workspace.plan.draft([(str(library), "large"), (str(other), "third")])
        plan = make_plan(draft)
        die_after(workspace, life, partial(carry_plan, workspace.carry.work(), plan, on_trial))
        subprocess.run(["umount", str(large)], check=True)
        again = open_workspace(state=state)
        move = again.logbook.moves()[0] if again.logbook.moves() else None
        if again.logbook.midway() and move.state not in (State.PLANNED, State.RELEASING):
            with suppress(NuvikError):
                resume(again.carry.work())
            assert not (small / "Another").is_dir() or (small / "Another").is_symlink(), "the other one went on"
            assert list(third.glob("*/Another"))
        if move is not None and move.state not in (State.PLANNED, State.RELEASING, State.RELEASED):
            undo(open_workspace(state=state).carry.work(), str(move.id))
            assert picture(library) == whole and not library.is_symlink(), f"life {life}"
            assert "its copy is left on large" in open_workspace(state=state).logbook.moves()[0].problem
            shift(open_workspace(state=state), library, "third")
            assert not [path for path in leftovers(small) if "-held-1-" in path]
        real_drives.down()
        real_drives.loops.clear()


def test_a_volume_that_keeps_whole_seconds_is_no_faulty_drive(real_drives, tmp_path, monkeypatch):
    small = real_drives.up("small", "60M", "ext4")
    monkeypatch.setitem(MAKE, "ext4", [*MAKE["ext4"], "-I", "128"])
    real_drives.up("large", "60M", "ext4")
    library, workspace = fill(small / "Library", files=4), open_workspace(state=str(tmp_path / "state"))
    shift(workspace, library, "large", on_trial=True)
    undo(workspace.carry.work(), "last")
    assert workspace.logbook.moves()[-1].undoes is None, "nothing in the copy counts as changed"
    shift(workspace, library, "large")


def test_a_drive_that_is_away_is_no_fault_of_nuvik(real_drives, tmp_path, capsys):
    small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
    library, state = fill(small / "Library", files=4), str(tmp_path / "state")
    workspace = open_workspace(state=state)
    die_after(workspace, 30, partial(shift, workspace, library, "large"))
    subprocess.run(["umount", str(large)], check=True)
    assert run(["resume", "--state", state]) == 4, "stopped, and safe"
    assert "Attach large" in capsys.readouterr().err
    assert run(["undo", "last", "--yes", "--state", state]) == 0
    printed = capsys.readouterr().out
    assert "Library taken back: it is where it was; its copy is left on large, which was away" in printed


def test_two_drives_with_one_identity_are_told_apart_and_let_alone(real_drives, tmp_path, capsys):
    small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "90M", "ext4")
    library, state = fill(small / "mine" / "Library", files=4), ["--state", str(tmp_path / "state")]
    assert run(["drives", *state]) == 0
    copy = real_drives.up("copy", "60M", "ext4")
    subprocess.run(["umount", str(copy)], check=True)
    identity = subprocess.run(
        ["blkid", "-p", "-s", "UUID", "-o", "value", real_drives.loops["small"][0]],
        capture_output=True,
        text=True,
        check=True,
    ).stdout.strip()
    subprocess.run(["tune2fs", "-f", "-U", identity, real_drives.loops["copy"][0]], check=True, capture_output=True)
    real_drives.mount("copy")
    capsys.readouterr()
    for goal in ("copy", str(large)):
        assert run(["shift", str(library), goal, "--yes", *state]) == 3
        printed = capsys.readouterr()
        assert "have the same identity, as copies do" in printed.out + printed.err
    assert library.is_dir() and not library.is_symlink() and os.listdir(large) == ["lost+found"]
    workspace = open_workspace(None, str(tmp_path / "state"))
    labels = {drive.label: drive.copy_of for drive in workspace.drives.all() if drive.attached}
    assert labels["small"] == "copy" and labels["copy"] == "small" and labels["large"] == ""
    assert not workspace.logbook.moves(), "refused before anything began"
    subprocess.run(["umount", str(copy)], check=True)
    assert run(["shift", str(library), str(large), "--yes", *state]) == 0 and library.is_symlink()
