"""macOS: drives from `diskutil` (property lists) and `system_profiler` (JSON). A thin call, and one pure parser.

Written from the tools' manual pages (diskutil(8), system_profiler(8)) and tested on sample data; never run on a Mac.
"""

from __future__ import annotations

import json
import plistlib
import re
import subprocess
from collections.abc import Iterable, Iterator, Mapping
from typing import Any
from xml.parsers.expat import ExpatError

import psutil

from nuvik.core.hosts.volumes import (
    IMAGE_FILESYSTEMS,
    LOCKED,
    MOUNTED,
    NOT_MOUNTED,
    Disk,
    Listing,
    Volume,
    entries,
    shown_text,
    texts,
    whole_number,
)
from nuvik.core.model.links import pcie_link, sata_link

TOOL_LIMIT_S = 15.0
_REPORTS = ("SPUSBDataType", "SPNVMeDataType", "SPSerialATADataType")
_USB = {
    "low_speed": "usb-1",
    "full_speed": "usb-1",
    "high_speed": "usb-2",
    "super_speed": "usb-3.2-gen1",
    "super_speed_plus": "usb-3.2-gen2",
}
_SYSTEM_ROLES = frozenset(["System", "Preboot", "Recovery", "VM", "Update", "xART", "Hardware", "iSCPreboot"])
"""Volumes of a container that the system keeps for itself; the user's files lie on the one with the role Data."""
_DATA_MOUNT = "/System/Volumes/Data"
_FILESYSTEMS = {
    "apfs": "apfs",
    "hfs": "hfs+",
    "msdos": "fat32",
    "exfat": "exfat",
    "ntfs": "ntfs",
    "udf": "udf",
    "cd9660": "iso9660",
    "lifs": "exfat",
}


# -- the pure part -----------------------------------------------------------------------------------------


def parse_macos(disks: bytes, infos: Mapping[str, bytes], profile: str) -> Listing:
    """Volumes from `diskutil list -plist`, `diskutil info -plist` of each (by identifier), and the profiler's report.

    Never raises: what cannot be read becomes a finding, and a volume with no information is left out with one.
    """
    findings = []
    speeds = _profiled(profile)
    if speeds is None:
        findings.append("the answer of system_profiler could not be read, so how the drives are connected is unknown.")
    listed = _plist(disks)
    if listed is None:
        return Listing(volumes=(), findings=("the answer of diskutil could not be read, so no drives can be shown.",))
    stores = _physical_stores(listed)
    volumes = []
    for identifier in volume_identifiers(disks):
        info = _plist(infos.get(identifier, b""))
        if info is None:
            findings.append(f"diskutil reported nothing about {identifier}; it is left out.")
            continue
        whole = stores.get(shown_text(info.get("APFSContainerReference")), shown_text(info.get("ParentWholeDisk")))
        about_disk = _plist(infos.get(whole, b"")) or info
        volume = _volume(identifier, info, _disk(whole, about_disk, (speeds or {}).get(whole, ("unknown", "unknown"))))
        if volume is not None:
            volumes.append(volume)
    return Listing(volumes=tuple(volumes), findings=tuple(findings))


def volume_identifiers(disks: bytes) -> list[str]:
    """The identifiers of all volumes in `diskutil list -plist`: partitions, and the volumes of containers."""
    identifiers = []
    for disk in entries((_plist(disks) or {}).get("AllDisksAndPartitions")):
        for part in [*entries(disk.get("Partitions")), *entries(disk.get("APFSVolumes"))]:
            identifier = shown_text(part.get("DeviceIdentifier"))
            if identifier and shown_text(part.get("Content")) not in ("EFI", "Apple_APFS", "Apple_Boot"):
                identifiers.append(identifier)
        if not disk.get("Partitions") and not disk.get("APFSVolumes") and disk.get("VolumeName"):
            identifiers.append(shown_text(disk.get("DeviceIdentifier")))  # a whole disk that is one volume
    return identifiers


def _physical_stores(listed: Mapping[str, Any]) -> dict[str, str]:
    """The physical disk under each container."""
    stores = {}
    for disk in entries(listed.get("AllDisksAndPartitions")):
        for store in entries(disk.get("APFSPhysicalStores")):
            part = shown_text(store.get("DeviceIdentifier"))
            stores[shown_text(disk.get("DeviceIdentifier"))] = re.sub(r"s\d+$", "", part)
    return stores


