"""On real drives: what a target cannot keep of a library is named before the start, and comes back with it."""

from __future__ import annotations

import os
import struct
from collections import Counter
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import fill, leftovers, picture
from nuvik.core.carrying.run import carry_plan, release, undo
from nuvik.core.hosts import small_files, syscalls
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import State
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.stages.workspace import Workspace, open_workspace
from test_promise import die_after

ENTRIES = ((1, 6, 2**32 - 1), (2, 4, 1001), (4, 4, 2**32 - 1), (16, 6, 2**32 - 1), (32, 4, 2**32 - 1))
ACCESS_LIST = struct.pack("<I", 2) + b"".join(struct.pack("<HHI", *entry) for entry in ENTRIES)
CAPABILITY = bytes.fromhex("0100000200040000000000000000000000000000")
NOT_DUMPED, ACCESS_NOT_KEPT = 0x40, 0x80
IN_2065 = 3_000_000_000 * 10**9
"""Later than file systems with times of 32 bits can tell."""


def odd_marks(library: Path, filesystem: str) -> str:
    """Give a library marks that this file system cannot keep; how they are named."""
    file = library / "file-0001.bin" if (library / "file-0001.bin").exists() else next(library.rglob("file-0001.bin"))
    if filesystem == "ntfs":
        os.setxattr(file, "system.posix_acl_access", ACCESS_LIST)
        return "access lists of"
    if filesystem == "exfat":
        set_flags(file, NOT_DUMPED)
        os.setxattr(file, "security.capability", CAPABILITY)
        os.setxattr(library, "user.note", b"of the whole folder")
        return "file flags (chattr) of"
    if filesystem == "ext4":
        os.setxattr(file, "user.thumbnail", os.urandom(9_000))
        return "the extended attribute user.thumbnail of"
    os.utime(file, ns=(IN_2065, IN_2065))
    os.utime(library / "data", ns=(IN_2065, IN_2065))
    return "the time of 2 entries"


def attributes(library: Path) -> dict[str, dict[str, bytes]]:
    """Extended attributes and flags."""
    return {
        str(path.relative_to(library)): {
            **{name: os.getxattr(path, name) for name in os.listxattr(path)},
            "flags": b"%d" % with_descriptor(path, syscalls.carried_flags),
        }
        for path in (library, *library.rglob("*"))
        if not path.is_symlink()
    }


def with_descriptor(path: Path, act):
    descriptor = os.open(path, os.O_RDONLY)
    try:
        return act(descriptor)
    finally:
        os.close(descriptor)


def set_flags(path: Path, flags: int) -> None:
    with_descriptor(path, lambda descriptor: syscalls.set_carried_flags(descriptor, flags))


def plan_of(workspace: Workspace, library: Path, target: Path, **changes):
    return replace(make_plan(workspace.plan.draft([(str(library), str(target))])), **changes)


@pytest.mark.parametrize("filesystem", ["ntfs", "exfat", "ext4", "old ext4"])
def test_marks_that_are_not_kept_are_a_choice_and_come_back(real_drives, tmp_path, filesystem):
    # Btrfs keeps attributes that ext4 cannot, and every time.
    small, large = real_drives.up("small", "150M", "btrfs"), real_drives.up("large", "300M", filesystem)
    library, workspace = fill(small / "Library"), open_workspace(state=str(tmp_path / "state"))
    named = odd_marks(library, filesystem)
    whole, marked = picture(library), attributes(library)
    with pytest.raises(Refused) as refusal:
        carry_plan(workspace.carry.work(), plan_of(workspace, library, large))
    assert named in refusal.value.what and "--without-marks" in refusal.value.next_step
    assert not leftovers(small) and not leftovers(large), "nothing is left of trying it out"
    plan = plan_of(workspace, library, large, without_marks=True)
    assert any(named in note for note in workspace.rehearse.rehearse(plan).notes)
    outcome = carry_plan(workspace.carry.work(), plan)
    copy = Path(outcome.moves[0].target)
    assert {path: facts[2] for path, facts in picture(copy).items()} == {
        path: facts[2] if facts[0] != "folder" else picture(copy)[path][2] for path, facts in whole.items()
    }, "every byte"
    if outcome.moves[0].state != "released":  # read through a program's cache
        release(workspace.carry.work(), "1", even_if_unread=True)
    undo(workspace.carry.work(), "1")
    assert attributes(library) == marked, "and every mark"
    if filesystem == "exfat":  # which keeps no holes: they come back as zeros
        whole[b"sparse.dat"] = (*whole[b"sparse.dat"][:4], False, whole[b"sparse.dat"][5])
    assert picture(library) == whole


