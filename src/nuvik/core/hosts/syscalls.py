"""System calls that Python does not wrap, through the platform's documented C interface.

Linux: renameat2(2), syncfs(2), openat2(2). macOS: renamex_np(2) and fcntl F_FULLFSYNC (see the developer manual pages).
Only the Linux calls were ever run; the macOS ones are written from their manual pages.
"""

from __future__ import annotations

import ctypes
import errno
import os
import sys
from functools import cache

_AT_FDCWD = -100
_RENAME_NOREPLACE, _RENAME_EXCHANGE = 1, 2  # <linux/fs.h>
_MAC_RENAME_SWAP, _MAC_RENAME_EXCL = 2, 4  # <sys/stdio.h>
_F_FULLFSYNC = 51  # <fcntl.h> on macOS

_UNSUPPORTED = {errno.ENOSYS, errno.EINVAL, errno.ENOTSUP, errno.EOPNOTSUPP}


@cache
def _libc() -> ctypes.CDLL | None:
    return None if sys.platform == "win32" else ctypes.CDLL(None, use_errno=True)


def _rename_with(flags_linux: int, flags_mac: int, source: str, target: str) -> bool:
    """Returns False when this system or file system has no such rename. Raises OSError as rename does."""
    libc, old, new = _libc(), os.fsencode(source), os.fsencode(target)
    if libc is None:
        return False
    if sys.platform == "darwin" and hasattr(libc, "renamex_np"):
        result = libc.renamex_np(old, new, flags_mac)
    elif hasattr(libc, "renameat2"):
        result = libc.renameat2(_AT_FDCWD, old, _AT_FDCWD, new, flags_linux)
    else:
        return False
    if result == 0:
        return True
    code = ctypes.get_errno()
    if code in _UNSUPPORTED:
        return False
    raise OSError(code, os.strerror(code), source, None, target)


_OPENAT2 = 437  # the same number on all of Linux's architectures since 5.6
_NO_XDEV, _NO_MAGICLINKS, _NO_SYMLINKS, _BENEATH = 0x01, 0x02, 0x04, 0x08  # <linux/openat2.h>


class _OpenHow(ctypes.Structure):
    _fields_ = (("flags", ctypes.c_uint64), ("mode", ctypes.c_uint64), ("resolve", ctypes.c_uint64))


_HOW_BYTES = ctypes.sizeof(_OpenHow)


@cache
def opens_beneath() -> bool:
    """Whether this system opens a path without following links, leaving the folder, or crossing into another mount."""
    libc = _libc()
    if sys.platform != "linux" or libc is None:
        return False
    how = _OpenHow(os.O_PATH | os.O_DIRECTORY | os.O_CLOEXEC, 0, _BENEATH | _NO_XDEV)
    descriptor = libc.syscall(_OPENAT2, _AT_FDCWD, b".", ctypes.byref(how), ctypes.sizeof(how))
    if descriptor < 0:
        return False
    os.close(descriptor)
    return True


@cache
def _how(flags: int) -> _OpenHow:
    return _OpenHow(flags | os.O_CLOEXEC, 0, _BENEATH | _NO_XDEV | _NO_SYMLINKS | _NO_MAGICLINKS)


def open_beneath(folder: int, path: str, flags: int) -> int:
    """Open what lies at a relative path in an open folder, with no link followed and no other mount entered on the way.

    Raises OSError: ELOOP for a link, EXDEV for a mount. Only where `opens_beneath`.
    """
    libc = _libc()
    assert libc is not None
    how = _how(flags)
    while True:
        descriptor: int = libc.syscall(_OPENAT2, folder, os.fsencode(path), ctypes.byref(how), _HOW_BYTES)
        if descriptor >= 0:
            return descriptor
        code = ctypes.get_errno()
        if code not in (errno.EAGAIN, errno.EINTR):  # something was renamed meanwhile
            raise OSError(code, os.strerror(code), path)


def exchange(text: str, other: str) -> bool:
    """Let two existing names change places in one atomic step; False where the system cannot."""
    return _rename_with(_RENAME_EXCHANGE, _MAC_RENAME_SWAP, text, other)


def rename_without_replacing(source: str, target: str) -> bool:
    """Rename in one atomic step that fails with EEXIST if the target exists; False where the system cannot."""
    return _rename_with(_RENAME_NOREPLACE, _MAC_RENAME_EXCL, source, target)


_GET_FLAGS = 0x80086601  # FS_IOC_GETFLAGS, <linux/fs.h>
_FIXED = {0x10: "immutable", 0x20: "append-only"}


def fixed_by_flag(descriptor: int) -> str:
    """Whether a file or folder is marked as one that nobody may change, remove or rename; empty when it is not."""
    if sys.platform != "linux":
        return ""
    import fcntl

    flags = bytearray(8)
    try:
        fcntl.ioctl(descriptor, _GET_FLAGS, flags)
    except OSError:
        return ""
    return fixed_words(int.from_bytes(flags[:4], sys.byteorder))


