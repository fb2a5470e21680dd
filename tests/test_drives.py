"""Drives: what the systems tell, recognised again, told straight, and judged."""

from __future__ import annotations

import shutil
import threading
from dataclasses import replace

import psutil
import pytest
from hypothesis import given
from hypothesis import strategies as st

import samples
from conftest import GB, MB, SystemOf, a_drive, fill
from nuvik.core.hosts import disk_usage, macos, windows
from nuvik.core.hosts.base import drive_holding
from nuvik.core.hosts.disk_usage import NO_ANSWER, UsageMeter
from nuvik.core.hosts.linux import parse_linux
from nuvik.core.hosts.linux_sysfs import SysDisk
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.macos import parse_macos
from nuvik.core.hosts.volumes import Listing, Volume
from nuvik.core.hosts.windows import parse_windows
from nuvik.core.model.capacity import capacity_of, how_full, where_the_rest_went
from nuvik.core.model.errors import Refused
from nuvik.core.model.links import LINKS, next_faster, pcie_link, sata_link, usb_link
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.stages.workspace import Workspace
from nuvik.core.store.database import Database
from nuvik.core.store.drive_book import DriveNotes
from nuvik.core.survey.drives.drive_findings import drive_findings
from nuvik.core.survey.drives.gauge import budget_for

SYS = {
    "nvme0n1": SysDisk(pcie_speed="8.0 GT/s PCIe", pcie_width="4", pcie_best_speed="16.0 GT/s", pcie_best_width="4"),
    "sda": SysDisk(sata_speed="6.0 Gbps\n", rotational="1"),
    "sdb": SysDisk(sata_speed="3.0 Gbps\n", rotational="1"),
    "sdc": SysDisk(usb_mbit_per_s="480", removable="1", rotational="1"),
    "sdd": SysDisk(usb_mbit_per_s="10000"),
}


def by_device(listing: Listing) -> dict[str, Volume]:
    return {volume.device: volume for volume in listing.volumes}


def test_linux_tells_of_every_ugly_volume():
    volumes = by_device(parse_linux(samples.LSBLK, samples.MOUNTINFO, SYS, {}))
    assert set(volumes) == {"nvme0n1p2", "home", "vault-films", "sdc1", "cellar:/vol/house", "sda2", "sdd"}
    root = volumes["nvme0n1p2"]  # the mount table calls it /dev/root
    assert (root.mount_points, root.uuid, root.disks[0].medium) == (("/",), "root-1", "nvme")
    assert (root.disks[0].link, root.disks[0].best_link, root.disks[0].portable) == ("pcie-3x4", "pcie-4x4", False)
    home = volumes["home"]  # two sub-volumes of one encrypted volume: its own root first, whatever the order
    assert home.mount_points == ("/mnt/all of it", "/home") and home.disks[0].name == "nvme0n1"
    films = volumes["vault-films"]  # a volume group over two disks, bound to a second place, read-only
    assert [disk.name for disk in films.disks] == ["sda", "sdb"] and films.read_only
    assert films.mount_points == ("/films", "/srv/old") and films.disks[0].model == "Oxbow Broad 4T"
    stick = volumes["sdc1"]
    assert (stick.filesystem, stick.label, stick.disks[0].medium, stick.disks[0].link) == (
        "exfat",
        "",
        "flash",
        "usb-2",
    )
    assert stick.disks[0].portable
    assert volumes["sda2"].state == "not mounted" and "encrypted" in volumes["sdd"].findings[0]
    assert volumes["cellar:/vol/house"].network


@pytest.mark.parametrize("garbled", ["", "{", "[]", '{"blockdevices": [3]}', "nicht erlaubt", '{"blockdevices": null}'])
def test_a_garbled_tool_leaves_the_mounted_drives_and_a_finding(garbled):
    listing = parse_linux(garbled, samples.MOUNTINFO, {}, {})
    assert {"/", "/home", "/films"} <= {point for volume in listing.volumes for point in volume.mount_points}
    assert "the answer of lsblk could not be read" in listing.findings[0]
    assert parse_macos(garbled.encode(), {}, garbled).volumes == () and parse_macos(b"", {}, "").findings
    assert parse_windows(garbled).volumes == ()


@given(st.text(max_size=60), st.binary(max_size=60))
def test_no_parser_ever_raises(text, data):
    parse_linux(text, text, {}, {})
    parse_linux(samples.LSBLK, text, {}, {})
    parse_macos(data, {"disk3s5": data}, text)
    parse_macos(samples.MAC_LIST, dict.fromkeys(samples.MAC_INFOS, data), text)
    parse_windows(text)


