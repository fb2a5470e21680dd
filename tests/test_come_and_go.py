"""Drives that come and go: ejecting them, what does not open without them, how things stand, and a timer that looks."""

from __future__ import annotations

import json
import os
import plistlib
import shutil
import subprocess
import sys
from dataclasses import replace

import jsonschema
import pytest

from conftest import MB, a_drive, fill, picture, put
from nuvik.__main__ import run
from nuvik.core.carrying.lock import carrying_lock
from nuvik.core.hosts import eject, health, timers, windows_eject
from nuvik.core.model.errors import Refused, StopRequested
from nuvik.core.model.progress import Stop
from nuvik.core.stages.workspace import open_workspace
from nuvik.core.survey.drives.drive_changes import formatted
from nuvik.core.views.status_sentences import matters
from refusals import shift
from screens import press, running, words
from test_documents import shipped, strict

MAPS = "import mmap, sys\nwith open(sys.argv[1]) as f: m = mmap.mmap(f.fileno(), 0, prot=1)\nprint(flush=True)\ninput()"
READS = "import sys\nf = open(sys.argv[1])\nprint(flush=True)\ninput()"
STANDS = "import os, sys\nos.chdir(os.path.dirname(sys.argv[1]))\nprint(flush=True)\ninput()"


@pytest.mark.parametrize("program", [READS, MAPS, STANDS])
def test_a_drive_is_ejected_once_nothing_uses_it(real_drives, tmp_path, program, capsys):
    stick = real_drives.up("stick", "64M", "ext4")
    held = put(stick / "Films" / "a.bin", 5 * MB)
    before = picture(stick / "Films")
    workspace, state = open_workspace(None, str(tmp_path / "state")), ["--state", str(tmp_path / "state")]
    drive = next(each for each in workspace.drives.all() if each.path == str(stick))
    words = [sys.executable, "-c", program, str(held)]
    with subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as holder:
        holder.stdout.readline()
        assert run(["eject", str(stick), *state]) == 3
        assert f"(process {holder.pid})" in capsys.readouterr().err and os.path.ismount(stick)
        stop = Stop()
        with pytest.raises(StopRequested):
            workspace.ejecting.eject(drive, 60, lambda ways: stop.ask(), stop)
        seen = []

        def report(ways) -> None:
            if not seen:
                seen.append(ways[0].what)
                holder.communicate(b"\n")

        ejected = workspace.ejecting.eject(drive, 60, report)
    assert seen and ejected.label == "stick" and not os.path.ismount(stick)
    real_drives.mount("stick")
    assert picture(stick / "Films") == before


def test_what_must_not_be_ejected_is_refused(world, real_drives, tmp_path):
    workspace = world.open()
    kestrel, wren = (workspace.drives.find(name) for name in ("kestrel", "wren"))
    with pytest.raises(Refused, match="holds the system"):
        workspace.ejecting.eject(kestrel)
    with carrying_lock(workspace.computer.state_folder, "carrying a plan"), pytest.raises(Refused, match="at work"):
        workspace.ejecting.eject(wren)
    with pytest.raises(Refused, match="is away already"):
        workspace.ejecting.eject(replace(wren, attached=False))
    with pytest.raises(Refused, match="is attached"):
        workspace.ejecting.attach(wren)
    stick = real_drives.up("stick", "64M", "ext4")
    local = open_workspace(None, str(stick / "state"))
    drive = next(each for each in local.drives.all() if each.path == str(stick))
    with pytest.raises(Refused, match="keeps its database on it") as refusal:
        local.ejecting.eject(drive, wait_s=60)
    assert "Move that to another drive" in refusal.value.next_step
    inner = stick / "inner"
    inner.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "none", str(inner)], check=True)
    other = open_workspace(None, str(tmp_path / "state"))
    with pytest.raises(Refused, match="inner is mounted within it"):
        other.ejecting.eject(drive)
    subprocess.run(["umount", str(inner)], check=True)