def fixed_words(flags: int) -> str:
    """What these flags of a file or folder say against changing it; empty when nothing."""
    return next((word for flag, word in _FIXED.items() if flags & flag), "")


_SET_FLAGS = 0x40086602  # FS_IOC_SETFLAGS, <linux/fs.h>
CARRIED_FLAGS = 0x8 | 0x40 | 0x80 | 0x10000
"""Written at once, not dumped, access times left alone, folders written at once (`chattr` S, d, A, D). Compression and
copying on write are not among them: these are for the folder to say in which a file lies."""


def carried_flags(descriptor: int) -> int:
    """Those of its flags that go along with a file or folder; 0 where there are none."""
    if sys.platform != "linux":
        return 0
    import fcntl

    flags = bytearray(8)
    try:
        fcntl.ioctl(descriptor, _GET_FLAGS, flags)
    except OSError:
        return 0
    return int.from_bytes(flags[:4], sys.byteorder) & CARRIED_FLAGS


def set_carried_flags(descriptor: int, wanted: int) -> None:
    """Give a file or folder these of the flags that are carried, and none of the others. Raises OSError."""
    import fcntl

    flags = bytearray(8)
    fcntl.ioctl(descriptor, _GET_FLAGS, flags)
    before = int.from_bytes(flags[:4], sys.byteorder)
    after = before & ~CARRIED_FLAGS | wanted & CARRIED_FLAGS
    if after != before:
        fcntl.ioctl(descriptor, _SET_FLAGS, after.to_bytes(8, sys.byteorder))


_F_SETSIG = 10  # <fcntl.h> on Linux


def is_written_elsewhere(descriptor: int) -> bool | None:
    """Whether any process of any user has this file open, or mapped, for writing; None where that cannot be told.

    A lease for reading (fcntl(2), F_SETLEASE) is given only while nobody may write; it is handed back at once. Whoever
    opens the file at that very moment waits that long, and the signal that the kernel then sends is one that does
    nothing.
    """
    if sys.platform != "linux":
        return None
    import fcntl
    import signal

    try:
        fcntl.fcntl(descriptor, _F_SETSIG, signal.SIGURG)
        fcntl.fcntl(descriptor, fcntl.F_SETLEASE, fcntl.F_RDLCK)
    except OSError as fault:
        return True if fault.errno == errno.EAGAIN else None
    fcntl.fcntl(descriptor, fcntl.F_SETLEASE, fcntl.F_UNLCK)
    return False


def sync_volume(descriptor: int) -> bool:
    """Write everything of this volume to its medium; False where the system has no such call. Raises OSError."""
    libc = _libc()
    if libc is None or not hasattr(libc, "syncfs"):
        return False
    if libc.syncfs(descriptor) != 0:
        code = ctypes.get_errno()
        raise OSError(code, os.strerror(code))
    return True


def sync_descriptor(descriptor: int) -> None:
    """Write one file to its medium; on macOS past the drive's own cache too, as fsync(2) there advises."""
    if sys.platform == "darwin":
        import fcntl

        try:
            fcntl.fcntl(descriptor, _F_FULLFSYNC)
            return
        except OSError:
            pass
    os.fsync(descriptor)


_GET_QUOTA = 0x800007 << 8  # QCMD(Q_GETQUOTA, USRQUOTA), <linux/quota.h>
_QUOTA_BLOCK_BYTES = 1024


class _Quota(ctypes.Structure):
    """struct if_dqblk, <linux/quota.h>."""

    _fields_ = (
        ("most_blocks", ctypes.c_uint64),
        ("soft_blocks", ctypes.c_uint64),
        ("used_bytes", ctypes.c_uint64),
        ("most_entries", ctypes.c_uint64),
        ("soft_entries", ctypes.c_uint64),
        ("used_entries", ctypes.c_uint64),
        ("block_time", ctypes.c_uint64),
        ("entry_time", ctypes.c_uint64),
        ("valid", ctypes.c_uint32),
    )


def quota_left(device: str) -> tuple[int | None, int | None]:
    """The bytes and entries that the quota of this user leaves on a volume (quotactl(2)); None for no limit.

    Only its answer “there are no quotas” was ever seen.
    """
    libc = _libc()
    if sys.platform != "linux" or libc is None or os.geteuid() == 0 or not hasattr(libc, "quotactl"):
        return None, None
    quota = _Quota()
    special = os.fsencode(device if os.path.isabs(device) else f"/dev/{device}")
    if libc.quotactl(_GET_QUOTA, special, os.geteuid(), ctypes.byref(quota)) != 0:
        return None, None
    left_bytes = max(0, quota.most_blocks * _QUOTA_BLOCK_BYTES - quota.used_bytes) if quota.most_blocks else None
    left_entries = max(0, quota.most_entries - quota.used_entries) if quota.most_entries else None
    return left_bytes, left_entries
