"""On real drives: every mark is carried, what a program has open stays, and what a medium holds is read."""

from __future__ import annotations

import os
import struct
import subprocess
import sys
from contextlib import suppress
from functools import partial
from pathlib import Path
from typing import BinaryIO

import pytest

from conftest import fill, leftovers
from nuvik.core.carrying.aside_folders import held
from nuvik.core.carrying.run import carry_plan, release, resume, undo
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.processes import held_by_the_system, programs_using
from nuvik.core.model.errors import NuvikError, Refused
from nuvik.core.model.journal import State
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.stages.workspace import open_workspace
from refusals import shift
from test_promise import die_after
from torture import Trouble

CAPABILITY = struct.pack("<IIIII", 0x02000001, 1 << 13, 0, 0, 0)  # linux/capability.h: version 2, raw sockets


def acl(*entries: tuple[int, int, int]) -> bytes:
    """As linux/posix_acl_xattr.h says: version 2, then tag, rights and id of each entry."""
    return struct.pack("<I", 2) + b"".join(struct.pack("<HHI", *entry) for entry in entries)


SHARED = acl((1, 7, 2**32 - 1), (2, 5, 1234), (4, 5, 2**32 - 1), (16, 7, 2**32 - 1), (32, 0, 2**32 - 1))


def marks(root: Path) -> dict:
    """All marks below a folder."""
    seen = {}
    for here, folders, names in os.walk(root):
        for name in (".", *folders, *names):
            path = os.path.join(here, name)
            facts = os.lstat(path)
            attributes = {
                key: os.getxattr(path, key, follow_symlinks=False)
                for key in os.listxattr(path, follow_symlinks=False)
                if not key.startswith("trusted.SGI_ACL")
            }
            times = facts.st_mtime_ns
            seen[os.path.relpath(path, root)] = (facts.st_mode, facts.st_uid, facts.st_gid, times, attributes)
    return seen


def marked(root: Path) -> Path:
    """A library with every mark that Linux knows, on files, folders and its own root."""
    library = fill(root, files=8)
    program, shared = library / "file-0000.bin", library / "data"
    for path in (program, library / "file-0004.bin"):
        os.chown(path, 1234, 1235)
    os.chmod(program, 0o4755)
    os.setxattr(program, "security.capability", CAPABILITY)
    os.setxattr(program, "user.note", b"x")
    os.setxattr(shared, "system.posix_acl_access", SHARED)
    os.setxattr(shared, "system.posix_acl_default", SHARED)
    os.chmod(library / "data" / "deep", 0o2770)
    os.utime(library, ns=(10**18, 10**18 + 7))
    os.utime(shared, ns=(10**18, 10**18 + 9))
    return library


@pytest.mark.parametrize("filesystem", ["ext4", "xfs", "btrfs"])
def test_every_mark_is_carried_and_nothing_is_taken_over_from_the_folder_it_comes_to(real_drives, tmp_path, filesystem):
    small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "300M", filesystem)
    library, workspace = marked(small / "Library"), open_workspace(state=str(tmp_path / "state"))
    whole = marks(library)
    (large / "box").mkdir()
    os.setxattr(large / "box", "system.posix_acl_default", SHARED)
    shift(workspace, library, large / "box")
    assert marks(large / "box" / "Library") == whole
    undo(workspace.carry.work(), "last")
    assert marks(library) == whole


def test_a_copy_without_its_marks_is_not_proven(real_drives, tmp_path):
    """As after a power cut that came between the contents of a file and its marks."""

    def spoil(copy: Path, number: int) -> None:
        if number % 2:  # what a single look does not tell
            os.removexattr(copy / "file-0000.bin", "user.note")
            return
        os.chmod(copy / "file-0000.bin", 0o600)
        os.chown(copy / "file-0004.bin", 0, 0)
        os.utime(copy / "data" / "file-0005.bin", (1, 1))
        os.removexattr(copy / "data", "system.posix_acl_access")
        os.chmod(copy / "data" / "deep", 0o700)

    for number, life in enumerate(range(40, 400, 9)):
        small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
        library, state = marked(small / "Library"), str(tmp_path / f"state {number}")
        whole, workspace = marks(library), open_workspace(state=state)
        die_after(workspace, life, partial(shift, workspace, library, "large"))
        again = open_workspace(state=state)
        (move,) = again.logbook.moves()
        copy = next(iter(large.glob("*/.nuvik-incoming-*/content")), None)
        over = move.state not in (State.PLANNED, State.COPYING)
        if move.state is State.COPYING and copy is not None:
            with suppress(FileNotFoundError, OSError):
                spoil(copy, number)
        if again.logbook.midway():
            resume(again.carry.work())
        (move,) = again.logbook.moves()
        assert marks(Path(move.target if move.state is State.RELEASED else library)) == whole, f"life {life}"
        real_drives.down()
        real_drives.loops.clear()
        if over:
            break


WRITER = """
import mmap, os, sys, time
file = os.open(sys.argv[1], os.O_RDWR)
view = mmap.mmap(file, 4096) if sys.argv[2] == "mapped" else None
if view is not None:
    os.close(file)
print("ready", flush=True)
sys.stdin.readline()
view[:4] = b"late"
view.flush()
print("done", flush=True)
sys.stdin.readline()
"""