def test_macos_shows_the_users_volumes_of_a_container():
    listing = parse_macos(samples.MAC_LIST, samples.MAC_INFOS, samples.MAC_PROFILE)
    volumes = by_device(listing)
    assert set(volumes) == {"disk3s5", "disk3s6", "disk4s1"} and not listing.findings
    data = volumes["disk3s5"]
    assert data.mount_points == ("/", "/System/Volumes/Data") and data.pool == "disk3"
    assert (data.bytes, data.free_bytes, data.uuid) == (494 * GB, 120 * GB, "DATA-1")
    assert (data.disks[0].name, data.disks[0].medium, data.disks[0].link) == ("disk0", "nvme", "pcie-3x4")
    assert volumes["disk3s6"].state == "locked" and volumes["disk3s6"].pool == data.pool
    old = volumes["disk4s1"]
    assert old.read_only and old.disks[0].link == "usb-3.2-gen1" and old.disks[0].portable
    partly = parse_macos(samples.MAC_LIST, {**samples.MAC_INFOS, "disk4s1": b"?"}, "?")
    assert len(partly.volumes) == 2 and len(partly.findings) == 2


def test_windows_shows_letters_folders_and_what_is_locked():
    volumes = by_device(parse_windows(samples.WINDOWS))
    more = "\\\\?\\Volume{more}\\"
    assert set(volumes) == {"C:", "D:", more, "E:", "H:"}
    assert volumes["C:"].disks[0].medium == "nvme" and volumes["C:"].cluster_bytes == 4096
    assert volumes["D:"].read_only and volumes["D:"].disks[0].medium == "hdd" and volumes["D:"].label == "Films"
    assert volumes[more].mount_points == ("C:\\Mounted\\",)
    assert volumes["E:"].state == "locked" and volumes["E:"].disks[0].portable
    assert volumes["H:"].network and volumes["H:"].uuid == "\\\\cellar\\house"


@pytest.mark.parametrize("module", [macos, windows])
def test_slow_tools_are_asked_again_only_when_a_mount_came_or_went(module, monkeypatch):
    """The thin calls of the systems that are not here, with their tools stood in for."""
    asked = []

    def output(words=()):
        asked.append(tuple(words))
        if module is windows:
            return samples.WINDOWS
        if words[0] == "system_profiler":
            return samples.MAC_PROFILE.encode()
        return samples.MAC_LIST if words[1] == "list" else samples.MAC_INFOS.get(words[-1], b"")

    monkeypatch.setattr(module, "_output", output)
    system = macos.MacSystem() if module is macos else windows.WindowsSystem()
    first = system.listing()
    assert len(first.volumes) == (3 if module is macos else 5) and asked
    times = len(asked)
    assert system.listing() is first and len(asked) == times
    monkeypatch.setattr(psutil, "disk_partitions", lambda all: [])
    assert system.listing().volumes == first.volumes and len(asked) == 2 * times


# -- this computer -----------------------------------------------------------------------------------------


def local(tmp_path, *volumes: Volume) -> Workspace:
    database = Database(str(tmp_path / "state"))
    workspace = Workspace(LocalHost(SystemOf(*volumes)), database)
    workspace.drives.note_sightings()
    return workspace


def test_a_drive_is_recognised_by_its_own_identity(tmp_path):
    first, other = tmp_path / "one", tmp_path / "other"
    first.mkdir()
    other.mkdir()
    stick = Volume(device="sdc1", filesystem="ext4", label="Field", uuid="u-1", mount_points=(str(first),), bytes=GB)
    base = Volume(device="sda1", filesystem="ext4", uuid="u-0", mount_points=(str(tmp_path),), bytes=GB)
    workspace = local(tmp_path, base, stick)
    drive = workspace.drives.find("field")
    workspace.computer.book.keep_notes(drive, DriveNotes(label="Field drive", headroom_bytes=7, welcomes=("photo",)))
    workspace.computer.host._system = SystemOf(base)
    away = workspace.drives.find("field")
    assert not away.attached and away.label == "Field drive" and away.usable_bytes == drive.usable_bytes
    workspace.computer.host._system = SystemOf(
        base, replace(stick, device="sdx9", label="renamed", mount_points=(str(other),))
    )
    back = workspace.drives.find("Field drive")
    assert (back.id, back.headroom_bytes, back.welcomes, back.path) == ("field", 7, ("photo",), str(other))
    assert not workspace.drives.look()[1]
    clone = replace(stick, device="sdy1", mount_points=(str(first),))
    workspace.computer.host._system = SystemOf(base, stick, clone)
    both = {drive.device: drive.id for drive in workspace.drives.look()[0]}
    assert both["sdc1"] == "field" and both["sdy1"] == "field-2", "a copy of the volume is a drive of its own"
    newcomer = Volume(device="sdz1", filesystem="ext4", label="Field", uuid="u-2", mount_points=(str(first),), bytes=GB)
    workspace.computer.host._system = SystemOf(base, newcomer)
    assert [drive.id for drive in workspace.drives.look()[1]] == ["field-3"]
    held = drive_holding(workspace.drives.all(), str(first / "x"))
    assert held is not None and held.id == "field-3"