def test_a_way_back_from_a_drive_with_coarse_times_can_be_given_up_at_any_moment(real_drives, tmp_path):
    small, large = real_drives.up("small", "150M", "ext4"), real_drives.up("large", "100M", "exfat")
    library, state, given_up = fill(small / "Library", files=3, odd=False), str(tmp_path / "state"), 0
    whole = picture(library).keys()
    carry_plan(open_workspace(state=state).carry.work(), plan_of(open_workspace(state=state), library, large))
    with suppress(Refused):  # released by itself where what was copied can be read from the medium
        release(open_workspace(state=state).carry.work(), "all", even_if_unread=True)
    copy = library.resolve()
    for life in range(40, 400):
        workspace = open_workspace(state=state)
        assert die_after(workspace, life, lambda workspace=workspace: undo(workspace.carry.work(), "1"))
        workspace = open_workspace(state=state)
        if library.is_dir() and not library.is_symlink():
            break  # it is back
        undo(workspace.carry.work(), "last")
        (*_, back) = workspace.logbook.moves()
        assert back.state is State.UNDONE and copy.is_dir() and not leftovers(small)
        given_up += back.visible
    assert given_up
    workspace.carry.resume()
    assert picture(library).keys() == whole and not leftovers(large)


@pytest.mark.parametrize("in_one_call", [True, False])
def test_a_mark_that_is_refused_midway_stops_and_is_not_lost(real_drives, tmp_path, monkeypatch, in_one_call):
    monkeypatch.setattr(small_files, "IN_ONE_CALL", in_one_call and small_files.IN_ONE_CALL)
    small, large = real_drives.up("small", "150M", "btrfs"), real_drives.up("large", "150M", "ext4")
    library, workspace = fill(small / "Library"), open_workspace(state=str(tmp_path / "state"))
    odd_marks(library, "ext4")
    whole, marked = picture(library), attributes(library)
    work = workspace.carry.work()
    monkeypatch.setattr("nuvik.core.checks.check_step.check_marks", lambda *given: None)
    with pytest.raises(Stopped, match=r"cannot keep the extended attribute user\.thumbnail of .*file-0001\.bin"):
        carry_plan(work, plan_of(workspace, library, large))
    assert picture(library) == whole
    outcome = workspace.carry.resume(without_marks=True)
    assert outcome.moves[0].without_marks and library.is_symlink()
    undo(workspace.carry.work(), "1")
    assert picture(library) == whole and attributes(library) == marked


def test_both_ways_of_copying_many_files_give_the_same(real_drives, tmp_path, monkeypatch):
    small, large = real_drives.up("small", "100M", "ext4"), real_drives.up("large", "300M", "ext4")
    (large / "box").mkdir()
    os.setxattr(large / "box", "system.posix_acl_default", ACCESS_LIST)
    set_flags(large / "box", ACCESS_NOT_KEPT)
    pictures = []
    for in_one_call in (True, False):
        monkeypatch.setattr(small_files, "IN_ONE_CALL", in_one_call and small_files.IN_ONE_CALL)
        library = fill(small / f"Library {in_one_call}", files=90, odd=True)
        for number, path in enumerate(sorted(library.glob("file-*"))):
            os.chown(path, number % 3, number % 2)
            path.chmod(0o4755 if number % 5 == 0 else 0o600 + number % 8)
            if number % 7 == 0:
                os.setxattr(path, "user.number", b"%d" % number)
        set_flags(library / "data", NOT_DUMPED)
        set_flags(library / "file-0004.bin", NOT_DUMPED | ACCESS_NOT_KEPT)
        (library / "long.bin").write_bytes(bytes(range(256)) * 4097)
        os.utime(library / "long.bin", (0, 0))
        whole, kept = picture(library), attributes(library)
        workspace = open_workspace(state=str(tmp_path / f"state {in_one_call}"))
        carry_plan(workspace.carry.work(), plan_of(workspace, library, large / "box"))
        copy = large / "box" / library.name
        assert picture(copy) == whole and attributes(copy) == kept
        owners = {str(path.relative_to(copy)): path.lstat()[4:6] for path in copy.rglob("*")}
        pictures.append((picture(copy, times=False), attributes(copy), owners))
    for of_one_call, in_blocks in zip(*pictures, strict=True):
        assert of_one_call == in_blocks


def test_a_time_that_nobody_can_mean_is_refused_by_name(real_drives, tmp_path):
    small, large = real_drives.up("small", "150M", "btrfs"), real_drives.up("large", "60M", "ext4")
    library, workspace = fill(small / "Library"), open_workspace(state=str(tmp_path / "state"))
    for moment in (10**20, -(10**20)):
        os.utime(library / "file-0000.bin", ns=(moment, moment))
        with pytest.raises(Refused, match=r"file-0000\.bin has a time of change outside the years 1677 to 2262"):
            carry_plan(workspace.carry.work(), plan_of(workspace, library, large))


def test_a_group_that_the_user_is_not_in_is_named_and_nothing_false_is_promised(real_drives, tmp_path, monkeypatch):
    small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
    library, workspace = fill(small / "Library", files=4), open_workspace(state=str(tmp_path / "state"))
    os.chown(library / "file-0000.bin", 0, 4321)
    monkeypatch.setattr("nuvik.core.checks.marks._foreign_groups", lambda entries: Counter({4321: 1}))
    with pytest.raises(Refused, match=r"the group 4321 of 1 entry, to which you do not belong \(only an administrator"):
        carry_plan(workspace.carry.work(), plan_of(workspace, library, large))