def test_a_drive_of_a_world_goes_and_comes_back(world):
    game = fill(world.path("kestrel", "Games", "Ferrymoss"))
    fill(world.path("wren", "Films", "Old Ferry"))
    put(world.path("wren", "Films", "Old Ferry", "a.mkv"), 90 * MB)
    world.surveyed()
    assert "No drive is away" in world.prints("away")
    document = json.loads(world.prints("away", "wren", "--json"))
    jsonschema.validate(document, strict(shipped("nuvik-away/1")))
    assert document["drives"][0]["closed"] == [world.path("wren", "Films")]
    jsonschema.validate(json.loads(world.prints("eject", "wren", "--json")), strict(shipped("nuvik-eject/1")))
    assert "Wren is away: 1 library does not open; 1 library still opens" in world.prints("away")
    assert world.run("eject", "wren", "--attach") == 0 and world.open().drives.find("wren").attached
    assert game.is_dir()


def test_status_asks_only_where_a_decision_is_needed(world, capsys):
    game = fill(world.path("kestrel", "Games", "Ferrymoss"))
    workspace = world.surveyed()
    assert world.run("status", "-q") == 0 and capsys.readouterr().out == ""
    shift(workspace, game, "heron", on_trial=True)
    assert world.run("status") == 0 and "1 original on trial" in capsys.readouterr().err
    journal = workspace.carry.work().journal
    journal.keep(replace(journal.move(1), ended_at="2020-01-01T00:00:00Z"))
    os.unlink(game)
    world.data["drive"][0].update(headroom_bytes=world.data["drive"][0]["usable_bytes"])
    world.write()
    document = json.loads(world.prints("status", "--json", code=5))
    jsonschema.validate(document, strict(shipped("nuvik-status/1")))
    kinds = {matter["kind"]: matter["asks"] for matter in document["matters"]}
    assert kinds["short"] and kinds["on-trial"] and kinds["leftover"]
    assert document["headline"] == f"{document['asks']} matters need a decision."
    status = replace(
        world.open().watching.status(),
        failing={"heron": "its disk reports that it is failing"},
        weeks_left={"wren": 0.4},
        slower={"heron": "reads 40 % slower than on 2020-01-01"},
        restarts=("video",),
    )
    words = " ".join(matter.words for matter in matters(status))
    assert "Heron: its disk reports that it is failing" in words and "Wren goes under its headroom this week" in words
    assert "Heron reads 40 % slower" in words and "new place for video" in words


async def test_a_drive_is_ejected_and_attached_by_keys(world):
    fill(world.path("wren", "Films", "Old Ferry"))
    async with running(world, (140, 45)) as (app, pilot):
        app.screen.query_one("DriveBoard").point_at("wren")
        await press(pilot, "i", "x")
        await press(pilot, "y")
        assert not app.desk.snapshot.drive("wren").attached
        app.screen.query_one("DriveBoard").point_at("wren")
        await press(pilot, "i", "x")
        assert app.desk.snapshot.drive("wren").attached
        await press(pilot, "h")
        assert "How things stand" in words(app, "#lines")


def test_a_timer_is_shown_written_and_removed(tmp_path, monkeypatch, capsys):
    called = tmp_path / "called"
    for name in ("systemctl",):
        put(tmp_path / "bin" / name).write_text(f'#!/bin/sh\necho "$@" >> {called}\n')
        (tmp_path / "bin" / name).chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path / 'bin'}{os.pathsep}{os.environ['PATH']}")
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    units, state = tmp_path / "config" / "systemd" / "user", ["--state", str(tmp_path / "a $b %h state")]
    assert run(["watch", *state]) == 0 and "No timer is installed" in capsys.readouterr().out
    assert run(["watch", "install", *state]) == 0 and not units.exists()
    assert "OnCalendar=" in capsys.readouterr().out
    assert run(["watch", "install", "--yes", *state]) == 0
    assert sorted(os.listdir(units)) == ["nuvik-watch.service", "nuvik-watch.timer"]
    assert "enable --now nuvik-watch.timer" in called.read_text()
    if shutil.which("systemd-analyze"):
        done = subprocess.run(
            ["systemd-analyze", "verify", "--user", str(units / "nuvik-watch.timer")],
            capture_output=True,
            text=True,
            check=False,
            env={**os.environ, "XDG_RUNTIME_DIR": str(tmp_path)},
        )
        assert not done.stderr.strip() and done.returncode == 0
    assert run(["watch", *state]) == 0 and "The timer is installed" in capsys.readouterr().out
    assert run(["watch", "remove", "--yes", *state]) == 0 and os.listdir(units) == []
    (units / "nuvik-watch.timer").mkdir(parents=True)
    assert run(["watch", "install", "--yes", *state]) == 3 and "cannot be changed" in capsys.readouterr().err
    agent = timers.daily_timer(["/a b/python", "-m", "nuvik"], "darwin")
    assert plistlib.loads(agent.files[0][1].encode())["ProgramArguments"][0] == "/a b/python"
    task = timers.daily_timer([r"C:\a b\python.exe", "-m", "nuvik"], "win32")
    assert r'"C:\a b\python.exe" -m nuvik' in task.starts[0] and task.starts[0][0] == "schtasks"
    assert not task.installed, "the system is asked, and knows of none"


