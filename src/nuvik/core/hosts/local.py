"""This computer: its drives, what must not be moved on it, and how files lie there.

Speeds are the typical figures of a medium's class until they are measured, and are marked so.
"""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Iterable, Sequence
from contextlib import AbstractContextManager
from typing import Any, Protocol

import platformdirs
import psutil

from nuvik.core.hosts import desktop, syscalls
from nuvik.core.hosts.anchors import Anchor, anchors_of
from nuvik.core.hosts.base import Limits, fastest_first
from nuvik.core.hosts.disk_usage import Usage, UsageMeter
from nuvik.core.hosts.eject import eject_volume, swaps_to
from nuvik.core.hosts.files import Files
from nuvik.core.hosts.health import health_of
from nuvik.core.hosts.medium import attachment_of, reaches_medium
from nuvik.core.hosts.pace import pace_of_this_computer
from nuvik.core.hosts.packages import packages_owning
from nuvik.core.hosts.processes import filesystem_by_daemon, logged_in_since_s, open_paths, programs_using
from nuvik.core.hosts.surroundings import surroundings_of
from nuvik.core.hosts.system_folders import HOLDS_USER_FOLDERS
from nuvik.core.hosts.volumes import Listing, Volume, identifier_for
from nuvik.core.hosts.whose_folder import why_no_place, why_not_yours, why_protected
from nuvik.core.model.drive import DEFAULT_HEADROOM_SHARE, Drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.filesystems import normalised as normalised_filesystem
from nuvik.core.model.library import Card
from nuvik.core.model.media import medium_of
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.surroundings import Surroundings
from nuvik.core.model.timing import Pace
from nuvik.core.model.traffic import Counters

_MOUNTS_STAND_S = 1.0


class System(Protocol):
    """An operating system's way of telling its volumes."""

    def listing(self) -> Listing: ...

    def temperature_c(self, disks: Iterable[str]) -> float | None: ...


def this_system() -> System:
    """The one Nuvik runs on."""
    if sys.platform == "darwin":
        from nuvik.core.hosts.macos import MacSystem

        return MacSystem()
    if sys.platform == "win32":
        from nuvik.core.hosts.windows import WindowsSystem

        return WindowsSystem()
    from nuvik.core.hosts.linux import LinuxSystem

    return LinuxSystem()


