"""Drives and speeds by command, as a person types them; and this computer's own drives."""

from __future__ import annotations

import csv
import json
import os
import re
import sqlite3
import xml.etree.ElementTree as ET
from contextlib import closing
from pathlib import Path

import pytest

from conftest import GB, MB, World, fill
from nuvik.core.hosts import linux_sysfs
from nuvik.core.hosts.linux import LinuxSystem
from nuvik.core.hosts.linux_sysfs import read_sys_disk
from nuvik.core.hosts.local import LocalHost
from nuvik.core.model.errors import Refused
from nuvik.core.stages.workspace import open_workspace
from nuvik.core.store import gauges
from nuvik.core.store.database import MIGRATIONS
from nuvik.core.survey.drives.gauge import budget_for
from test_buying_and_advice import CANDIDATES


@pytest.fixture
def house(world: World) -> World:
    """Wren hangs on a cable that holds it back; Heron is short of what its label says."""
    world.data["drive"][1].update(capacity_bytes=1_200 * MB, usable_bytes=1_000 * MB)
    world.data["drive"][2].update(
        link="usb-3.2-gen1",
        read_bytes_per_s=440 * MB,
        capacity_bytes=20 * GB,
        usable_bytes=20 * GB,
        medium="ssd",
        filesystem="exfat",
        model="Quillpost [b]Field[/b]",
        temperature_c=81.5,
    )
    fill(world.path("heron", "Photos", "Moon"))
    world.write()
    return world


def nuvik(house: World, capsys, *words: str, code: int = 0) -> tuple[str, str]:
    """What a command said, and what it said aside."""
    capsys.readouterr()
    assert house.run(*words) == code
    printed = capsys.readouterr()
    assert "Traceback" not in printed.err and "\x1b" not in printed.out
    return printed.out, printed.err


def test_drives_are_listed_and_told_whole(house, capsys):
    nuvik(house, capsys, "survey")
    listed, _ = nuvik(house, capsys, "drives")
    assert [line.split()[0] for line in listed.splitlines()] == ["drive", "Wren", "Kestrel", "Heron"]
    printed, _ = nuvik(house, capsys, "drives", "wren", "Heron")
    assert "Quillpost [b]Field[/b], solid-state drive on USB 3.2 Gen 1 (5 Gbit/s), portable" in printed
    assert "reads as fast as its cable allows" in printed and "up to 1.09 GB/s" not in printed, (
        "SATA inside does no more"
    )
    assert "The label says 1.20 GB; 200 MB for the file system's own tables" in printed
    assert "libraries 3." in printed and "no links, no hard links, no permissions" in printed
    data = json.loads(nuvik(house, capsys, "drives", "--json")[0])
    wren = next(drive for drive in data["drives"] if drive["id"] == "wren")
    wanted = {
        "id",
        "label",
        "path",
        "medium",
        "link",
        "filesystem",
        "portable",
        "attached",
        "system",
        "capacity_bytes",
        "usable_bytes",
        "used_bytes",
        "free_bytes",
        "headroom_bytes",
        "read_bytes_per_s",
        "write_bytes_per_s",
        "small_reads_per_s",
        "speed_source",
        "felt_load_s",
        "tier",
    }
    assert wanted <= wren.keys() and wren["speed_source"] == "declared"


def test_what_is_said_of_a_drive_is_kept_and_can_be_forgotten(house, capsys):
    printed, _ = nuvik(
        house, capsys, "drive", "wren", "--name", "Field  box", "--headroom", "20%", "--welcomes", "photo", "--fixed"
    )
    assert "Field box" in printed and re.search(r"is for +photo", printed) and "; 4.00 GB should stay free" in printed
    assert ", portable" not in printed
    nuvik(house, capsys, "drive", "field box", "--headroom", "3G")
    data = json.loads(nuvik(house, capsys, "drives", "wren", "--json")[0])["drives"][0]
    assert (data["label"], data["headroom_bytes"], data["welcomes"]) == ("Field box", 3 * GB, ["photo"])
    nuvik(house, capsys, "drive", "wren", "--forget")
    assert json.loads(nuvik(house, capsys, "drives", "wren", "--json")[0])["drives"][0]["label"] == "Wren"
    for bad in (["--name", ""], ["--headroom", "much"], ["--headroom", "21G"], ["--welcomes", "cheese"]):
        nuvik(house, capsys, "drive", "wren", *bad, code=2)
    nuvik(house, capsys, "drive", "emu", code=2)


def test_advice_names_the_loss_and_the_way_and_does_nothing(house, capsys):
    nuvik(house, capsys, "survey")
    printed, _ = nuvik(house, capsys, "advise", "wren", "--for", "linux", "--links")
    assert (
        "ext4 would be better" in printed
        and "Nuvik does not" in printed
        and "holds nothing that would be lost" in printed
    )
    assert "Leave it as it is" in nuvik(house, capsys, "advise", "wren", "--for", "windows", "--for", "macos")[0]
    data = json.loads(nuvik(house, capsys, "advise", "wren", "--json")[0])
    assert data["format"] == "nuvik-advice/1" and len(data["filesystems"]) == 5


