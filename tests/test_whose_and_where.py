"""On a real computer: whose a folder is, which drive holds the home, where new things may go, what a survey walks."""

from __future__ import annotations

import os

import pytest

from conftest import MB, SystemOf, a_drive, fill, put
from nuvik.core.hosts.linux import parse_linux
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.packages import packages_owning
from nuvik.core.hosts.volumes import Volume
from nuvik.core.hosts.world import WorldHost
from nuvik.core.model.library import Card, Verdict
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.survey.take_survey import _apart, survey


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
    host = LocalHost(SystemOf(*volumes))
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


SAID_BY = {
    "dpkg-query": "diversion by x from: {0}\ntern:amd64: {0}\nmany, more: {1}\nelsewhere: {1}/deeper\n",
    "rpm": "{name}\n",
    "pacman": "{0}/ is owned by tern 1.2-1\n{1} is owned by many 3-1\nerror: No package owns {2}\n",
    "apk": "{0} is owned by tern-1.2-r0\nERROR: {2}: Could not find owner package\n{1} is owned by many-3-r1\n",
    "pkgutil": "volume: /\npath: {0}\n\npkgid: {name}\n",
}


@pytest.mark.parametrize("tool", SAID_BY)
def test_what_a_package_manager_owns_is_better_not_moved(tmp_path, monkeypatch, tool):
    """Each command by the words that its documents say it prints; an unknown path makes it fail as well."""
    paths = [str(tmp_path / "opt" / name) for name in ("tern", "many", "mine")]
    script = tmp_path / "bin" / tool
    script.parent.mkdir()
    if "{name}" in SAID_BY[tool]:
        cases = "".join(
            f"  {path}) printf '{SAID_BY[tool].format(path, name=os.path.basename(path))}';;\n" for path in paths[:2]
        )
        unknown = 'echo "file $last is not owned by any package"; exit 1'
        text = f'for last; do :; done\ncase "$last" in\n{cases}  *) {unknown};;\nesac\n'
    else:
        text = f"printf '{SAID_BY[tool].format(*paths)}'\nexit 1\n"
    script.write_text(f"#!/bin/sh\n{text}")
    script.chmod(0o755)
    monkeypatch.setenv("PATH", str(script.parent))
    assert packages_owning(paths) == {paths[0]: "tern", paths[1]: "many"}
    script.write_text("#!/bin/sh\nkill -9 $$\n")
    assert packages_owning(paths) == {}
    monkeypatch.setenv("PATH", "")
    assert packages_owning(paths) == {}


def test_a_package_keeps_its_program_in_a_survey(tmp_path, monkeypatch):
    for name in ("tern", "mine"):
        put(tmp_path / "opt" / name / "bin" / "run", 1_000, 0o755)
        put(tmp_path / "opt" / name / "lib.so", 30 * 10**6)
    host = LocalHost()
    monkeypatch.setattr(host, "small_share", 0.0)
    monkeypatch.setattr(host, "why_protected", lambda path: None)  # tests may run in a folder of the system
    owners = {str(tmp_path / "opt" / "tern"): "tern"}
    monkeypatch.setattr(host, "packages_owning", lambda paths: {path: owners[path] for path in paths if path in owners})
    libraries = {library.name: library for library in survey(host, host.drives(), (str(tmp_path / "opt"),)).libraries}
    assert libraries["tern"].verdict is Verdict.UNWISE and "the package tern owns it" in libraries["tern"].why_not
    assert libraries["mine"].verdict is not Verdict.UNWISE


@pytest.mark.skipif(not hasattr(os, "geteuid"), reason="owners are no matter there")
def test_a_drive_without_owners_that_is_mounted_for_somebody_else_is_no_target(world, ferry, monkeypatch):
    world.data["drive"][1]["filesystem"] = "exfat"
    world.write()
    workspace = world.open()
    assert workspace.rehearse.rehearse(make_plan(workspace.plan.draft([(str(ferry), "heron")]))).violations == ()
    monkeypatch.setattr(os, "geteuid", lambda: 4711)
    (refused,) = workspace.rehearse.rehearse(make_plan(workspace.plan.draft([(str(ferry), "heron")]))).violations
    assert "Heron is mounted for another user" in refused.problem


def test_what_the_user_says_of_a_protected_folder_comes_before_its_being_a_whole(world, monkeypatch):
    """Else what it holds is not judged at all."""
    system = world.path("kestrel", "System")
    for name in ("Ferrymoss", "Kite"):
        fill(world.path("kestrel", "System", name))
        put(world.path("kestrel", "System", name, "big.pack"), 40 * MB)
    monkeypatch.setattr(WorldHost, "why_protected", lambda self, path: "it is the system's" if path == system else None)
    names = [library.name for library in world.open().survey.take().libraries]
    assert names == ["System"]
    workspace = world.open()
    workspace.survey.keep_cards([Card(path=system, titles=True)])
    assert sorted(library.name for library in workspace.survey.take().libraries) == ["Ferrymoss", "Kite"]