class LocalHost:
    """The computer that Nuvik runs on. `system` may be another one's, for tests."""

    def __init__(self, system: System | None = None) -> None:
        self.name = "this computer"
        self.files = Files()
        self._system = system or this_system()
        self._meter = UsageMeter()
        self._home = os.path.expanduser("~")
        self._mounts_read: tuple[float, list[Any]] | None = None

    # -- drives --------------------------------------------------------------------------------------------

    def drives(self) -> tuple[Drive, ...]:
        listing = self._system.listing()
        mounted = [volume for volume in listing.volumes if volume.mount_points]
        usages = self._meter.ask(volume.mount_points[0] for volume in mounted)
        home_point = _point_holding(self._home, mounted)
        drives: list[Drive] = []
        taken: set[str] = set()
        for volume in sorted(listing.volumes, key=_by_place):
            usage = usages[volume.mount_points[0]] if volume.mount_points else None
            at_home = home_point is not None and home_point in volume.mount_points
            drive = self._drive(volume, usage, taken, listing.findings, at_home)
            drives.append(drive)
            taken.add(drive.id)
        return fastest_first(drives)

    def _drive(
        self, volume: Volume, usage: Usage | str | None, taken: set[str], findings: tuple[str, ...], at_home: bool
    ) -> Drive:
        point = volume.mount_points[0] if volume.mount_points else ""
        medium = "network" if volume.network else _common(disk.medium for disk in volume.disks)
        typical = medium_of(medium)
        label = _label_of(volume, point)
        known_usage = usage if isinstance(usage, Usage) else None
        size = volume.bytes or (known_usage.offered_bytes if known_usage else 0)
        usable = known_usage.used_bytes + known_usage.available_bytes if known_usage else size
        trouble = (usage,) if isinstance(usage, str) else ()
        unknown = findings if not volume.disks and not volume.network else ()
        place = self._home if at_home else _place_for_new(point) if known_usage and not volume.read_only else point
        return Drive(
            id=identifier_for(label, taken),
            label=label,
            path=point or f"({volume.device}: not mounted)",
            also_at=volume.mount_points[1:],
            medium=medium,
            link=_common(disk.link for disk in volume.disks),
            best_link=_common(disk.best_link for disk in volume.disks),
            filesystem=_filesystem_of(volume),
            cluster_bytes=volume.cluster_bytes or (known_usage.cluster_bytes if known_usage else 4096),
            portable=any(disk.portable for disk in volume.disks),
            attached=known_usage is not None,
            system=point == os.path.abspath(os.sep) or at_home,
            capacity_bytes=size,
            usable_bytes=usable,
            used_bytes=known_usage.used_bytes if known_usage else 0,
            headroom_bytes=int(usable * DEFAULT_HEADROOM_SHARE),
            read_bytes_per_s=typical.read_bytes_per_s,
            write_bytes_per_s=typical.write_bytes_per_s,
            small_reads_per_s=typical.small_reads_per_s,
            base_path=place or point,
            no_place="" if place is not None else f"you may not create folders in {shown(point)}",
            disk="+".join(disk.name for disk in volume.disks),
            pool=volume.pool,
            identity=_identity(volume),
            model=", ".join(dict.fromkeys(disk.model for disk in volume.disks if disk.model)),
            device=volume.device,
            disk_bytes=sum(disk.bytes or 0 for disk in volume.disks) or None,
            filesystem_bytes=known_usage.offered_bytes if known_usage else None,
            read_only=volume.read_only,
            findings=(*volume.findings, *trouble, *unknown),
        )

    def anchors(self, drives: Iterable[Drive]) -> dict[str, tuple[Anchor, ...]]:
        # Drives are told apart by what the system calls the volume and by the file system's own identity.
        volumes = {(volume.device, _identity(volume)): volume for volume in self._system.listing().volumes}
        mounted = {drive.id: volumes.get((drive.device, drive.identity)) for drive in drives if drive.attached}
        return {drive_id: anchors_of(volume) for drive_id, volume in mounted.items() if volume and volume.mount_points}

    def reaches_medium(self, drive: Drive) -> bool:
        types = [mount.fstype for mount in self._mounts() if mount.mountpoint == drive.path]
        return reaches_medium(types[-1] if types else drive.filesystem, drive.device)

    def limits(self, drive: Drive) -> Limits:
        if not hasattr(os, "statvfs"):
            return Limits()
        try:
            facts = os.statvfs(drive.path)
        except OSError:
            return Limits()
        # Some file systems make room for entries as they come, and say that there are none at all.
        quota_bytes, quota_entries = syscalls.quota_left(drive.device)
        free = [count for count in (facts.f_favail if facts.f_files else None, quota_entries) if count is not None]
        return Limits(min(free, default=None), quota_bytes)

    def kept_awake(self, why: str) -> AbstractContextManager[None]:
        return desktop.kept_awake(why)

    def attachment(self, drive: Drive) -> str:
        return attachment_of(drive.path, drive.device)

    def temperature_c(self, drive: Drive) -> float | None:
        return self._system.temperature_c(drive.disk.split("+"))

    def health(self, drive: Drive) -> str:
        return health_of(drive)

    def why_no_eject(self, drive: Drive) -> tuple[str, ...]:
        return ("the system swaps to it",) if swaps_to(drive) else ()

    def eject(self, drive: Drive) -> bool:
        return eject_volume(drive)

    def attach(self, drive: Drive) -> None:
        raise Refused(
            f"{shown(drive.label)} is attached by its cable.", next_step="Plug it in; Nuvik notices that by itself."
        )

    def unseen_reading_s(self, drive: Drive, read_bytes: int, runs: int) -> float:
        return 0.0

    def counters(self, drives: Iterable[Drive]) -> dict[str, Counters]:
        try:
            by_disk = psutil.disk_io_counters(perdisk=True, nowrap=False) or {}
        except (OSError, RuntimeError):
            return {}
        by_drive = {}
        for drive in drives:
            names = [name for name in _counter_names(drive) if name in by_disk] if drive.attached else []
            if names:
                by_drive[drive.id] = Counters(
                    sum(by_disk[name].read_bytes for name in names), sum(by_disk[name].write_bytes for name in names)
                )
        return by_drive

    # -- folders -------------------------------------------------------------------------------------------

    def default_state_folder(self) -> str:
        return platformdirs.user_state_dir("nuvik", appauthor=False)

    def default_roots(self) -> tuple[str, ...]:
        attached = {drive.path for drive in self.drives() if drive.attached}
        volumes = [volume for volume in self._system.listing().volumes if volume.mount_points]
        return tuple(
            tree
            for volume in volumes
            if volume.mount_points[0] in attached
            for tree in volume.trees or volume.mount_points[:1]
        )

    def cards(self) -> tuple[Card, ...]:
        return ()

    def why_protected(self, path: str) -> str | None:
        return why_protected(path, self.mount_points(), self._home)

    def why_no_place(self, folder: str) -> str | None:
        return why_no_place(folder, self.mount_points(), self._home)

    def why_not_yours(self, path: str) -> str | None:
        return why_not_yours(path, self._home)

    def packages_owning(self, paths: Sequence[str]) -> dict[str, str]:
        return packages_owning(paths)

    def surroundings(self) -> Surroundings:
        return surroundings_of(self._home, HOLDS_USER_FOLDERS)

    def open_files(self) -> list[tuple[str, str]]:
        return open_paths()

    def used_by(self, path: str) -> tuple[str, ...]:
        return programs_using(path)

    def logged_in_since_s(self) -> float:
        return logged_in_since_s()

    counts_lengths = False
    small_share = 0.0005

    @property
    def pace(self) -> Pace:
        return pace_of_this_computer()

    def mount_points(self) -> tuple[str, ...]:
        return tuple(mount.mountpoint for mount in self._mounts())

    def _mounts(self) -> list[Any]:
        """Read at most once a second: it is asked for every library."""
        now_s = time.monotonic()
        if self._mounts_read is None or now_s - self._mounts_read[0] > _MOUNTS_STAND_S:
            self._mounts_read = (now_s, psutil.disk_partitions(all=True))
        return self._mounts_read[1]

    def access_times(self, drive: Drive) -> str | None:
        for mount in self._mounts():
            if mount.mountpoint == drive.path and "noatime" in mount.opts.split(","):
                return "it is mounted without access times (noatime)"
        return "it is read-only" if drive.read_only else None

    def size_on_disk(self, facts: os.stat_result) -> int:
        return facts.st_blocks * 512 if hasattr(facts, "st_blocks") else facts.st_size

    def room_needed(self, sizes: Iterable[int], drive: Drive, hole_bytes: int = 0) -> int:
        cluster = max(1, drive.cluster_bytes)
        return max(0, sum(-(-size // cluster) * cluster for size in sizes) - hole_bytes)

    def timer_s(self) -> float:
        return time.monotonic()


def _by_place(volume: Volume) -> tuple[bool, int, str]:
    """Mounted volumes before others, the system's first: so the plain names go to those that stay."""
    point = volume.mount_points[0] if volume.mount_points else ""
    return (not point, len(point), point or volume.device)


def _point_holding(path: str, volumes: Iterable[Volume]) -> str | None:
    """The mount point below which a path really lies: the longest of all volumes."""
    points = [point for volume in volumes for point in volume.mount_points if is_within(path, point)]
    return max(points, key=len, default=None)


def _place_for_new(point: str) -> str | None:
    """Where the user may make folders on a volume: its root, or a folder of the user's in it; None when nowhere.

    The root of the system's own volume is never taken, whoever asks.
    """
    if point == os.path.abspath(os.sep):
        return None
    if os.access(point, os.W_OK) or not hasattr(os, "getuid"):
        return point
    try:
        with os.scandir(point) as entries:
            own = [
                entry.path
                for entry in entries
                if entry.is_dir(follow_symlinks=False)
                and entry.stat(follow_symlinks=False).st_uid == os.getuid()
                and not os.path.ismount(entry.path)
                and os.access(entry.path, os.W_OK)
            ]
    except OSError:
        return None
    return min(own, default=None)


def _label_of(volume: Volume, point: str) -> str:
    """What to call it, made harmless: whoever formatted a stick chose its label."""
    if point == "/":
        return "System"
    return shown(volume.label or os.path.basename(point.rstrip("/\\")) or point.rstrip("\\") or volume.device)


def _identity(volume: Volume) -> str:
    """The file system's own, with its kind: numbers of different kinds may be alike."""
    return f"{volume.filesystem}:{volume.uuid}" if volume.uuid else ""


def _counter_names(drive: Drive) -> list[str]:
    """What the system's counters call a drive: the volume itself on Linux, else the disks it lies on."""
    if sys.platform == "linux":
        return [drive.device]
    return [name for disk in drive.disk.split("+") for name in (disk, f"PhysicalDrive{disk}")]


def _common(values: Iterable[str]) -> str:
    """What all disks under a volume are; unknown when they differ."""
    different = set(values)
    return different.pop() if len(different) == 1 else "unknown"


def _filesystem_of(volume: Volume) -> str:
    """The file system itself where the system only names the bridge it goes through."""
    if volume.filesystem == "fuseblk":
        device = f"/dev/{volume.device}"
        return normalised_filesystem(_filesystem_by_signature(device) or filesystem_by_daemon(device) or "fuseblk")
    return normalised_filesystem(volume.filesystem)


def _filesystem_by_signature(device: str) -> str:
    """NTFS and exFAT name themselves in bytes 3 to 11 of their boot sector (both formats' specifications)."""
    try:
        with open(device, "rb") as file:
            sector = file.read(16)
    except OSError:
        return ""
    return {b"NTFS    ": "ntfs", b"EXFAT   ": "exfat"}.get(sector[3:11], "")
