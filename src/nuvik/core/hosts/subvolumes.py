"""Sub-volumes: parts of a Btrfs file system that look like folders and have a device number of their own.

Source: linux/btrfs.h and btrfs_tree.h of the kernel (BTRFS_IOC_GET_SUBVOL_INFO, since 4.18, needs no rights;
BTRFS_FIRST_FREE_OBJECTID).
"""

from __future__ import annotations

import os
import struct
import sys
from enum import Enum

_FIRST_INODE = 256
"""The root folder of each sub-volume has this inode number."""
_GET_INFO, _INFO_BYTES = 0x81F8943C, 504
_PARENT_UUID = slice(312, 328)


class SubVolume(Enum):
    """What a folder with a device number of its own is, when nothing is mounted there."""

    PLAIN = "a sub-volume"
    SNAPSHOT = "a snapshot of a sub-volume, which shares what it holds"


def sub_volume_at(descriptor: object) -> SubVolume | None:
    """Whether an open folder is the root of a sub-volume; None when it is not, or where that cannot be told."""
    if sys.platform != "linux" or not isinstance(descriptor, int):
        return None
    import fcntl

    try:
        if os.fstat(descriptor).st_ino != _FIRST_INODE:
            return None
        info = bytearray(_INFO_BYTES)
        fcntl.ioctl(descriptor, _GET_INFO, info)
    except (OSError, struct.error):
        return None
    return SubVolume.SNAPSHOT if any(info[_PARENT_UUID]) else SubVolume.PLAIN


def is_sub_volume(path: str) -> bool:
    """Whether a folder is the root of a sub-volume, mounted there or not."""
    try:
        descriptor = os.open(path, os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0))
    except OSError:
        return False
    try:
        return sub_volume_at(descriptor) is not None
    finally:
        os.close(descriptor)
