"""Where the system opens nothing relative to a folder (Windows), paths stand in for descriptors."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path

import pytest

from conftest import fill, leftovers, picture, put
from nuvik.core.carrying import copying
from nuvik.core.carrying.run import release, undo
from nuvik.core.hosts import descent, files, remove_tree, small_files
from nuvik.core.hosts.descent import Descent
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.remove_tree import change_mode, empty_folder
from nuvik.core.survey.walk import walk_slice
from nuvik.core.survey.walk.take_inventory import take_inventory
from refusals import shift, target_of


@pytest.fixture(params=[True, False], ids=["descriptors", "paths"])
def handle_of(request, monkeypatch):
    """Opens a folder as the system does, and as one does that opens nothing relative to another."""
    if not request.param:
        monkeypatch.setattr(descent, "RELATIVE", False)
    monkeypatch.setattr(remove_tree, "IN_ONE_CALL", False)
    return lambda path: os.open(path, os.O_RDONLY) if request.param else str(path)


def test_everything_in_a_folder_goes_and_nothing_that_a_link_leads_to(tmp_path, handle_of):
    folder = fill(tmp_path / "folder", odd=True)
    (folder / "away").symlink_to(fill(tmp_path / "elsewhere"))
    before = picture(tmp_path / "elsewhere")
    empty_folder(handle_of(folder), str(folder), FileOpHook())
    assert os.listdir(folder) == [] and picture(tmp_path / "elsewhere") == before


def test_only_what_was_looked_at_goes(tmp_path, handle_of):
    folder = fill(tmp_path / "folder")
    known = take_inventory(LocalHost().files, str(folder)).entries
    put(folder / "data" / "new.txt")
    (folder / "file-0004.bin").write_bytes(b"changed since")
    with pytest.raises(OSError) as fault:
        empty_folder(handle_of(folder), str(folder), FileOpHook(), known)
    assert fault.value.errno == errno.ENOTEMPTY and fault.value.filename == str(folder / "data")
    left = {str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file()}
    assert left == {"data/new.txt", "file-0004.bin"}


def test_what_is_mounted_below_stays(tmp_path, handle_of, monkeypatch):
    folder = fill(tmp_path / "folder")
    plain = Descent.down

    def down(self: Descent, name: str) -> None:
        if name == "deep":
            raise OSError(errno.EXDEV, os.strerror(errno.EXDEV), name)
        plain(self, name)

    monkeypatch.setattr(Descent, "down", down)
    with pytest.raises(OSError) as fault:
        empty_folder(handle_of(folder), str(folder), FileOpHook())
    assert fault.value.errno == errno.ENOTEMPTY and fault.value.filename == str(folder / "data" / "deep")
    assert (folder / "data" / "deep" / "file-0002.bin").exists()


@pytest.mark.parametrize("number", [errno.EACCES, errno.EIO])
def test_a_folder_that_its_owner_may_not_enter_is_opened_for_its_removal(tmp_path, handle_of, monkeypatch, number):
    folder = fill(tmp_path / "folder")
    (folder / "data").chmod(0o000)
    plain = Descent.down

    def down(self: Descent, name: str) -> None:
        if name == "data" and (number == errno.EIO or not stat.S_IMODE((folder / name).stat().st_mode)):
            raise OSError(number, os.strerror(number), name)
        plain(self, name)

    monkeypatch.setattr(Descent, "down", down)
    if number == errno.EACCES:
        empty_folder(handle_of(folder), str(folder), FileOpHook())
        assert os.listdir(folder) == []
    else:
        with pytest.raises(OSError, match=os.strerror(number)):
            empty_folder(handle_of(folder), str(folder), FileOpHook())


def test_a_folder_that_its_owner_may_not_change_is_opened_for_its_removal(tmp_path, monkeypatch):
    folder = fill(tmp_path / "folder")
    inner = (folder / "data").stat().st_ino
    (folder / "data").chmod(0o500)
    changed, plain = [], os.fchmod
    monkeypatch.setattr(
        os, "fchmod", lambda handle, mode: (changed.append(os.fstat(handle).st_ino), plain(handle, mode))
    )
    empty_folder(os.open(folder, os.O_RDONLY), str(folder), FileOpHook())
    assert changed == [inner] and os.listdir(folder) == []


def test_permissions_are_set_where_nothing_opens_a_name_without_following_it(tmp_path, monkeypatch):
    file = put(tmp_path / "file", mode=0o644)
    monkeypatch.delattr(os, "O_PATH", raising=False)
    change_mode(str(file), 0o600)
    assert stat.S_IMODE(file.stat().st_mode) == 0o600


def test_a_library_is_surveyed_moved_taken_back_and_released_by_paths_alone(world, ferry, monkeypatch):
    fill(ferry, odd=True)
    (plainly,) = world.open().survey.take().libraries
    monkeypatch.setattr(descent, "RELATIVE", False)
    monkeypatch.setattr(walk_slice, "RELATIVE", False)
    monkeypatch.setattr(copying, "_MARKED_WHILE_OPEN", False)
    for module, name in ((files, "LOOKS_IN_ONE_CALL"), (remove_tree, "IN_ONE_CALL"), (small_files, "IN_ONE_CALL")):
        monkeypatch.setattr(module, name, False)
    (by_path,) = world.open().survey.take().libraries
    assert (by_path.bytes, by_path.files, by_path.on_disk_bytes) == (
        plainly.bytes,
        plainly.files,
        plainly.on_disk_bytes,
    )
    before = picture(ferry)
    shift(world.open(), ferry, on_trial=True)
    assert picture(target_of(world)) == before
    undo(world.open().carry.work(), "last")
    assert picture(ferry) == before and leftovers(world.folder) == []
    shift(world.open(), ferry, on_trial=True)
    release(world.open().carry.work(), "all")
    assert picture(target_of(world)) == before and leftovers(world.folder) == []
    assert Path(ferry).is_symlink()
