"""This computer: its mounted drives with their sizes.

Speeds are the typical figures of a medium's class until they are measured, and are marked so.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
import time
from collections.abc import Iterable
from pathlib import Path

import platformdirs
import psutil

from nuvik.core.hosts.base import drive_holding, fastest_first
from nuvik.core.hosts.files import Files
from nuvik.core.hosts.processes import programs_using
from nuvik.core.model.drive import DEFAULT_HEADROOM_SHARE, Drive
from nuvik.core.model.filesystems import normalised as normalised_filesystem
from nuvik.core.model.library import Card
from nuvik.core.model.paths import is_within, parents

TYPICAL: dict[str, tuple[float, float, float]] = {
    # medium: (read bytes/s, write bytes/s, small reads/s). Assumed: round figures in the middle of what drives of
    # each class are specified at for one reader at a time; replaced by measurement.
    "nvme": (2_500e6, 1_500e6, 12_000),
    "ssd": (520e6, 450e6, 8_000),
    "hdd": (150e6, 140e6, 90),
    "flash": (90e6, 25e6, 900),
    "unknown": (200e6, 150e6, 500),
}

_IMAGE_FILESYSTEMS = {"squashfs", "iso9660", "udf", "erofs", "cramfs"}
_BOOT_FOLDERS = ("/boot", "/efi", "/System/Volumes")
_SYSTEM_FOLDERS = {
    "linux": ("/bin", "/boot", "/dev", "/etc", "/lib", "/lib32", "/lib64", "/proc", "/root", "/run", "/sbin", "/sys",
              "/usr", "/var", "/tmp", "/home", "/opt", "/srv", "/mnt", "/media"),
    "darwin": ("/System", "/Library", "/Applications", "/Users", "/Volumes", "/bin", "/sbin", "/usr", "/private",
               "/cores", "/dev", "/etc", "/tmp", "/var", "/opt"),
}  # fmt: skip
# Below these only the folder itself is protected, what lies inside belongs to the user.
_HOLDS_USER_FOLDERS = {
    "/home",
    "/root",
    "/Users",
    "/mnt",
    "/media",
    "/Volumes",
    "/srv",
    "/opt",
    "/tmp",
    "/Applications",
}


class LocalHost:
    """The computer that Nuvik runs on."""

    def __init__(self) -> None:
        self.name = "this computer"
        self.files = Files()
        self._home = os.path.expanduser("~")

    def drives(self) -> tuple[Drive, ...]:
        found: dict[str, Drive] = {}
        taken: set[str] = set()
        mounts = sorted(psutil.disk_partitions(all=False), key=lambda mount: len(mount.mountpoint))
        for mount in mounts:
            if mount.device in found or not _is_a_drive(mount.fstype, mount.mountpoint):
                continue
            try:
                drive = self._drive(mount.device, mount.mountpoint, mount.fstype, taken)
            except OSError:
                continue  # a reader without a card, or a volume that went while we looked
            found[mount.device] = drive
            taken.add(drive.id)
        return fastest_first(found.values())

    def _drive(self, device: str, mount_point: str, filesystem: str, taken: set[str]) -> Drive:
        usage = psutil.disk_usage(mount_point)
        system = mount_point == os.path.abspath(os.sep) or is_within(self._home, mount_point)
        medium, portable, disk = _block_device_facts(device)
        read, write, small = TYPICAL[medium]
        label = (
            "System" if mount_point == "/" else os.path.basename(mount_point.rstrip("/\\")) or mount_point.rstrip("\\")
        )
        identifier = re.sub(r"[^a-z0-9]+", "-", label.lower()).strip("-") or "drive"
        while identifier in taken:
            identifier += "-2"
        usable = usage.used + usage.free  # what is left after the share that the system keeps for itself
        return Drive(
            id=identifier, label=label, path=mount_point, medium=medium, link="unknown",
            filesystem=_filesystem_of(device, filesystem), cluster_bytes=_cluster_bytes(mount_point),
            portable=portable, attached=True, system=system, capacity_bytes=usage.total, usable_bytes=usable,
            used_bytes=usage.used, headroom_bytes=int(usable * DEFAULT_HEADROOM_SHARE), read_bytes_per_s=read,
            write_bytes_per_s=write, small_reads_per_s=small, speed_source="typical",
            base_path=self._home if is_within(self._home, mount_point) else mount_point, disk=disk,
        )  # fmt: skip

    def default_state_folder(self) -> str:
        return platformdirs.user_state_dir("nuvik", appauthor=False)

    def default_roots(self) -> tuple[str, ...]:
        drives = self.drives()
        home_drive = drive_holding(drives, self._home)
        return (self._home, *(drive.path for drive in drives if home_drive is None or drive.id != home_drive.id))

    def cards(self) -> tuple[Card, ...]:
        return ()

    def why_protected(self, path: str) -> str | None:
        if os.path.ismount(path):
            return "it is a mount point, the root of a drive"
        if any(is_within(mount.mountpoint, path) for mount in psutil.disk_partitions(all=True)):
            return "another drive is mounted inside it"
        if path == self._home:
            return "it is your home folder"
        if is_within(self._home, path):
            return "your home folder lies in it"
        for folder in _SYSTEM_FOLDERS.get(sys.platform, ()):
            if path == folder or (folder not in _HOLDS_USER_FOLDERS and is_within(path, folder)):
                return f"it belongs to the system ({folder})"
        if sys.platform == "win32":
            for variable in ("SystemRoot", "ProgramFiles", "ProgramFiles(x86)", "ProgramData"):
                folder = os.environ.get(variable, "")
                if folder and is_within(path.lower(), folder.lower()):
                    return f"it belongs to the system ({folder})"
        return None

    def used_by(self, path: str) -> tuple[str, ...]:
        return programs_using(path)

    def size_on_disk(self, facts: os.stat_result) -> int:
        return facts.st_blocks * 512 if hasattr(facts, "st_blocks") else facts.st_size

    def room_needed(self, sizes: Iterable[int], drive: Drive) -> int:
        cluster = max(1, drive.cluster_bytes)
        return sum(-(-size // cluster) * cluster for size in sizes)

    def timer_s(self) -> float:
        return time.monotonic()


def _is_a_drive(filesystem: str, mount_point: str) -> bool:
    if not filesystem or filesystem in _IMAGE_FILESYSTEMS:
        return False
    above = [mount_point, *parents(mount_point)]
    return not any(folder in above for folder in _BOOT_FOLDERS)


def _cluster_bytes(mount_point: str) -> int:
    return os.statvfs(mount_point).f_frsize if hasattr(os, "statvfs") else 4096


def _block_device_facts(device: str) -> tuple[str, bool, str]:
    """Medium, whether it is portable, and the physical disk, from Linux's /sys; unknown elsewhere."""
    block = Path("/sys/class/block") / os.path.basename(os.path.realpath(device))
    if not block.exists():
        return "unknown", False, ""
    real = block.resolve()
    disk = real.parent if (real / "partition").exists() else real
    try:
        rotational = (disk / "queue/rotational").read_text().strip() == "1"
        removable = (disk / "removable").read_text().strip() == "1"
    except OSError:
        return "unknown", False, disk.name
    over_usb = "/usb" in str(disk)
    if disk.name.startswith("nvme"):
        medium = "nvme"
    elif rotational:
        medium = "hdd"
    else:
        medium = "flash" if over_usb and removable else "ssd"
    return medium, over_usb or removable, disk.name


def _filesystem_of(device: str, reported: str) -> str:
    """The file system itself where the system only names the bridge it goes through."""
    if reported == "fuseblk":
        try:
            words = ["lsblk", "-ndo", "FSTYPE", device]
            answer = subprocess.run(words, capture_output=True, text=True, timeout=5, check=False).stdout.strip()
        except (OSError, subprocess.TimeoutExpired):
            answer = ""
        if not answer:
            answer = _filesystem_by_signature(device)
        return normalised_filesystem(answer or "ntfs")
    return normalised_filesystem(reported)


def _filesystem_by_signature(device: str) -> str:
    """NTFS and exFAT name themselves in bytes 3 to 11 of their boot sector (both formats' specifications)."""
    try:
        with open(device, "rb") as file:
            sector = file.read(16)
    except OSError:
        return ""
    return {b"NTFS    ": "ntfs", b"EXFAT   ": "exfat"}.get(sector[3:11], "")
