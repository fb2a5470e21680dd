"""On real small file systems: everything that hurts is carried exactly, and comes back identical."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import fill, leftovers, make_odd, picture, put
from nuvik.core.carrying.run import release, resume, undo
from nuvik.core.hosts.local import LocalHost
from nuvik.core.model.library import Card
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.stages.workspace import Workspace, open_workspace
from nuvik.core.survey.walk.walk_slice import A_SNAPSHOT
from nuvik.core.views.library_page import library_page
from nuvik.core.views.unread_words import unread_problems
from refusals import shift


@pytest.fixture
def workspace(tmp_path) -> Workspace:
    return open_workspace(state=str(tmp_path / "state"))


@pytest.mark.parametrize("filesystem", ["ext4", "xfs"])
def test_two_thousand_hostile_files_there_and_back(real_drives, workspace, filesystem):
    small, large = real_drives.up("small", "200M", "ext4"), real_drives.up("large", "400M", filesystem)
    library = fill(small / "My Library", files=2_000, odd=True)
    (library / "data" / "out").symlink_to("../../outside.txt")
    (small / "outside.txt").write_text("reached")
    os.setxattr(library / "file-0000.bin", "user.rating", b"five")
    whole = picture(library)
    free_before = os.statvfs(small).f_bavail
    shift(workspace, str(library), "large")
    move = workspace.logbook.moves()[0]
    assert library.is_symlink()
    through = picture(library)
    assert (library / "data" / "out").read_text() == "reached"
    changed = {name for name in whole if whole[name] != through.get(name)}
    assert changed == {b"data/out"}, "only the link that leads out may say something else"
    assert os.getxattr(library / "file-0000.bin", "user.rating") == b"five"
    assert os.statvfs(small).f_bavail > free_before
    assert move.freed_bytes == pytest.approx(move.frees_bytes, rel=0.02)
    assert move.problem is None
    assert not leftovers(small) and not leftovers(large)
    undo(workspace.carry.work(), "last")
    assert not library.is_symlink()
    assert picture(library) == whole
    assert os.getxattr(library / "file-0000.bin", "user.rating") == b"five"
    assert sorted(os.listdir(large)) in ([], ["lost+found"])


def test_to_exfat_and_back_restores_what_exfat_cannot_keep(real_drives, workspace):
    small, _ = real_drives.up("small", "100M", "ext4"), real_drives.up("stick", "100M", "exfat")
    library = fill(small / "Photos 2026", files=40)
    (library / "script").write_text("#!/bin/sh\n")
    (library / "script").chmod(0o750)
    whole = picture(library)
    shift(workspace, str(library), "stick")
    contents = {name: facts[2] for name, facts in whole.items() if facts[0] == "file"}
    assert {name: facts[2] for name, facts in picture(library).items() if facts[0] == "file"} == contents
    undo(workspace.carry.work(), "last")
    # Holes are the one thing that exFAT turned into zeros; the contents are the same.
    assert {n: f[:4] + f[5:] for n, f in picture(library).items()} == {n: f[:4] + f[5:] for n, f in whole.items()}
    make_odd(small / "Photos 2026")
    timeline = workspace.rehearse.rehearse(make_plan(workspace.plan.draft([(str(library), "stick")])))
    problems = " ".join(violation.problem for violation in timeline.violations)
    assert "is a link, which exFAT cannot hold" in problems
    assert "exFAT does not allow" in problems


def test_from_ntfs_without_atomic_exchange(real_drives, workspace):
    old, _ = real_drives.up("old", "100M", "ntfs"), real_drives.up("large", "200M", "ext4")
    assert {drive.filesystem for drive in LocalHost().drives() if drive.label in ("old", "large")} == {"ntfs", "ext4"}
    library = fill(old / "Family Films", files=30)
    contents = {name: facts[2] for name, facts in picture(library).items() if facts[0] == "file"}
    shift(workspace, str(library), "large", on_trial=True)
    assert library.is_symlink()
    release(workspace.carry.work(), "all")
    undo(workspace.carry.work(), "last")
    assert {name: facts[2] for name, facts in picture(library).items() if facts[0] == "file"} == contents
    assert not leftovers(old)


@pytest.mark.parametrize("which", ["small", "large"])
def test_power_cut_in_the_middle(real_drives, tmp_path, which):
    """The power of one drive goes while the real program carries; what was not flushed is lost, and nothing else."""
    small, large = real_drives.up("small", "150M", "ext4"), real_drives.up("large", "300M", "xfs")
    library = fill(small / "Library", files=600, odd=True)
    whole, state = picture(library, times=False), str(tmp_path / "state")
    os.sync()
    words = [sys.executable, "-m", "nuvik", "shift", str(library), "large", "--yes", "--state", state]
    for wait in (0.02, 0.15, 0.4):
        child = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        assert child.stdout is not None
        assert child.stdout.readline().startswith("1. ")
        time.sleep(wait)
        real_drives.cut(which)
        time.sleep(0.2)
        child.send_signal(signal.SIGKILL)
        child.wait()
        real_drives.back(which)
        workspace = open_workspace(state=state)
        reachable = [place for place in small.glob(".nuvik-held-*/content") if not place.is_symlink()]
        reachable += [library, large / "Other" / "Library"]
        assert any(place.is_dir() and picture(place, times=False) == whole for place in reachable)
        if workspace.logbook.midway():
            resume(workspace.carry.work())
        assert picture(library, times=False) == whole
        if library.is_symlink():
            undo(workspace.carry.work(), "last")
        assert picture(library, times=False) == whole
        assert not leftovers(small) and not leftovers(large)


@pytest.mark.parametrize("filesystem", ["ext4", "xfs", "ntfs", "exfat"])
def test_a_survey_of_real_file_systems_counts_what_they_hold(real_drives, workspace, filesystem):
    """Beside the plain tool, with another drive mounted inside, and after a second name outside came and went."""
    outer, inner = real_drives.up("outer", "400M", filesystem), real_drives.up("inner", "100M", "ext4")
    library = outer / "My Library"
    (library / "deep").mkdir(parents=True)
    for number in range(300):
        (library / "deep" / f"n{number}.dat").write_bytes(b"x" * (number * 61 % 9_000))
    with open(library / "film.mkv", "wb") as file:
        file.write(b"x" * 30_000_000)
    (inner / "elsewhere.bin").write_bytes(b"y" * 1_000_000)
    nested = library / "nested"
    nested.mkdir()
    subprocess.run(["mount", "--bind", str(inner), str(nested)], check=True)
    try:
        snapshot = workspace.survey.take((str(outer),))
        (mine,) = [library for library in snapshot.libraries if library.name == "My Library"]
        plain = ["du", "-s", "-x", "-B1", str(library)]
        printed = subprocess.run(plain, capture_output=True, text=True, check=True).stdout
        assert (mine.files, mine.bytes) == (301, 30_000_000 + sum(number * 61 % 9_000 for number in range(300)))
        assert mine.on_disk_bytes == int(printed.split()[0])
        assert not mine.movable and "another drive is mounted inside it" in mine.why_not
        assert (str(nested), "another drive is mounted here") in [
            (problem.path, problem.problem) for problem in snapshot.problems
        ]
    finally:
        subprocess.run(["umount", str(nested)], check=True)
    free_before, before = os.statvfs(outer), mine.on_disk_bytes
    subprocess.run(["rm", "-r", str(library)], check=True)
    os.sync()
    gone = (os.statvfs(outer).f_bfree - free_before.f_bfree) * free_before.f_frsize
    if filesystem == "xfs":
        return  # it frees in the background, and had set room aside for files that might grow
    assert gone == pytest.approx(before, rel=0.02), "what the survey said it holds is what becomes free"


def test_a_long_file_full_of_holes_needs_only_what_it_holds_where_holes_are_kept(real_drives, workspace):
    small, large, stick = (
        real_drives.up(*words)
        for words in (("small", "300M", "ext4"), ("large", "400M", "xfs"), ("stick", "100M", "exfat"))
    )
    machine = small / "machine"
    machine.mkdir()
    with open(machine / "disk.raw", "wb") as image:
        for place in (0, 10**9, 2 * 10**9):
            image.seek(place)
            image.write(os.urandom(2**20))
        image.truncate(3 * 10**9)
    with open(machine / "notes.txt", "wb") as notes:
        notes.write(os.urandom(3 * 2**20))
    workspace.survey.keep_cards([Card(path=str(machine))])
    snapshot = workspace.survey.take([str(small), str(stick)])
    library = next(library for library in snapshot.libraries if library.path == str(machine))
    drives = {
        os.path.basename(drive.path): drive
        for drive in snapshot.drives
        if os.path.dirname(drive.path) == str(small.parent)
    }
    held = 6 * 2**20
    assert library.room_on(drives["large"]) == pytest.approx(held, rel=0.1)
    assert library.room_on(drives["stick"]) > 3 * 10**9
    seen = replace(snapshot, drives=tuple(drives[name] for name in ("small", "large", "stick")))
    page = dict(library_page(library, seen))
    assert "would take" not in page  # the stick could never hold it, so it is not compared with that
    draft = workspace.plan.draft([(str(machine), str(large))])
    assert drives["large"].free_bytes - draft.free_then_bytes(drives["large"].id) == pytest.approx(held, rel=0.1)
    assert workspace.rehearse.rehearse(make_plan(draft)).violations == ()
    shift(workspace, str(machine), str(large))
    assert (machine / "disk.raw").stat().st_blocks * 512 < 8 * 2**20
    undo(workspace.carry.work(), "last")
    assert (machine / "disk.raw").stat().st_size == 3 * 10**9
    refused = workspace.rehearse.rehearse(make_plan(workspace.plan.draft([(str(machine), "stick")])))
    assert any("short of its headroom" in violation.problem for violation in refused.violations)


def test_sub_volumes_are_walked_and_their_snapshots_are_not(real_drives, workspace):
    pool, other = real_drives.up("pool", "400M", "btrfs"), real_drives.up("other", "100M", "ext4")
    for words in (["create", f"{pool}/films"], ["create", f"{pool}/films/deep"]):
        subprocess.run(["btrfs", "subvolume", *words], check=True, capture_output=True)
    put(pool / "films" / "deep" / "b.mkv", 0).write_bytes(os.urandom(9 * 2**20))
    fill(pool / "films" / "Show")
    second_names = [pool / "films" / "Show" / "x1", pool / "films" / "deep" / "y1"]
    for name in second_names:
        name.write_bytes(b"z" * 5_000)
        os.link(name, f"{name}-again")
    for flag in ([], ["-r"]):
        place = f"{pool}/before{len(flag)}"
        subprocess.run(
            ["btrfs", "subvolume", "snapshot", *flag, f"{pool}/films", place], check=True, capture_output=True
        )
    point = other / "films here too"
    point.mkdir()
    mounts = Path("/proc/mounts").read_text(encoding="utf-8").splitlines()
    device = next(line.split()[0] for line in mounts if f" {pool} " in line)
    subprocess.run(["mount", "-o", "subvol=films", device, str(point)], check=True)
    try:
        assert workspace.computer.host.default_roots().count(str(point)) == 0, "it is walked from the pool's root"
        workspace.survey.keep_cards([Card(path=str(pool / "films" / "Show"), name="Show")])
        snapshot = workspace.survey.take([str(pool)])
        plain = sum(
            os.lstat(os.path.join(here, name)).st_blocks * 512 / os.lstat(os.path.join(here, name)).st_nlink
            for here, _, names in os.walk(pool / "films")
            for name in names
        )
        held = sum(library.on_disk_bytes for library in snapshot.libraries) + sum(
            folder.bytes for folder in snapshot.loose
        )
        assert held == pytest.approx(plain, rel=0.02)
        verdicts = {os.path.relpath(library.path, pool): library.why_not for library in snapshot.libraries}
        assert verdicts["films/Show"] is None and "sub-volume" in verdicts["films/deep"]
        assert {problem.problem for problem in snapshot.problems if problem.path.startswith(str(pool))} == {A_SNAPSHOT}
        assert not unread_problems(snapshot)
        whole = picture(pool / "films" / "Show")
        shift(workspace, str(pool / "films" / "Show"), "other")
        undo(workspace.carry.work(), "last")
        assert picture(pool / "films" / "Show") == whole
    finally:
        subprocess.run(["umount", str(point)], check=True)


@pytest.mark.parametrize("filesystem", ["ext4", "xfs", "btrfs", "ntfs"])
def test_what_became_free_is_told_even_of_what_was_written_just_now(real_drives, workspace, filesystem):
    small, large = real_drives.up("small", "300M", filesystem), real_drives.up("large", "300M", "ext4")
    (small / "Library").mkdir()
    (small / "Library" / "film.bin").write_bytes(os.urandom(40_000_000))
    shift(workspace, str(small / "Library"), str(large))
    (move,) = workspace.logbook.moves()
    assert move.problem is None and move.freed_bytes == pytest.approx(move.frees_bytes, abs=1_000_000)


def test_what_lies_beside_another_drive_is_recognised(real_drives, tmp_path):
    """A folder above a mount point is no whole that the system protects."""
    outer = real_drives.place / "outer"
    outer.mkdir()
    real_drives.up("stick", "64M", "ext4")
    real_drives.elsewhere("stick", "outer/stick")
    for number in range(2):
        put(fill(outer / "Games" / f"Kite {number}") / "big.pack", 1).write_bytes(os.urandom(30_000_000))
    taken = open_workspace(None, str(tmp_path / "state")).survey.take((str(real_drives.place),))
    paths = [library.path for library in taken.libraries]
    assert str(outer) not in paths and [path for path in paths if path.startswith(f"{outer}/Games")]
