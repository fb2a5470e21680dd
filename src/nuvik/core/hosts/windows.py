"""Windows: drives from PowerShell's storage cmdlets, as JSON. A thin call, and one pure parser.

Written from the documentation of Get-PhysicalDisk, Get-Disk, Get-Partition and Get-Volume (classes MSFT_PhysicalDisk,
MSFT_Disk, MSFT_Partition and MSFT_Volume, with their numbers for media and buses) and tested on sample data; never
run on Windows.
"""

from __future__ import annotations

import json
import subprocess
from collections.abc import Iterable, Mapping
from typing import Any

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

TOOL_LIMIT_S = 30.0
SCRIPT = """
$ErrorActionPreference = 'SilentlyContinue'
[Console]::OutputEncoding = [System.Text.Encoding]::UTF8
@{
  physical = @(Get-PhysicalDisk | Select-Object DeviceId, FriendlyName, MediaType, BusType, Size)
  disks = @(Get-Disk | Select-Object Number, FriendlyName, BusType, Size, IsOffline, IsReadOnly)
  partitions = @(Get-Partition | Select-Object DiskNumber, DriveLetter, Size, GptType, AccessPaths, IsHidden)
  volumes = @(Get-Volume | Select-Object DriveLetter, FileSystemLabel, FileSystem, Size, SizeRemaining, UniqueId,
              DriveType, AllocationUnitSize)
  mapped = @(Get-CimInstance Win32_LogicalDisk -Filter 'DriveType=4' |
             Select-Object DeviceID, VolumeName, FileSystem, Size, FreeSpace, ProviderName)
} | ConvertTo-Json -Depth 4 -Compress
"""

_MEDIA = {"3": "hdd", "hdd": "hdd", "4": "ssd", "ssd": "ssd", "5": "ssd", "scm": "ssd"}
_NVME, _USB, _SATA = ("17", "nvme"), ("7", "usb"), ("11", "sata")
_CARD = ("12", "sd", "13", "mmc")
_SYSTEM_PARTS = frozenset(
    [
        "{c12a7328-f81f-11d2-ba4b-00a0c93ec93b}",
        "{e3c9e316-0b5c-4db8-817d-f92df00215ae}",
        "{de94bba4-06d1-4d40-a16a-bfd50179d6ac}",
    ]
)
_DISC_DRIVE = ("5", "cd-rom")
_REMOVABLE = ("2", "removable")


# -- the pure part -----------------------------------------------------------------------------------------


def parse_windows(text: str) -> Listing:
    """Volumes from the script's JSON. Never raises: what cannot be read becomes a finding."""
    try:
        answer = json.loads(text)
    except ValueError:
        answer = None
    if not isinstance(answer, dict):
        return Listing(volumes=(), findings=("the answer of PowerShell could not be read, so no drives can be shown.",))
    # PowerShell writes a list of one as the one itself: `entries` takes both.
    physical = {_word(entry, "DeviceId"): entry for entry in entries(answer.get("physical"))}
    disks = {_word(entry, "Number"): entry for entry in entries(answer.get("disks"))}
    partitions = entries(answer.get("partitions"))
    volumes = [_volume(entry, partitions, disks, physical) for entry in entries(answer.get("volumes"))]
    volumes += [_mapped(entry) for entry in entries(answer.get("mapped"))]
    return Listing(volumes=tuple(volume for volume in volumes if volume is not None))


def _word(entry: Mapping[str, Any], name: str) -> str:
    """A field as lower-case text: numbers and names of the same thing both occur, depending on the version."""
    value = entry.get(name)
    return "" if value is None else str(value).strip().strip("\0").lower()