def _volume(identifier: str, info: Mapping[str, Any], disk: Disk) -> Volume | None:
    kind = shown_text(info.get("FilesystemType")).lower()
    filesystem = _FILESYSTEMS.get(kind, kind)
    role = next(iter(texts(info.get("APFSVolumeRole")) or texts(info.get("APFSRoles"))), "")
    if role in _SYSTEM_ROLES or filesystem in IMAGE_FILESYSTEMS or shown_text(info.get("BusProtocol")) == "Disk Image":
        return None
    locked = info.get("Locked") is True
    if not filesystem and not locked:
        return None
    point = next(iter(texts(info.get("MountPoint"))), "")
    # The system's own sealed volume is mounted at the root, and shows the files of Data there.
    points = ("/", _DATA_MOUNT) if point == _DATA_MOUNT else (point,) if point else ()
    container = shown_text(info.get("APFSContainerReference"))
    size = whole_number(info.get("APFSContainerSize")) if container else None
    free = whole_number(info.get("APFSContainerFree")) if container else whole_number(info.get("FreeSpace"))
    finding = ""
    if locked:
        finding = "it is encrypted and locked: unlock it to see what is on it"
    elif not points:
        finding = "it is not mounted: mount it in Disk Utility to use it"
    return Volume(
        device=identifier,
        filesystem=filesystem or "apfs",
        mount_points=points,
        label=shown_text(info.get("VolumeName")),
        uuid=shown_text(info.get("VolumeUUID")),
        bytes=size or whole_number(info.get("TotalSize")) or whole_number(info.get("Size")),
        disks=(disk,),
        read_only=bool(points) and info.get("WritableVolume") is False,
        state=LOCKED if locked else MOUNTED if points else NOT_MOUNTED,
        pool=container,
        free_bytes=free,
        cluster_bytes=whole_number(info.get("VolumeAllocationBlockSize")),
        findings=(finding,) if finding else (),
    )


def _disk(name: str, info: Mapping[str, Any], links: tuple[str, str]) -> Disk:
    bus = shown_text(info.get("BusProtocol"))
    solid, removable = info.get("SolidState"), info.get("RemovableMedia") is True
    if bus in ("PCI-Express", "Apple Fabric"):
        medium = "nvme"
    elif removable or bus == "Secure Digital":
        medium = "flash"
    else:
        medium = "unknown" if solid is None else "ssd" if solid else "hdd"
    return Disk(
        name=name,
        bytes=whole_number(info.get("Size")) or whole_number(info.get("TotalSize")),
        model=shown_text(info.get("MediaName")),
        medium=medium,
        link=links[0],
        best_link=links[1],
        portable=info.get("Internal") is False,
    )


def _profiled(text: str) -> dict[str, tuple[str, str]] | None:
    """The link of each whole disk, by its name, from the profiler's report. None when that cannot be read."""
    try:
        report = json.loads(text)
    except ValueError:
        return None
    if not isinstance(report, dict):
        return None
    profiled: dict[str, tuple[str, str]] = {}
    for group in _REPORTS:
        for item in _items(entries(report.get(group))):
            link = _link_of(group, item)
            for name in _disk_names(item):
                profiled[name] = (link, "unknown")
    return profiled


def _items(many: Iterable[Mapping[str, Any]], above: Mapping[str, Any] | None = None) -> Iterator[dict[str, Any]]:
    """Every item of the nested report; what a controller says of its port is handed down to its drives."""
    for entry in many:
        merged = {**{name: value for name, value in (above or {}).items() if name.endswith("speed")}, **entry}
        yield merged
        yield from _items(entries(entry.get("_items")), merged)


def _link_of(group: str, item: Mapping[str, Any]) -> str:
    if group == "SPUSBDataType":
        return _USB.get(shown_text(item.get("device_speed")), "unknown")
    if group == "SPNVMeDataType":
        return pcie_link(shown_text(item.get("spnvme_linkspeed")), shown_text(item.get("spnvme_linkwidth")))
    return sata_link(shown_text(item.get("spsata_negotiatedlinkspeed")))


def _disk_names(item: Mapping[str, Any]) -> Iterator[str]:
    for holder in (item, *entries(item.get("Media"))):
        name = shown_text(holder.get("bsd_name"))
        if name:
            yield re.sub(r"s\d+$", "", name)


def _plist(data: bytes) -> dict[str, Any] | None:
    try:
        value = plistlib.loads(data)
    except (plistlib.InvalidFileException, ExpatError, ValueError, TypeError, IndexError):
        return None
    return value if isinstance(value, dict) else None


# -- the thin calls ----------------------------------------------------------------------------------------


class MacSystem:
    """Asks this Mac. Its tools take seconds together, so they are asked again only when a mount came or went."""

    def __init__(self) -> None:
        self._mounts: frozenset[tuple[str, str]] | None = None
        self._listing = Listing(volumes=())

    def listing(self) -> Listing:
        mounts = frozenset((mount.device, mount.mountpoint) for mount in psutil.disk_partitions(all=True))
        if mounts != self._mounts:
            disks = _output(["diskutil", "list", "-plist"])
            profile = _output(["system_profiler", "-json", *_REPORTS]).decode(errors="replace")
            wholes = texts((_plist(disks) or {}).get("WholeDisks"))
            names = dict.fromkeys([*volume_identifiers(disks), *wholes])
            infos = {name: _output(["diskutil", "info", "-plist", name]) for name in names}
            self._mounts, self._listing = mounts, parse_macos(disks, infos, profile)
        return self._listing

    def temperature_c(self, disks: Iterable[str]) -> float | None:
        """macOS tells a drive's temperature to no ordinary program."""
        return None


def _output(words: list[str]) -> bytes:
    try:
        return subprocess.run(words, capture_output=True, timeout=TOOL_LIMIT_S, check=False).stdout
    except (OSError, subprocess.TimeoutExpired):
        return b""
