"""System calls that Python does not wrap, through the platform's documented C interface.

Linux: renameat2(2), syncfs(2). macOS: renamex_np(2) and fcntl F_FULLFSYNC (see the developer manual pages).
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


def exchange(text: str, other: str) -> bool:
    """Let two existing names change places in one atomic step; False where the system cannot."""
    return _rename_with(_RENAME_EXCHANGE, _MAC_RENAME_SWAP, text, other)


def rename_without_replacing(source: str, target: str) -> bool:
    """Rename in one atomic step that fails with EEXIST if the target exists; False where the system cannot."""
    return _rename_with(_RENAME_NOREPLACE, _MAC_RENAME_EXCL, source, target)


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
