"""Which pages of files are in the system's memory, and putting them out of it, for files of one's own.

Linux and macOS tell with `mincore` on a mapping that is never read, so that asking brings nothing in. Linux tells only
of files that one owns or may write; pages go by `posix_fadvise(POSIX_FADV_DONTNEED)` once they are on the medium. macOS
has no call for that without the rights of an administrator. Windows tells nothing.
"""

from __future__ import annotations

import ctypes
import mmap
import os
import re
import sys
from collections.abc import Iterator
from functools import cache

_WINDOW_BYTES = 1 << 30
"""Mapped at a time; a multiple of every system's page and granularity."""
_PRESENT = re.compile(rb"\x01+")
_ONLY_LOWEST_BIT = bytes(byte & 1 for byte in range(256))


class PagesUnknown(OSError):
    """The system does not tell which pages of this file are in memory."""


def can_put_out() -> bool:
    """Whether this system has a call that puts a file out of its memory."""
    return hasattr(os, "posix_fadvise")


def resident(handle: int, length: int) -> Iterator[tuple[int, int]]:
    """The stretches of an open file that are in memory, as (offset, bytes) in whole pages. Raises PagesUnknown."""
    for start in range(0, length, _WINDOW_BYTES):
        size = min(_WINDOW_BYTES, length - start)
        for first, pages in _present(handle, start, size):
            offset = start + first * mmap.PAGESIZE
            yield offset, min(pages * mmap.PAGESIZE, length - offset)


def tells_pages(handle: int, facts: os.stat_result) -> bool:
    """Whether the system tells truly of this open file. Of others' files that one may not write, Linux says that all of
    it is in memory.
    """
    if sys.platform != "linux" or os.geteuid() in (0, facts.st_uid):
        return True
    return os.access(f"/proc/self/fd/{handle}", os.W_OK)


def put_out(handle: int) -> None:
    """Let the system forget what it has of an open file, once that is on the medium; where it has no call for that,
    nothing happens. Raises OSError.
    """
    if not can_put_out():
        return
    os.fsync(handle)
    os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)


def _present(handle: int, start: int, size: int) -> list[tuple[int, int]]:
    libc = _libc()
    if libc is None:
        raise PagesUnknown
    try:
        # A private copy, since an address can only be had of what may be written; nothing ever is.
        mapped = mmap.mmap(handle, size, offset=start, access=mmap.ACCESS_COPY)
    except (OSError, ValueError) as fault:
        raise PagesUnknown from fault
    first = ctypes.c_char.from_buffer(mapped)
    try:
        pages = (size + mmap.PAGESIZE - 1) // mmap.PAGESIZE
        answer = ctypes.create_string_buffer(pages)
        if libc.mincore(ctypes.c_void_p(ctypes.addressof(first)), ctypes.c_size_t(size), answer) != 0:
            raise PagesUnknown
        present = answer.raw.translate(_ONLY_LOWEST_BIT)
        return [(run.start(), run.end() - run.start()) for run in _PRESENT.finditer(present)]
    finally:
        del first
        mapped.close()


@cache
def _libc() -> ctypes.CDLL | None:
    """The system's library with `mincore`; None where there is none."""
    if sys.platform == "win32":
        return None
    try:
        libc = ctypes.CDLL(None, use_errno=True)
        libc.mincore.restype = ctypes.c_int
        return libc
    except (OSError, AttributeError):
        return None