def test_what_systems_say_of_disks_and_volumes_is_read(tmp_path):
    assert health.data_of(b'{"type":"b","data":true}') is True and health.data_of(b"no such property") is None
    assert health.from_warnings(["spare", "volatile_mem"]) == "its disk warns: spare, volatile mem"
    assert health.from_warnings([]) == health.from_warnings(None) == ""
    plist = plistlib.dumps({"SMARTStatus": "Failing"})
    assert health.from_diskutil(plist) and not health.from_diskutil(plistlib.dumps({"SMARTStatus": "Verified"}))
    assert not health.from_diskutil(b"") and not health.from_powershell(b"Healthy\r\n")
    assert health.from_powershell(b"Unhealthy\r\n") == "Windows calls its disk unhealthy"
    swaps = put(tmp_path / "swaps")
    swaps.write_text("Filename Type Size Used Priority\n/dev/sdz9 partition 2097148 0 -2\n")
    assert eject.swaps_to(a_drive(device="sdz9"), str(swaps)) and not eject.swaps_to(a_drive(device="sdz"), str(swaps))
    assert windows_eject.volume_name("e:\\Games") == r"\\.\E:"
    with pytest.raises(ValueError, match="server"):
        windows_eject.volume_name(r"\\server\share")


def test_a_drive_that_grew_or_was_formatted_is_explained(real_drives, tmp_path):
    stick, state = real_drives.up("stick", "64M", "ext4"), ["--state", str(tmp_path / "state")]
    put(stick / "Films" / "a.mkv", 25 * MB).write_bytes(os.urandom(25 * MB))
    loop, _ = real_drives.loops["stick"]

    def about(kind: str) -> list[str]:
        every = matters(open_workspace(None, str(tmp_path / "state")).watching.status())
        return [matter.words for matter in every if matter.kind == kind and "stick" in matter.words]

    assert run(["survey", str(stick), *state]) in (0, 5) and not about("resized") and not about("formatted")
    subprocess.run(["umount", str(stick)], check=True)
    os.truncate(real_drives.images / "stick.img", 96 * 2**20)
    for call in (["losetup", "-c", loop], ["e2fsck", "-fp", loop], ["resize2fs", loop]):
        subprocess.run(call, check=True, capture_output=True)
    real_drives.mount("stick")
    (grew,) = about("resized")
    assert grew.startswith("stick grew from")
    subprocess.run(["umount", str(stick)], check=True)
    assert not about("formatted")  # away only
    subprocess.run(["mkfs.ext4", "-q", "-F", loop], check=True)
    real_drives.mount("stick")
    (formatted,) = about("formatted")
    assert "seems to have been formatted: stick (stick-2), which is new" in formatted
    gone = next(each for each in open_workspace(None, str(tmp_path / "state")).drives.all() if not each.attached)
    assert run(["drive", gone.id, "--forget", *state]) == 0
    assert run(["survey", str(stick), *state]) in (0, 5) and not about("formatted")
    snapshot = open_workspace(None, str(tmp_path / "state")).survey.latest()
    assert all(drive.attached for drive in snapshot.drives)
    assert not [each for each in snapshot.libraries if str(stick) in each.path]


def test_only_a_new_drive_of_the_same_disk_and_size_stands_for_a_formatted_one():
    gone = a_drive(id="gone", attached=False, model="M", disk_bytes=10, capacity_bytes=1_000, device="sdb1", path="/m")
    same = replace(gone, id="new", attached=True)
    (change,) = formatted([gone, same], {"new"})
    assert change.drive.id == "gone" and change.now is not None and change.now.id == "new"
    for other in (
        replace(same, capacity_bytes=1_100),
        replace(same, model="N"),
        replace(same, model="N", device="sdc1"),
        replace(same, model="N", path="/elsewhere"),
        replace(same, attached=False),
    ):
        assert not list(formatted([gone, other], {"new"}))
    assert not list(formatted([gone, same], set()))  # known already: a twin of it