def test_drives_of_one_label_are_told_apart_and_never_taken_for_each_other(tmp_path):
    places = [tmp_path / name for name in ("a", "b")]
    sticks = [
        Volume(
            device=f"sd{place.name}1", filesystem="ext4", label="Backup", uuid=place.name, mount_points=(str(place),)
        )
        for place in places
    ]
    for place in places:
        place.mkdir()
    workspace = local(tmp_path, *(replace(stick, bytes=size * GB) for stick, size in zip(sticks, (1, 2), strict=True)))
    assert {drive.label for drive in workspace.drives.all()} == {"Backup (1.00 GB)", "Backup (2.00 GB)"}
    assert workspace.drives.find("backup (2.00 gb)").path == str(places[1])
    with pytest.raises(Refused, match="2 drives are called “backup”"):
        workspace.drives.find("backup")
    workspace.computer.host._system = SystemOf(*(replace(stick, bytes=GB) for stick in sticks))
    assert {drive.label for drive in workspace.drives.all()} == {f"Backup ({place})" for place in places}
    workspace.computer.host._system = SystemOf(replace(sticks[1], bytes=GB))
    there = workspace.drives.find("Backup")
    assert there.path == str(places[1]) and there.attached, "the drive that is here wins over its namesake that is away"


def test_a_hostile_label_is_harmless_from_the_start(tmp_path, world):
    evil = "[bold]Stick\x1b[2J\u202e"
    workspace = local(tmp_path, Volume(device="sdc1", filesystem="ext4", label=evil, mount_points=(str(tmp_path),)))
    world.data["drive"][2]["label"] = evil
    world.write()
    for drive in (workspace.drives.all()[0], world.open().drives.find("wren")):
        assert drive.label.startswith("[bold]Stick") and drive.label.isprintable()
    locked = Volume(device="sdd1", filesystem="crypto_LUKS", uuid="l", state="locked", findings=("it is locked",))
    workspace.computer.host._system = SystemOf(locked)
    shut = workspace.drives.all()[0]
    assert not shut.attached and shut.why_away == "it is locked"
    with pytest.raises(Refused):
        budget_for(shut)
    here = Volume(device="sdc1", filesystem="ext4", uuid="h", mount_points=(str(tmp_path),))
    workspace.computer.host._system = SystemOf(locked, here)
    workspace.computer.host._home = str(fill(tmp_path / "home"))
    workspace.computer.host.small_share = 0.0
    assert "data" in [library.name for library in workspace.survey.take().libraries], (
        "a locked drive does not stop a survey"
    )


def test_a_mount_that_hangs_is_told_and_holds_up_nobody(tmp_path, monkeypatch):
    real = disk_usage.usage_of
    never, asked = threading.Event(), []

    def usage_of(point):
        asked.append(point)
        return never.wait() if point == "/hanging" else real(point)

    monkeypatch.setattr(disk_usage, "usage_of", usage_of)
    hanging = Volume(device="net", filesystem="nfs4", uuid="n", mount_points=("/hanging",))
    sound = Volume(device="sda1", filesystem="ext4", uuid="u", mount_points=(str(tmp_path),))
    workspace = local(tmp_path, hanging, sound)
    drives = {drive.device: drive for drive in workspace.drives.all()}
    assert drives["sda1"].attached and not drives["net"].attached and NO_ANSWER in drives["net"].findings
    workspace.drives.all()
    assert asked.count("/hanging") == 1, "it is not waited for again"
    never.set()
    answers = UsageMeter().ask(["/nowhere"])
    assert "could not be read" in str(answers["/nowhere"])


@pytest.mark.skipif(shutil.which("lsblk") is None, reason="lsblk is not installed")
def test_this_computer_lists_its_root():
    assert any(drive.path == "/" for drive in LocalHost().drives())


# -- told straight -----------------------------------------------------------------------------------------


