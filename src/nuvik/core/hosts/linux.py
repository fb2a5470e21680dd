"""Linux: drives from `lsblk`, the mount table and /sys. A thin call for each, and one pure parser of them all.

Sources: lsblk(8) (JSON output, bytes with -b) and proc_pid_mountinfo(5); for the GPT types, see below.
"""

from __future__ import annotations

import json
import os
import re
import subprocess
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from nuvik.core.hosts import linux_sysfs
from nuvik.core.hosts.linux_sysfs import SysDisk, names_in, read_file, read_sys_disk
from nuvik.core.hosts.volumes import (
    FUSE_REMOTE,
    IMAGE_FILESYSTEMS,
    LOCKED,
    NETWORK_FILESYSTEMS,
    NOT_MOUNTED,
    Disk,
    Listing,
    Mount,
    Volume,
    entries,
    shown_text,
    whole_number,
)
from nuvik.core.model.links import pcie_link, sata_link, usb_link
from nuvik.core.model.paths import is_within

TOOL_LIMIT_S = 5.0
_COLUMNS = "KNAME,PATH,MAJ:MIN,TYPE,SIZE,ROTA,RM,HOTPLUG,TRAN,MODEL,FSTYPE,LABEL,UUID,PARTTYPE,RO"
_NO_DRIVE = frozenset(["swap", "linux_raid_member", "LVM2_member", "zfs_member", "bcache", "isw_raid_member"])
"""Contents of a partition that are no volume of files themselves."""
_LOCKED_CONTENTS = frozenset(["crypto_LUKS", "BitLocker"])
_SYSTEM_PARTS = frozenset(
    # GPT partition types of the UEFI specification and of the systems' own documentation:
    [
        "c12a7328-f81f-11d2-ba4b-00a0c93ec93b",  # EFI system partition
        "e3c9e316-0b5c-4db8-817d-f92df00215ae",  # reserved for Windows
        "de94bba4-06d1-4d40-a16a-bfd50179d6ac",  # Windows recovery
        "21686148-6449-6e6f-744e-656564454649",  # BIOS boot
        "bc13c2ff-59e6-4262-a352-b275fd6f7172",
    ]  # extended boot loader
)
_BOOT_FOLDERS = ("/boot", "/efi")
_VIRTUAL = re.compile(r"(loop|vd|xvd|nbd|ram|zram|rbd)")
"""Disks that are made of something else: what the system says of platters does not hold for them."""


@dataclass(frozen=True, slots=True)
class _Mount:
    id: str
    number: str
    root: str
    point: str
    options: tuple[str, ...]
    filesystem: str
    source: str


# -- the pure part -----------------------------------------------------------------------------------------


def parse_linux(lsblk: str, mountinfo: str, sys_disks: Mapping[str, SysDisk], uuids: Mapping[str, str]) -> Listing:
    """Volumes from what the system's tools printed. Never raises: what cannot be read becomes a finding.

    `uuids` gives the file system's identity by device path, where lsblk does not know it.
    """
    nodes, findings = _nodes(lsblk)
    mounts = list(_mounts(mountinfo))
    by_source: dict[str, list[_Mount]] = {}
    for mount in mounts:
        by_source.setdefault(_source_of(mount, nodes), []).append(mount)
    volumes = []
    for source, places in by_source.items():
        node = nodes.get(source)
        volume = _mounted(source, places, node, nodes, sys_disks)
        if volume is not None:
            volumes.append(volume if volume.uuid else _with_uuid(volume, uuids.get(source, "")))
    mounted = set(by_source)
    for path, node in nodes.items():
        if path not in mounted and (volume := _unmounted(node, nodes, sys_disks)) is not None:
            volumes.append(volume)
    return Listing(volumes=tuple(volumes), findings=tuple(findings))


@dataclass(slots=True)
class _Node:
    """A block device of lsblk's tree, with the whole disks it stands on."""

    facts: dict[str, Any]
    disks: list[str] = field(default_factory=list)
    has_children: bool = False

    def text(self, name: str) -> str:
        return shown_text(self.facts.get(name))

    def flag(self, name: str) -> bool:
        return self.facts.get(name) in (True, 1, "1")  # older versions write flags as text


def _nodes(lsblk: str) -> tuple[dict[str, _Node], list[str]]:
    """By device path. A device that stands on several disks is listed under each; the disks are joined."""
    try:
        answer = json.loads(lsblk)
    except ValueError:
        answer = None
    nodes: dict[str, _Node] = {}
    waiting = [(entry, "") for entry in entries(answer.get("blockdevices") if isinstance(answer, dict) else None)]
    while waiting:
        entry, disk = waiting.pop()
        path = shown_text(entry.get("path")) or f"/dev/{shown_text(entry.get('kname'))}"
        node = nodes.setdefault(path, _Node(entry))
        disk = disk or path
        if disk not in node.disks:
            node.disks.append(disk)
        children = entries(entry.get("children"))
        node.has_children = bool(children)
        waiting.extend((child, disk) for child in children)
    if not nodes:
        return {}, ["the answer of lsblk could not be read, so the kind of each disk is unknown."]
    return nodes, []


