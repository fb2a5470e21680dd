"""Ejecting a volume by the means that each system offers to its users: nothing here needs an administrator."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

from nuvik.core.hosts import linux_sysfs
from nuvik.core.hosts.linux_sysfs import read_file
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused, system_words
from nuvik.core.model.names import shown

_MOST_S = 120.0
"""Assumed: flushing what is still in memory takes no longer."""


def eject_volume(drive: Drive) -> bool:
    """Unmount a volume, and let its disk be unplugged; whether the disk was switched off, too. All must be flushed.
    Raises Refused.
    """
    if sys.platform == "darwin":
        return _by_diskutil(drive)
    if sys.platform == "win32":
        from nuvik.core.hosts.windows_eject import eject_letter

        return eject_letter(drive.path)
    if not shutil.which("udisksctl"):
        return _by_umount(drive)
    try:
        return _by_udisks(drive)
    except Refused as refusal:
        try:
            return _by_umount(drive)  # the desktop's service may not run, or not know the volume
        except Refused:
            raise refusal from None


def swaps_to(drive: Drive, swaps: str = "/proc/swaps") -> bool:
    """Whether the system swaps to this volume itself (proc(5)); swap files are found as open files."""
    lines = read_file(swaps).splitlines()[1:]
    return any(os.path.basename(line.split()[0]) == drive.device for line in lines if line.split())


def _by_diskutil(drive: Drive) -> bool:
    """diskutil(8) of macOS: ejects the whole disk when this is its last volume."""
    _run(["diskutil", "eject", drive.path], drive)
    return True


def _by_udisks(drive: Drive) -> bool:
    """udisksctl(1): the desktop's own service, which lets users unmount what they have mounted."""
    device = f"/dev/{drive.device}"
    _run(["udisksctl", "unmount", "--no-user-interaction", "-b", device], drive)
    if _others_mounted(drive) or not drive.portable:
        return False
    # Some cases cannot be switched off: then it is unmounted, which is what counts.
    words = ["udisksctl", "power-off", "--no-user-interaction", "-b", device]
    return subprocess.run(words, check=False, capture_output=True, timeout=_MOST_S).returncode == 0


def _by_umount(drive: Drive) -> bool:
    """umount(8), else fusermount(1): what a program of the user's own serves, the user lets go so."""
    fuse = next((name for name in ("fusermount3", "fusermount") if shutil.which(name)), None)
    for place in (drive.path, *drive.also_at):
        try:
            _run(["umount", place], drive)
        except Refused:
            if fuse is None or subprocess.run([fuse, "-u", place], check=False, capture_output=True).returncode:
                raise
    return False


def _others_mounted(drive: Drive, mounts: str = "/proc/mounts") -> bool:
    """Whether another volume of the same disk is still mounted."""
    disk = drive.disk.rpartition("/")[2]
    below = [path.name for path in Path(linux_sysfs.SYS, "block", disk).glob(f"{disk}*")] if disk else []
    used = {os.path.basename(line.split()[0]) for line in read_file(mounts).splitlines() if line.split()}
    return any(name in used for name in [disk, *below])


def _run(words: Sequence[str], drive: Drive) -> None:
    try:
        done = subprocess.run(words, check=False, capture_output=True, text=True, timeout=_MOST_S)
    except subprocess.TimeoutExpired:
        raise Refused(
            f"{shown(drive.label)} does not answer.", next_step="Wait until its light is still, then try again."
        ) from None
    except OSError as fault:
        raise Refused(
            f"{shown(drive.label)} cannot be ejected: {system_words(fault)}.",
            next_step="Eject it with your desktop.",
        ) from None
    if done.returncode:
        lines = (done.stderr.strip() or done.stdout.strip()).splitlines() or ["the system does not say why"]
        raise Refused(
            f"{shown(drive.label)} cannot be ejected: {shown(lines[-1].rstrip('.'))}.",
            next_step="Close what uses it, or eject it with your desktop.",
        )
