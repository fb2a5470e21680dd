"""Going down a tree by descriptors: each folder is opened relative to the one above it, and no link is followed.

However deep a tree is, only some folders are held open; those further up are opened again by `..` and must then be the
very ones that were left. Where the system opens nothing relative to a folder (Windows), paths stand in.
"""

from __future__ import annotations

import errno
import os
import stat
import sys
from dataclasses import dataclass
from types import TracebackType

from nuvik.core.hosts import syscalls
from nuvik.core.hosts.long_paths import Reachable
from nuvik.core.hosts.mount_numbers import mount_number_of

RELATIVE = os.open in os.supports_dir_fd and os.scandir in os.supports_fd
"""Whether this system opens folders relative to others."""
_OPEN_FOLDER = os.O_RDONLY | getattr(os, "O_DIRECTORY", 0) | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_CLOEXEC", 0)
FOLDERS_HELD = 48
"""So many folders above the one at hand are kept open."""

Handle = int | str
"""A folder that is open: a descriptor, or its path where the system opens none."""
Identity = tuple[int, int]
"""Device and inode."""


def open_folder(name: str, above: Handle | None) -> Handle:
    """Open a folder in another one, or by its path; a link is not followed. Raises OSError."""
    if not RELATIVE:
        path = name if above is None else os.path.join(str(above), name)
        if above is not None and stat.S_ISLNK(os.lstat(path).st_mode):
            raise OSError(errno.ELOOP, os.strerror(errno.ELOOP), path)
        return path
    if above is None:
        return os.open(name, _OPEN_FOLDER)
    assert isinstance(above, int)
    return os.open(name, _OPEN_FOLDER, dir_fd=above)


def enter_folder(name: str, above: Handle) -> Handle:
    """Open a folder in another one, unless it is a link or another drive is mounted there. Raises OSError: EXDEV for
    the latter, where the system tells.
    """
    if isinstance(above, int) and syscalls.opens_beneath():
        return syscalls.open_beneath(above, name, _OPEN_FOLDER)
    handle = open_folder(name, above)
    if isinstance(handle, int) and isinstance(above, int) and _mount_of(handle) != _mount_of(above):
        close(handle)
        raise OSError(errno.EXDEV, os.strerror(errno.EXDEV), name)
    return handle


def _mount_of(handle: int) -> tuple[int, int | None]:
    """By which a mount is told: the device, and where the system numbers its mounts (one device may have many) that."""
    return os.fstat(handle).st_dev, mount_number_of(handle)


def open_above(handle: Handle) -> Handle:
    """Open the folder above an open one. Raises OSError."""
    if isinstance(handle, str):
        return os.path.dirname(handle)
    return os.open("..", _OPEN_FOLDER, dir_fd=handle)


def close(handle: Handle | None) -> None:
    if isinstance(handle, int):
        os.close(handle)


def facts_in(handle: Handle, name: str) -> os.stat_result:
    """What the system knows of a name in an open folder, without following a link. Raises OSError."""
    if isinstance(handle, int):
        return os.stat(name, dir_fd=handle, follow_symlinks=False)
    return os.lstat(os.path.join(handle, name))


def link_text(handle: Handle, name: str) -> str:
    """Where a link in an open folder leads, as written in it. Raises OSError."""
    if isinstance(handle, int):
        return os.readlink(name, dir_fd=handle)
    return plain_link(os.readlink(os.path.join(handle, name)))


def plain_link(text: str) -> str:
    """The words of a link without the prefix that Windows puts before them."""
    return text.removeprefix("\\\\?\\") if sys.platform == "win32" else text


def extended(path: str) -> str:
    """Windows takes paths over 260 characters only in this form."""
    return "\\\\?\\" + path if sys.platform == "win32" and not path.startswith("\\\\") else path


@dataclass(slots=True)
class _Level:
    handle: Handle | None
    """None while it is closed for having too many."""
    identity: Identity


class Descent:
    """A way down from a root, to be used as a context: it begins at the root, goes down a name, and up again.

    Raises OSError as opening does; ESTALE when a folder above was replaced meanwhile.
    """

    def __init__(self, root: str | Handle) -> None:
        """From a path, or from a folder that is open already and is closed at the end."""
        if isinstance(root, str):
            with Reachable(extended(root)) as near:
                handle = open_folder(near, None)
        else:
            handle = root
        self._levels = [_Level(handle, _identity(handle))]

    def __enter__(self) -> Descent:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, fault: BaseException | None, trace: TracebackType | None
    ) -> None:
        for level in self._levels:
            close(level.handle)

    @property
    def handle(self) -> Handle:
        """The folder at hand."""
        handle = self._levels[-1].handle
        assert handle is not None
        return handle

    def down(self, name: str) -> None:
        """Enter a folder of the one at hand."""
        handle = enter_folder(name, self.handle)
        try:
            self._levels.append(_Level(handle, _identity(handle)))
        except OSError:
            close(handle)
            raise
        if len(self._levels) > FOLDERS_HELD:
            far = self._levels[-FOLDERS_HELD - 1]
            close(far.handle)
            far.handle = None

    def up(self) -> None:
        """Leave the folder at hand for the one above it."""
        done = self._levels.pop()
        try:
            above = self._levels[-1]
            if above.handle is None:
                assert done.handle is not None
                handle = open_above(done.handle)
                if _identity(handle) != above.identity:
                    close(handle)
                    raise OSError(errno.ESTALE, "the folder above was replaced")
                above.handle = handle
        finally:
            close(done.handle)


def _identity(handle: Handle) -> Identity:
    facts = os.stat(handle)
    return facts.st_dev, facts.st_ino