def _mounts(mountinfo: str) -> Iterator[_Mount]:
    for line in mountinfo.splitlines():
        left, dash, right = line.partition(" - ")
        fields, more = left.split(" "), right.split(" ")
        if not dash or len(fields) < 6 or len(more) < 2:
            continue
        mount = _Mount(
            fields[0],
            fields[2],
            _unescaped(fields[3]),
            _unescaped(fields[4]),
            tuple(fields[5].split(",")),
            more[0],
            _unescaped(more[1]),
        )
        if mount.filesystem in IMAGE_FILESYSTEMS or _is_boot(mount.point):
            continue
        if mount.filesystem.startswith("fuse") and _REMOTE.match(mount.source):
            mount = replace(mount, filesystem=FUSE_REMOTE)
        if mount.source.startswith("/dev/") or mount.filesystem in ("zfs", *NETWORK_FILESYSTEMS) or mount.point == "/":
            yield mount


_REMOTE = re.compile(r"[^/\s]+:(?!//)")
"""How the source of a mount names another computer, or what a program keeps under a name of its own: `host:path`."""


def _is_boot(point: str) -> bool:
    return any(point == folder or point.startswith(folder + "/") for folder in _BOOT_FOLDERS)


def _unescaped(text: str) -> str:
    """Spaces and such stand as octal numbers in the mount table."""
    return re.sub(r"\\([0-7]{3})", lambda match: chr(int(match.group(1), 8)), text)


def _source_of(mount: _Mount, nodes: Mapping[str, _Node]) -> str:
    """The device path of a mount as lsblk has it; names such as /dev/root or a mapper's are found by number."""
    if mount.source in nodes or not mount.source.startswith("/dev/"):
        return mount.source
    by_number = (path for path, node in nodes.items() if node.text("maj:min") == mount.number)
    return next(by_number, mount.source)


def _mounted(
    source: str, places: list[_Mount], node: _Node | None, nodes: Mapping[str, _Node], sys_disks: Mapping[str, SysDisk]
) -> Volume | None:
    # The mount of the volume's own root comes first; binds and sub-volumes are further places of the same.
    ordered = sorted(places, key=lambda mount: (mount.root != "/", len(mount.point), mount.point))
    first = ordered[0]
    filesystem = first.filesystem
    if filesystem == "fuseblk" and node is not None and node.text("fstype"):
        filesystem = node.text("fstype")
    network = filesystem in NETWORK_FILESYSTEMS
    disks = () if node is None else _disks(node, nodes, sys_disks)
    return Volume(
        device=os.path.basename(source) if node is not None or source.startswith("/dev/") else source,
        filesystem=filesystem,
        mount_points=tuple(dict.fromkeys(mount.point for mount in ordered)),
        trees=_trees(ordered),
        mounts=tuple(Mount(mount.point, mount.root, whole_number(mount.id)) for mount in ordered),
        label=node.text("label") if node else "",
        uuid=node.text("uuid") if node else source if network or filesystem == "zfs" else "",
        bytes=whole_number(node.facts.get("size")) if node else None,
        disks=disks,
        read_only="ro" in first.options,
        pool=f"zfs:{source.partition('/')[0]}" if filesystem == "zfs" else "",
        findings=("it is on another computer, so its speed is that of the network",) if network else (),
    )


def _trees(ordered: list[_Mount]) -> tuple[str, ...]:
    """One mount for each part of the volume; a bind mount of a folder shows what is seen from above already."""
    shown: list[_Mount] = []
    for mount in ordered:
        if not any(is_within(mount.root, other.root) for other in shown):
            shown.append(mount)
    return tuple(mount.point for mount in shown)


def _unmounted(node: _Node, nodes: Mapping[str, _Node], sys_disks: Mapping[str, SysDisk]) -> Volume | None:
    """A volume that is there but not mounted; None for what is no volume of the user's."""
    contents, size = node.text("fstype"), whole_number(node.facts.get("size"))
    if not contents or not size or contents in _NO_DRIVE or contents in IMAGE_FILESYSTEMS:
        return None
    if node.has_children or node.text("parttype").lower() in _SYSTEM_PARTS:
        return None
    locked = contents in _LOCKED_CONTENTS
    finding = (
        "it is encrypted and locked: unlock it to see what is on it"
        if locked
        else "it is not mounted: open it in your file manager to use it"
    )
    return Volume(
        device=node.text("kname"),
        filesystem=contents,
        label=node.text("label"),
        uuid=node.text("uuid"),
        bytes=size,
        disks=_disks(node, nodes, sys_disks),
        state=LOCKED if locked else NOT_MOUNTED,
        findings=(finding,),
    )


def _with_uuid(volume: Volume, uuid: str) -> Volume:

    return replace(volume, uuid=uuid)


