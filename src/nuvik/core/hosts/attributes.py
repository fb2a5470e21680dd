"""Extended attributes of files and folders, and the flags that go along with them, as the system has them.

On Linux the flags (`chattr`) are handled as one more attribute, by the name of `FLAGS`. All raise OSError.
"""

from __future__ import annotations

import errno
import os
import stat
import struct
import sys
from collections.abc import Callable
from typing import TypeVar

from nuvik.core.hosts import syscalls

FLAGS = "linux.flags"
_FLAGS_AS = struct.Struct("<I")
_OPEN = os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_CLOEXEC", 0) | getattr(os, "O_NONBLOCK", 0)
Result = TypeVar("Result")


def has_attributes(descriptor: int) -> bool:
    """Whether an open file may have attributes; where the system does not tell by a descriptor it may."""
    if sys.platform != "linux":
        return True
    try:
        return bool(os.listxattr(descriptor)) or syscalls.carried_flags(descriptor) != 0
    except OSError:
        return False


def read_attributes(near: str, path: str) -> dict[str, bytes]:
    """All of them, those of the link itself for a link; empty where the system has none. `near` is the path in a form
    that the system takes.
    """
    try:
        if sys.platform == "linux":
            names = os.listxattr(near, follow_symlinks=False)
            attributes = {name: os.getxattr(near, name, follow_symlinks=False) for name in names}
            flags = _with_descriptor(near, syscalls.carried_flags)
            return {**attributes, FLAGS: _FLAGS_AS.pack(flags)} if flags else attributes
        if sys.platform == "darwin":
            import xattr

            names = xattr.listxattr(path, symlink=True)
            return {name: xattr.getxattr(path, name, symlink=True) for name in names}
    except OSError as fault:
        if fault.errno not in (errno.ENOTSUP, errno.EOPNOTSUPP):
            raise
    return {}


def mark_attribute(near: str, path: str, name: str, value: bytes) -> None:
    if sys.platform == "linux":
        if name == FLAGS:
            (flags,) = _FLAGS_AS.unpack(value)
            _with_descriptor(near, lambda descriptor: syscalls.set_carried_flags(descriptor, flags))
        else:
            os.setxattr(near, name, value, follow_symlinks=False)
    elif sys.platform == "darwin":
        import xattr

        xattr.setxattr(path, name, value, symlink=True)
    else:
        raise OSError(errno.ENOTSUP, os.strerror(errno.ENOTSUP), path)


def remove_attribute(near: str, path: str, name: str) -> None:
    if sys.platform == "linux":
        if name == FLAGS:
            _with_descriptor(near, lambda descriptor: syscalls.set_carried_flags(descriptor, 0))
        else:
            os.removexattr(near, name, follow_symlinks=False)
    elif sys.platform == "darwin":
        import xattr

        xattr.removexattr(path, name, symlink=True)


def _with_descriptor(near: str, act: Callable[[int], Result]) -> Result | None:
    """Do something with a file or folder that is opened for it; None for what is neither."""
    if stat.S_IFMT(os.lstat(near).st_mode) not in (stat.S_IFREG, stat.S_IFDIR):
        return None
    descriptor = os.open(near, _OPEN)
    try:
        return act(descriptor)
    finally:
        os.close(descriptor)