@pytest.mark.parametrize("how", ["mapped", "open"])
@pytest.mark.parametrize("when", ["before", "during"])
@pytest.mark.parametrize("seen", [True, False], ids=["its process is seen", "its process cannot be looked into"])
def test_what_a_program_may_still_write_to_is_neither_moved_nor_released(
    real_drives, tmp_path, monkeypatch, how, when, seen
):
    small, _ = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "400M", "xfs")
    library, workspace = fill(small / "Library", files=6), open_workspace(state=str(tmp_path / "state"))
    (library / "data" / "live.bin").write_bytes(bytes(8192))
    if not seen:
        monkeypatch.setattr(LocalHost, "used_by", lambda host, path: ())
    programs: list[subprocess.Popen] = []

    def begin() -> None:
        words = [sys.executable, "-c", WRITER, str(library / "data" / "live.bin"), how]
        programs.append(subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True))
        assert programs[0].stdout.readline() == "ready\n"

    try:
        if when == "before":
            begin()
            with pytest.raises(Refused, match=r"is open for writing|in use by"):
                shift(workspace, library, "large")
            return
        work = workspace.carry.work()
        work.report = lambda event: begin() if event.event == "proven" else None
        carry_plan(work, make_plan(workspace.plan.draft([(str(library), "large")])))
        (move,) = workspace.logbook.moves()
        assert move.state is State.ON_TRIAL and "its original is kept because" in move.problem
        with pytest.raises(Refused, match="open for writing"):
            release(workspace.carry.work(), "all")
        if how == "mapped":
            programs[0].stdin.write("\n")
            programs[0].stdin.flush()
            assert programs[0].stdout.readline() == "done\n"
            with open(os.path.join(held(move), "data", "live.bin"), "rb") as late:
                assert late.read(4) == b"late", "the late write is not lost"
    finally:
        for program in programs:
            program.kill()
            program.wait()


def test_what_the_system_itself_has_attached_or_swaps_to_is_in_use(real_drives, tmp_path):
    real_drives.up("small", "60M", "ext4")
    (user,) = [user for user in programs_using(str(real_drives.images)) if "the system" in user]
    assert "as the drive loop" in user
    (tmp_path / "swaps").write_text(
        "Filename Type Size Used Priority\n/a/swap\\040file file 1 0 -2\n/dev/sda2 partition 1 0 -3\n"
    )
    assert held_by_the_system(str(tmp_path / "none"), str(tmp_path / "swaps")) == [
        ("/a/swap file", "the system, to swap to")
    ]


def test_what_a_program_opens_while_its_library_is_taken_back_is_not_removed(real_drives, tmp_path):
    small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "400M", "xfs")
    library, workspace = fill(small / "Library", files=4), open_workspace(state=str(tmp_path / "state"))
    plain, kept_open = workspace.computer.host.files.hook, 0
    for number in range(3, 150, 8):
        shift(workspace, library, "large", on_trial=True)
        copy, programs = library.resolve() / "data" / "deep" / "file-0002.bin", list[BinaryIO]()

        def open_it(operation: str, path: str, copy=copy, programs=programs) -> None:
            if copy.exists():
                programs.append(open(copy, "r+b"))  # noqa: SIM115

        workspace.computer.host.files.hook = Trouble(plain, {number: open_it})
        with suppress(NuvikError):
            undo(workspace.carry.work(), "last")
        workspace.computer.host.files.hook = plain
        for program in programs:
            with program:
                assert os.fstat(program.fileno()).st_nlink == 1, number
                kept_open += 1
        with suppress(Refused):  # all that was begun is done
            workspace.carry.resume()
        if library.is_symlink():
            undo(workspace.carry.work(), "last")
        assert not leftovers(small) and not leftovers(large)
    assert kept_open > 3


def flip(image: Path, marker: bytes) -> None:
    """Change a bit of what lies on a medium, as a fault of the drive would, past every cache of the system."""
    subprocess.run(["sync"], check=True)
    with open(image, "r+b") as medium:
        place = medium.read().index(marker)
        medium.seek(place)
        medium.write(bytes([marker[0] ^ 1]))


@pytest.mark.parametrize("filesystem", ["ntfs", "exfat"])
@pytest.mark.parametrize("reach", [True, False], ids=["the medium can be read", "it cannot"])
def test_a_bit_that_is_wrong_on_the_medium_only_is_seen_or_the_original_is_kept(
    real_drives, tmp_path, monkeypatch, filesystem, reach
):
    small, _ = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", filesystem)
    library, workspace = small / "Library", open_workspace(state=str(tmp_path / "state"))
    library.mkdir()
    marker = os.urandom(64)
    (library / "data.bin").write_bytes(os.urandom(100_000) + marker + os.urandom(100_000))
    whole, copied = (library / "data.bin").read_bytes(), []
    reached = LocalHost.reaches_medium
    if not reach:
        monkeypatch.setattr(LocalHost, "reaches_medium", lambda host, drive: False)

    def report(event) -> None:
        if event.event == "copied":
            copied.append(1)
            if len(copied) == 1:
                flip(real_drives.images / "large.img", marker)

    work = workspace.carry.work()
    work.report = report
    carry_plan(work, make_plan(workspace.plan.draft([(str(library), "large")])))
    (move,) = workspace.logbook.moves()
    if reach:
        assert len(copied) == 2 and move.state is State.RELEASED, "it came back different and was copied again"
        assert (library / "data.bin").read_bytes() == whole
        return
    assert move.state is State.ON_TRIAL and "could not be read from the medium of large" in move.problem
    with pytest.raises(Refused, match="could not be read from the medium"):
        release(workspace.carry.work(), "all")
    with monkeypatch.context() as as_administrator, pytest.raises(Refused, match="came back different"):
        as_administrator.setattr(LocalHost, "reaches_medium", reached)
        release(workspace.carry.work(), "all")
    real_drives.elsewhere("large", "large")
    with pytest.raises(Refused, match="came back different"):
        release(workspace.carry.work(), "all")
    undo(workspace.carry.work(), "last")
    assert (library / "data.bin").read_bytes() == whole
    monkeypatch.setattr(LocalHost, "reaches_medium", reached)