def _volume(
    entry: Mapping[str, Any],
    partitions: list[dict[str, Any]],
    disks: Mapping[str, Mapping[str, Any]],
    physical: Mapping[str, Mapping[str, Any]],
) -> Volume | None:
    unique = shown_text(entry.get("UniqueId"))
    letter = _word(entry, "DriveLetter").upper()
    part = next((partition for partition in partitions if _belongs(partition, letter, unique)), None)
    filesystem = _word(entry, "FileSystem")
    size = whole_number(entry.get("Size"))
    if _word(entry, "DriveType") in _DISC_DRIVE or filesystem in IMAGE_FILESYSTEMS:
        return None
    if part is not None and (_word(part, "GptType") in _SYSTEM_PARTS or part.get("IsHidden") is True):
        return None
    if not size and _word(entry, "DriveType") in _REMOVABLE:
        return None  # a card reader without a card
    places = _places(letter, part)
    locked = bool(letter) and not filesystem
    if not places and not filesystem:
        return None
    number = _word(part, "DiskNumber") if part is not None else ""
    disk = _disk(number, disks.get(number), physical.get(number)) if number else None
    finding = ""
    if locked:
        finding = "it is locked or has no file system: unlock it to see what is on it"
    elif not places:
        finding = "it has no drive letter: assign one in Disk Management to use it"
    return Volume(
        device=f"{letter}:" if letter else unique,
        filesystem=filesystem,
        mount_points=places,
        label=shown_text(entry.get("FileSystemLabel")),
        uuid=unique,
        bytes=(whole_number(part.get("Size")) if part is not None else None) or size,
        disks=(disk,) if disk is not None else (),
        read_only=bool(number) and (disks.get(number) or {}).get("IsReadOnly") is True,
        state=LOCKED if locked else MOUNTED if places else NOT_MOUNTED,
        free_bytes=whole_number(entry.get("SizeRemaining")),
        cluster_bytes=whole_number(entry.get("AllocationUnitSize")),
        findings=(finding,) if finding else (),
    )


def _belongs(part: Mapping[str, Any], letter: str, unique: str) -> bool:
    paths = texts(part.get("AccessPaths"))
    return (bool(letter) and _word(part, "DriveLetter").upper() == letter) or (bool(unique) and unique in paths)


def _places(letter: str, part: Mapping[str, Any] | None) -> tuple[str, ...]:
    """The letter first, then folders in which the volume is mounted."""
    folders = [path for path in texts((part or {}).get("AccessPaths")) if not path.startswith("\\\\?\\")]
    if letter:
        folders = [f"{letter}:\\", *(path for path in folders if path.upper() != f"{letter}:\\")]
    return tuple(folders)


def _disk(number: str, disk: Mapping[str, Any] | None, physical: Mapping[str, Any] | None) -> Disk:
    disk, physical = disk or {}, physical or {}
    bus = _word(disk, "BusType") or _word(physical, "BusType")
    if bus in _NVME:
        medium = "nvme"
    elif bus in _CARD:
        medium = "flash"
    else:
        medium = _MEDIA.get(_word(physical, "MediaType"), "unknown")
    return Disk(
        name=number,
        bytes=whole_number(disk.get("Size")) or whole_number(physical.get("Size")),
        model=shown_text(disk.get("FriendlyName")) or shown_text(physical.get("FriendlyName")),
        medium=medium,
        portable=bus in (*_USB, *_CARD),
    )


def _mapped(entry: Mapping[str, Any]) -> Volume | None:
    """A letter that stands for a folder on another computer."""
    letter = shown_text(entry.get("DeviceID"))
    if not letter:
        return None
    return Volume(
        device=letter,
        filesystem="smb3",
        mount_points=(f"{letter}\\",),
        label=shown_text(entry.get("VolumeName")),
        uuid=shown_text(entry.get("ProviderName")),
        bytes=whole_number(entry.get("Size")),
        free_bytes=whole_number(entry.get("FreeSpace")),
        findings=("it is on another computer, so its speed is that of the network",),
    )


# -- the thin call -----------------------------------------------------------------------------------------


class WindowsSystem:
    """Asks this Windows. PowerShell takes seconds, so it is asked again only when a drive letter came or went."""

    def __init__(self) -> None:
        self._letters: frozenset[str] | None = None
        self._listing = Listing(volumes=())

    def listing(self) -> Listing:
        letters = frozenset(mount.device for mount in psutil.disk_partitions(all=False))
        if letters != self._letters:
            self._letters, self._listing = letters, parse_windows(_output())
        return self._listing

    def temperature_c(self, disks: Iterable[str]) -> float | None:
        """Windows tells a drive's temperature to administrators only, and not in one documented way."""
        return None


def _output() -> str:
    words = ["powershell.exe", "-NoProfile", "-NonInteractive", "-Command", SCRIPT]
    try:
        done = subprocess.run(words, capture_output=True, timeout=TOOL_LIMIT_S, check=False)
    except (OSError, subprocess.TimeoutExpired):
        return ""
    return done.stdout.decode("utf-8", errors="replace")