def _disks(node: _Node, nodes: Mapping[str, _Node], sys_disks: Mapping[str, SysDisk]) -> tuple[Disk, ...]:
    return tuple(_disk(nodes[path], sys_disks.get(nodes[path].text("kname"), SysDisk())) for path in sorted(node.disks))


def _disk(node: _Node, sys_disk: SysDisk) -> Disk:
    name, transport = node.text("kname"), node.text("tran")
    usb = transport == "usb" or bool(sys_disk.usb_mbit_per_s)
    removable = node.flag("rm") or sys_disk.removable == "1"
    rotational = sys_disk.rotational == "1" if sys_disk.rotational else node.flag("rota")
    if _VIRTUAL.match(name):
        medium = "unknown"
    elif name.startswith("nvme") or transport == "nvme":
        medium = "nvme"
    elif name.startswith("mmcblk") or (usb and removable):
        medium = "flash"  # sticks and cards say that they have platters, as the default of their kind of disk is
    else:
        medium = "hdd" if rotational else "ssd"
    link, best = _links(sys_disk, usb, transport, medium)
    return Disk(
        name=name,
        bytes=whole_number(node.facts.get("size")),
        model=node.text("model"),
        medium=medium,
        link=link,
        best_link=best,
        portable=usb or removable or node.flag("hotplug") or sys_disk.external,
    )


def _links(sys_disk: SysDisk, usb: bool, transport: str, medium: str) -> tuple[str, str]:
    if usb:
        rate = sys_disk.usb_mbit_per_s
        return (usb_link(float(rate)) if re.fullmatch(r"[\d.]+", rate) else "unknown"), "unknown"
    if medium == "nvme":
        return (
            pcie_link(sys_disk.pcie_speed, sys_disk.pcie_width),
            pcie_link(sys_disk.pcie_best_speed, sys_disk.pcie_best_width),
        )
    if transport in ("sata", "ata") or sys_disk.sata_speed:
        return sata_link(sys_disk.sata_speed), "unknown"
    return "unknown", "unknown"


# -- the thin calls ----------------------------------------------------------------------------------------


class LinuxSystem:
    """Asks this Linux. What costs a process is asked again only when a disk or a mount came or went."""

    def __init__(self) -> None:
        self._key: tuple[str, str] | None = None
        self._listing = Listing(volumes=())

    def listing(self) -> Listing:
        mountinfo = read_file("/proc/self/mountinfo")
        key = (mountinfo, read_file("/proc/partitions"))
        if key != self._key:
            lsblk, finding = _lsblk()
            sys_disks = {name: read_sys_disk(name) for name in names_in(f"{linux_sysfs.SYS}/block")}
            listing = parse_linux(lsblk, mountinfo, sys_disks, _uuids(mountinfo))
            self._key = key
            self._listing = Listing(volumes=listing.volumes, findings=(finding,) if finding else listing.findings)
        return self._listing

    def temperature_c(self, disks: Iterable[str]) -> float | None:
        """The warmest of these disks, from the kernel's hardware monitors (nvme, drivetemp); None where none tells."""
        readings = []
        for disk in disks:
            for file in Path(linux_sysfs.SYS, "block", disk, "device").glob("**/hwmon*/temp1_input"):
                text = read_file(str(file)).strip()
                if text.lstrip("-").isdecimal():
                    readings.append(int(text) / 1000)
        return max(readings, default=None)


def _lsblk() -> tuple[str, str]:
    """What lsblk printed, or why it did not."""
    words = ["lsblk", "--json", "--bytes", "--output", _COLUMNS]
    try:
        done = subprocess.run(
            words,
            capture_output=True,
            text=True,
            timeout=TOOL_LIMIT_S,
            check=False,
            env=dict(os.environ, LC_ALL="C"),
            errors="surrogateescape",
        )
    except (OSError, subprocess.TimeoutExpired) as fault:
        return "", f"lsblk could not be run ({type(fault).__name__}), so the kind of each disk is unknown."
    return done.stdout, ""


def _uuids(mountinfo: str) -> dict[str, str]:
    """The identities of mounted volumes by device, from the links that the system keeps, else from the volume."""
    uuids: dict[str, str] = {}
    folder = "/dev/disk/by-uuid"
    for name in names_in(folder):
        uuids[os.path.realpath(os.path.join(folder, name))] = name
    for mount in _mounts(mountinfo):
        if mount.source.startswith("/dev/") and mount.source not in uuids:
            uuids[mount.source] = _uuid_by_blkid(mount.source)
    return uuids


def _uuid_by_blkid(device: str) -> str:
    try:
        done = subprocess.run(
            ["blkid", "-p", "-s", "UUID", "-o", "value", device],
            capture_output=True,
            text=True,
            timeout=TOOL_LIMIT_S,
            check=False,
        )
    except (OSError, subprocess.TimeoutExpired):
        return ""
    return done.stdout.strip()
