"""On a real computer: whose a folder is, which drive holds the home, where new things may go, what a survey walks."""

from __future__ import annotations

import os

import pytest

from conftest import a_drive, put
from nuvik.core.hosts.linux import parse_linux
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.volumes import Listing, Volume
from nuvik.core.survey.take_survey import _apart


class Tells:
    """A system with these volumes."""

    def __init__(self, *volumes: Volume) -> None:
        self.volumes = volumes

    def listing(self) -> Listing:
        return Listing(volumes=self.volumes)


@pytest.mark.skipif(not hasattr(os, "geteuid") or os.geteuid() != 0, reason="only root gives files away")
def test_what_belongs_to_another_user_or_lies_where_one_may_not_write_is_not_yours(tmp_path, monkeypatch):
    home = put(tmp_path / "home" / "note.txt").parent
    theirs = put(tmp_path / "theirs" / "note.txt").parent
    os.chown(home, 1000, 1000)
    os.chown(theirs, 1001, 1001)
    host = LocalHost()
    host._home = str(home)
    assert host.why_not_yours(str(home)) is None
    assert host.why_not_yours(str(theirs)).startswith("it belongs to another user (")
    monkeypatch.setattr(os, "access", lambda path, mode: False)
    assert host.why_not_yours(str(home)) == f"you may not change {tmp_path}, where it is"


def test_the_home_is_on_one_drive_and_new_things_go_where_one_may_write(tmp_path, monkeypatch):
    home = tmp_path / "homes" / "ada"
    home.mkdir(parents=True)
    (closed := tmp_path / "closed").mkdir()
    volumes = (
        Volume(device="sda1", filesystem="ext4", mount_points=("/",)),
        Volume(device="sdb1", filesystem="ext4", uuid="h", mount_points=(str(tmp_path / "homes"),)),
        Volume(device="sdc1", filesystem="ext4", uuid="c", mount_points=(str(closed),)),
    )
    host = LocalHost(Tells(*volumes))
    host._home = str(home)
    real = os.access
    monkeypatch.setattr(os, "access", lambda path, mode: path != str(closed) and real(path, mode))
    drives = {drive.path: drive for drive in host.drives()}
    assert drives[str(tmp_path / "homes")].base_path == str(home) and drives[str(tmp_path / "homes")].takes_new
    assert drives["/"].no_place == "you may not create folders in /" and not drives["/"].takes_new
    assert not drives[str(closed)].takes_new
    (closed / "mine").mkdir()
    again = next(drive for drive in host.drives() if drive.path == str(closed))
    assert again.base_path == str(closed / "mine") and again.takes_new
    assert set(host.default_roots()) == {"/", str(tmp_path / "homes"), str(closed)}


def test_roots_on_drives_of_their_own_are_not_swallowed_and_parts_of_a_volume_are_each_walked():
    assert _apart(["/", "/home", "/home/ada", "/data/x"], ["/", "/home"]) == ["/", "/home"]
    lines = ["/@ /", "/@home /home", "/@/srv/pub /pub"]
    table = "".join(f"{number} 1 0:{number} {line} rw - btrfs /dev/sda2 rw\n" for number, line in enumerate(lines, 20))
    (volume,) = parse_linux("{}", table, {}, {}).volumes
    assert volume.trees == ("/", "/home"), "a bind mount shows what is walked already"


def test_of_an_unknown_file_system_the_least_is_assumed():
    rules = a_drive(filesystem="fuseblk").rules
    assert not (rules.symlinks or rules.hard_links or rules.permissions or rules.xattrs)
