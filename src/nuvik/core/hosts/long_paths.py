"""Paths longer than the system takes in one call.

Linux takes paths of at most 4,095 bytes (`PATH_MAX`, limits.h), yet folders may lie deeper than that. Such a path is
opened in stretches, each relative to the one before it, and the rest is reached through `/proc/self/fd`.
"""

from __future__ import annotations

import errno
import os
import sys
from types import TracebackType

LONGEST_LINK_BYTES = 4_095
"""A link can say no more (`PATH_MAX` with its closing zero)."""
_LONGEST_BYTES = 4_000
_SURELY_SHORT = _LONGEST_BYTES // 4
"""Characters: none takes more than four bytes."""
_STRETCH = os.O_RDONLY | getattr(os, "O_DIRECTORY", 0) | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_PATH", 0)


class Reachable:
    """Gives a path that the system takes, for as long as the `with` lasts; mostly the path itself.

    An OSError that is raised meanwhile names the whole path. Entering raises OSError as opening the folders does.
    """

    __slots__ = ("_descriptor", "_path")

    def __init__(self, path: str) -> None:
        self._path = path
        self._descriptor = -1

    def __enter__(self) -> str:
        path = self._path
        if len(path) <= _SURELY_SHORT or sys.platform != "linux" or len(os.fsencode(path)) <= _LONGEST_BYTES:
            return path
        try:
            self._descriptor, last = _open_above(path)
        except OSError as fault:
            fault.filename = path
            raise
        return f"/proc/self/fd/{self._descriptor}/{last}"

    def __exit__(
        self, kind: type[BaseException] | None, fault: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._descriptor >= 0:
            os.close(self._descriptor)
            if isinstance(fault, OSError) and fault.filename is not None:
                fault.filename = self._path


def _open_above(path: str) -> tuple[int, str]:
    """A descriptor of some folder on the way to a path, and the rest of the path, short enough. Raises OSError."""
    descriptor, rest = os.open("/", _STRETCH), os.fsencode(path).lstrip(b"/")
    while len(rest) > _LONGEST_BYTES:
        end = rest.rfind(b"/", 0, _LONGEST_BYTES)
        try:
            if end < 0:  # no single name may be nearly as long
                raise OSError(errno.ENAMETOOLONG, os.strerror(errno.ENAMETOOLONG), path)
            inner = os.open(rest[:end], _STRETCH, dir_fd=descriptor)
        finally:
            os.close(descriptor)
        descriptor, rest = inner, rest[end + 1 :].lstrip(b"/")
    return descriptor, os.fsdecode(rest)