def test_a_warm_drive_is_found_by_gauging_it(house, capsys):
    printed, aside = nuvik(house, capsys, "gauge", "wren")
    assert "writes up to 1.54 GB" in aside and "was 82 °C warm" in printed and "Wren: reads 440 MB/s" in printed
    drawn = house.path("speeds.svg")
    nuvik(house, capsys, "draw", "speeds", "-o", drawn)
    text = "".join(ET.parse(drawn).getroot().itertext())
    assert "1 of 3 were measured" in text and "440 MB/s" in text
    nuvik(house, capsys, "draw", "speeds", "-o", house.path("speeds.gif"), code=2)
    nuvik(house, capsys, "gauge", "emu", code=2)


def test_candidates_are_compared(house, capsys, tmp_path):
    fill(house.path("kestrel", "Games", "Ferry"))
    house.cards = [{"path": "heron/Photos/Moon", "opens_per_week": 9}]
    house.write()
    nuvik(house, capsys, "survey")
    assert "docs/candidates.md" in nuvik(house, capsys, "compare", code=3)[1]
    file = tmp_path / "mine.toml"
    file.write_text(CANDIDATES)
    printed, _ = nuvik(house, capsys, "compare", str(file))
    assert "Bare in Case" in printed and "60.00 EUR" in printed and "would open noticeably faster" in printed
    data = json.loads(nuvik(house, capsys, "compare", str(file), "--json")[0])["candidates"]
    assert {row["label"] for row in data} == {"Bare in Case", "Heron in a better case"}
    assert data[0]["saves_s_per_week"] >= data[1]["saves_s_per_week"], "most saved first"
    assert next(row for row in data if row["label"] == "Bare in Case")["parts"] == ["Bare", "Case"]


def test_a_world_that_is_changed_while_nuvik_runs_is_seen(house):
    workspace = house.open()
    assert workspace.drives.find("wren").attached
    workspace.computer.host.files.facts(house.path("wren"))
    house.attach("wren", False)
    assert not workspace.drives.find("wren").attached
    with pytest.raises(FileNotFoundError):
        workspace.computer.host.files.facts(house.path("wren"))
    assert "wren" not in workspace.drives.traffic(workspace.drives.all()).counters
    Path(house.path("world.toml")).write_text("format = 3")
    with pytest.raises(Refused, match="format"):
        workspace.drives.all()
    house.attach("wren")
    assert workspace.drives.find("wren").attached


def test_traffic_is_counted_while_something_is_measured(house):
    workspace = house.open()
    drives = workspace.drives.all()
    before = workspace.drives.traffic(drives).counters
    nothing = workspace.drives.traffic(drives).counters
    assert before == nothing
    result = workspace.drives.gauge([budget_for(workspace.drives.find("wren"))])[0].result
    after = workspace.drives.traffic(drives).counters
    assert after["wren"].written_bytes - before["wren"].written_bytes == result.written_bytes
    assert after["wren"].read_bytes - before["wren"].read_bytes >= result.written_bytes
    assert after["kestrel"] == before["kestrel"]


def test_what_earlier_versions_kept_of_parts_is_read_as_before(house):
    state = house.path("old state")
    os.mkdir(state)
    with closing(sqlite3.connect(os.path.join(state, "nuvik.db"))) as connection:
        connection.executescript("".join(MIGRATIONS[:17]) + "PRAGMA user_version = 17;")
        part = {"name": "Build", "kind": "cache", "path": "build", "can_be_made_anew": True}
        card = (json.dumps({"path": ".", "parts": [part]}), "2026-01-01T00:00:00Z")
        connection.execute("INSERT INTO cards VALUES ('heron', 'Mosaic', ?, ?)", card)
        connection.commit()
    survey = open_workspace(str(house.folder), state, waits=False).survey
    assert survey.card(house.path("heron", "Mosaic")).parts[0].rebuildable


def test_a_database_of_the_first_version_is_brought_up_to_date(house):
    """What it knew stays, and drives are remembered from now on."""
    state = Path(house.path("old state"))
    state.mkdir()
    connection = sqlite3.connect(state / "nuvik.db")
    connection.executescript(f"BEGIN; {MIGRATIONS[0]} PRAGMA user_version = 1; COMMIT;")
    connection.execute("INSERT INTO runs (started_at, plan, on_trial) VALUES ('2026-01-01T00:00:00Z', '{}', 0)")
    connection.commit()
    connection.close()
    workspace = open_workspace(str(house.folder), str(state), waits=False)
    assert workspace.drives.find("wren").id == "wren" and not workspace.drives.look()[1]
    assert [page.id for page in workspace.computer.book.pages()] == ["heron", "kestrel", "wren"]
    with workspace.computer.database.connect() as again:
        assert again.execute("SELECT count(*) FROM runs").fetchone()[0] == 1
        again.execute("PRAGMA user_version = 99")
    with pytest.raises(Refused, match="newer Nuvik"):
        open_workspace(str(house.folder), str(state))