@given(st.integers(0, 850), st.integers(0, 900))
def test_capacity_adds_up_from_the_label_down(used, libraries):
    capacity = capacity_of(a_drive(used_bytes=used * GB), libraries * GB)
    lost = capacity.other_volumes_bytes + capacity.tables_bytes + capacity.reserved_bytes
    assert capacity.label_bytes == lost + capacity.libraries_bytes + capacity.other_bytes + capacity.free_bytes
    assert min(capacity.libraries_bytes, capacity.other_bytes, capacity.free_bytes) >= 0
    words = where_the_rest_went(capacity)
    assert "1.00 TB" in words and "100 GB for other volumes" in words and "30.0 GB reserved by the system" in words


def test_nearly_full_is_judged_by_headroom_and_by_kind():
    assert how_full(a_drive()) is None
    assert "free; 50.0 GB should stay free" in str(how_full(a_drive(used_bytes=810 * GB)))
    assert "clear cells" in str(how_full(a_drive(used_bytes=770 * GB)))
    assert how_full(a_drive(used_bytes=770 * GB, medium="hdd")) is None
    assert how_full(a_drive(used_bytes=810 * GB, attached=False)) is None


def test_links_have_ceilings_in_their_order():
    for link in LINKS.values():
        faster = next_faster(link)
        assert faster is None or faster.payload_bytes_per_s > link.payload_bytes_per_s
    assert (usb_link(480), usb_link(5000), usb_link(33)) == ("usb-2", "usb-3.2-gen1", "unknown")
    assert (sata_link("6.0 Gbps"), sata_link("1.5 Gbps"), sata_link("?")) == ("sata-6g", "sata-1.5g", "unknown")
    assert (pcie_link("8.0 GT/s PCIe", "x4"), pcie_link("Unknown", "4"), pcie_link("8 GT/s", "")) == (
        "pcie-3x4",
        "unknown",
        "unknown",
    )
    # What each standard's own text allows at the very most must not be promised.
    assert LINKS["usb-2"].payload_bytes_per_s < 53.2e6 and LINKS["sata-6g"].payload_bytes_per_s < 600e6
    assert LINKS["pcie-3x4"].payload_bytes_per_s < 3.94e9 and LINKS["usb-3.2-gen1"].payload_bytes_per_s < 500e6


@pytest.mark.parametrize(
    ("facts", "words"),
    [
        ({}, "as fast as its cable allows (USB 3.2 Gen 2 (10 Gbit/s)): a faster port or case would allow up to 2.1"),
        ({"read_bytes_per_s": 300 * MB}, None),
        ({"speed_source": "typical"}, "never measured"),
        ({"link": "sata-6g", "portable": False, "read_bytes_per_s": 540 * MB}, "reads as fast as SATA 6 Gbit/s allows"),
        ({"link": "pcie-3x4", "best_link": "pcie-4x4", "medium": "nvme"}, "could use PCI Express 4.0 ×4"),
        ({"read_only": True}, "it is read-only"),
        ({"findings": ("it smells",)}, "it smells"),
    ],
)
def test_findings(facts, words):
    findings = drive_findings(a_drive(**facts), [], [])
    assert (
        (findings == [])
        if words is None
        else any(finding.startswith(words) or words in finding for finding in findings)
    )


def test_volumes_of_one_disk_say_so_and_the_planner_knows(world):
    world.data["drive"][1]["disk"] = world.data["drive"][0]["disk"] = "one"
    world.write()
    source = fill(world.path("kestrel", "Games", "Ferry"))
    workspace = world.open()
    assert any("same disk as Heron" in drive for drive in workspace.drives.findings()["kestrel"])
    plan = make_plan(workspace.plan.draft([(str(source), "heron")]))
    timeline = workspace.rehearse.rehearse(plan)
    assert timeline.feasible and "are on the same disk" in timeline.notes[0]
    pooled = tuple(replace(drive, pool="p") for drive in workspace.drives.all() if drive.id != "wren")
    workspace.computer.host._declared = lambda: pooled
    refused = workspace.rehearse.rehearse(plan)
    assert "share their free space" in refused.violations[0].problem


def test_what_is_served_from_another_computer_is_on_the_network_whatever_serves_it():
    mounts = "\n".join(
        f"{40 + n} 26 0:{60 + n} / /far/{n} rw - fuse.thing {source} rw"
        for n, source in enumerate(("ann@host:/data", "host:", "cloud:photos", "/dev/sdz1", "thing", "http://x"))
    )
    volumes = parse_linux(samples.LSBLK, f"{samples.MOUNTINFO}\n{mounts}", SYS, {}).volumes
    far = {volume.mount_points[0]: volume.network for volume in volumes if volume.mount_points}
    assert {point: network for point, network in far.items() if point.startswith("/far")} == {
        "/far/0": True,
        "/far/1": True,
        "/far/2": True,
        "/far/3": False,
    }
