"""Whether what is read back from a drive comes from its medium, and not from a memory on the way.

A file system of the kernel's own is read past its cache. One that is served by a program (FUSE) reads the device
through the system's cache of that device, which only an administrator may drop; over a network nothing is known of the
other side. Sources: ioctl_list(2) (BLKFLSBUF), the kernel's documentation of FUSE (fuse.rst, fuse-io.rst).
"""

from __future__ import annotations

import os
import sys
from pathlib import Path

import psutil

from nuvik.core.hosts.mount_numbers import mount_number_of
from nuvik.core.hosts.volumes import NETWORK_FILESYSTEMS

_BLKFLSBUF = 0x1261  # <linux/fs.h>


def reaches_medium(filesystem: str, device: str) -> bool:
    """Make sure that what is read next comes from the medium, as far as that can be had; whether it can.

    `filesystem` is the mount's type as the system names it, `device` the short name of the volume's device.
    """
    if sys.platform == "win32" or filesystem in NETWORK_FILESYSTEMS:
        return False
    if not filesystem.startswith("fuse"):
        return True
    try:
        import fcntl

        descriptor = os.open(f"/dev/{device}", os.O_RDONLY | os.O_CLOEXEC)
    except (OSError, ImportError):
        return False
    try:
        os.fsync(descriptor)
        fcntl.ioctl(descriptor, _BLKFLSBUF, 0)
    except OSError:
        return False
    finally:
        os.close(descriptor)
    return True


def attachment_of(point: str, device: str) -> str:
    """A text that is another one once the drive was detached and attached again, or the computer restarted."""
    words = []
    try:
        words.append(Path("/proc/sys/kernel/random/boot_id").read_text(encoding="ascii").strip())
        descriptor = os.open(point, os.O_RDONLY | os.O_CLOEXEC)
        try:
            words.append(str(mount_number_of(descriptor)))
        finally:
            os.close(descriptor)
    except OSError:
        words.append(str(psutil.boot_time()))
    words += sorted(f"{process.pid}:{process.create_time():.0f}" for process in _serving(f"/dev/{device}"))
    return " ".join(words)


def _serving(device: str) -> list[psutil.Process]:
    """The programs that serve the file system of a device."""
    serving = []
    for process in psutil.process_iter():
        try:
            if device in process.cmdline()[1:]:
                serving.append(process)
        except (psutil.Error, OSError):
            continue
    return serving