def test_only_the_newest_measurements_are_kept_and_they_follow_the_drive(house, monkeypatch):
    monkeypatch.setattr(gauges, "KEPT_A_DRIVE", 3)
    workspace = house.open()
    for read in (100, 200, 300, 400):
        house.data["drive"][2]["read_bytes_per_s"] = read * MB
        house.write()
        workspace.drives.gauge([budget_for(workspace.drives.find("wren"), quick=True)])
    history = workspace.drives.gauge_histories([workspace.drives.find("wren")])["wren"]
    assert [round(gauging.read.bytes_per_s / MB, -2) for gauging in history] == [200, 300, 400]
    workspace.drives.forget(workspace.drives.find("wren"))
    assert workspace.drives.find("wren").speed_source == "measured", "its identity is the same"


# -- this computer -----------------------------------------------------------------------------------------


def test_links_are_read_from_the_kernels_tree(tmp_path, monkeypatch):
    """A stand-in for /sys: an NVMe disk in a slow slot, a disk behind a USB bridge, one on a SATA port."""
    top = tmp_path / "sys"

    def put(path: str, text: str) -> None:
        file = top / path
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(text)

    put("devices/pci0/slot/current_link_speed", "8.0 GT/s PCIe\n")
    put("devices/pci0/slot/current_link_width", "2\n")
    put("devices/pci0/slot/max_link_speed", "16.0 GT/s PCIe\n")
    put("devices/pci0/slot/max_link_width", "4\n")
    put("devices/pci0/slot/nvme/nvme0/nvme0n1/queue/rotational", "0\n")
    put("devices/pci0/usb1/1-2/speed", "5000\n")
    put("devices/pci0/usb1/1-2/busnum", "1\n")
    put("devices/pci0/usb1/1-2/removable", "removable\n")
    put("devices/pci0/usb1/1-2/host5/block/sdb/removable", "0\n")
    put("devices/pci0/ata3/host2/block/sda/queue/rotational", "1\n")
    put("class/ata_link/link3/sata_spd", "6.0 Gbps\n")
    (top / "block").mkdir()
    for name, place in (
        ("nvme0n1", "pci0/slot/nvme/nvme0/nvme0n1"),
        ("sdb", "pci0/usb1/1-2/host5/block/sdb"),
        ("sda", "pci0/ata3/host2/block/sda"),
    ):
        (top / "block" / name).symlink_to(top / "devices" / place)
    monkeypatch.setattr(linux_sysfs, "SYS", str(top))
    nvme, usb, sata = (read_sys_disk(name) for name in ("nvme0n1", "sdb", "sda"))
    assert (nvme.pcie_speed.strip(), nvme.pcie_best_width.strip(), nvme.external) == ("8.0 GT/s PCIe", "4", False)
    assert (usb.usb_mbit_per_s, usb.external) == ("5000", True)
    assert sata.sata_speed.startswith("6.0") and sata.rotational == "1"
    assert read_sys_disk("nothing").rotational == ""
    put("block/sda/device/hwmon/hwmon1/temp1_input", "43500\n")
    put("block/sda/device/hwmon/hwmon2/temp1_input", "garbled\n")
    assert LinuxSystem().temperature_c(["sda", "sdb"]) == 43.5
    assert LinuxSystem().temperature_c([""]) is None


def test_this_computer_tells_even_without_its_tools(monkeypatch):
    monkeypatch.setenv("PATH", "/nowhere")
    host = LocalHost()
    root = next(drive for drive in host.drives() if drive.path == "/")
    assert root.attached and root.usable_bytes > 0 and root.system
    assert any("lsblk could not be run" in finding for finding in root.findings)
    assert host.temperature_c(root) is None or host.temperature_c(root) > 0
    assert all(counters.read_bytes >= 0 for counters in host.counters(host.drives()).values())
    assert os.path.isdir(root.base_path)


def test_drives_are_written_as_csv_and_json(world, tmp_path, capsys):
    table = tmp_path / "drives.csv"
    assert (
        world.run("drives", "--save", str(table)) == 0 and world.run("drives", "--save", str(tmp_path / "d.txt")) == 2
    )
    rows = list(csv.DictReader(table.open()))
    assert {row["id"] for row in rows} == {"kestrel", "heron", "wren"} and float(rows[0]["felt_load_s"]) > 0
    assert world.run("drives", "--save", str(tmp_path / "d.json")) == 0
    assert json.loads((tmp_path / "d.json").read_text())["format"] == "nuvik-drives/1"
