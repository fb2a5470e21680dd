"""What files hold: reading in blocks, holes as holes, past the cache where that is asked; and writing new files."""

from __future__ import annotations

import errno
import mmap
import os
import sys
from collections.abc import Iterator
from dataclasses import dataclass

from nuvik.core.hosts import syscalls
from nuvik.core.hosts.file_op_hook import FileOpHook

BLOCK_BYTES = 1 << 20
"""Files are read in aligned blocks of this size."""
HOLE_BYTES = 256 << 20
"""Holes are passed over in pieces of at most this size, so that progress is seen and a stop is heard."""
_PAGE_BYTES = 4096
_ZERO_PAGE = bytes(_PAGE_BYTES)

_O_DIRECT: int = getattr(os, "O_DIRECT", 0)
_O_NOATIME: int = getattr(os, "O_NOATIME", 0)
_READ = os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_CLOEXEC", 0) | getattr(os, "O_BINARY", 0)
_CREATE = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_CLOEXEC", 0) | getattr(os, "O_BINARY", 0)


@dataclass(frozen=True, slots=True)
class Block:
    """A run of a file's contents. `data` is None for a hole, which reads as zeros."""

    offset: int
    length: int
    data: bytes | memoryview | None
    sparse: bool = False
    """It is of a file with holes: then pages of zeros need not be written."""


class Writer:
    """A new file being written. Blocks may be put in any order; the length is set at the end."""

    MARKS_BY_DESCRIPTOR = hasattr(os, "fchown") and os.utime in os.supports_fd
    """Whether this system marks a file that is open."""

    def __init__(self, path: str, near: str, hook: FileOpHook) -> None:
        """`near` is the path in a form that the system takes. Raises OSError when the name is taken."""
        self._path, self._hook = path, hook
        self._descriptor = os.open(near, _CREATE, 0o600)

    def put(self, block: Block) -> None:
        """Write one block; a hole only moves the length on."""
        self._hook.before("write", self._path, block.length)
        if block.data is None:
            return
        if not block.sparse:
            self._write(block.data, block.offset)
            return
        for start, end in _runs_with_content(block.data):
            self._write(block.data[start:end], block.offset + start)

    def _write(self, data: bytes | memoryview, offset: int) -> None:
        view = memoryview(data)
        if hasattr(os, "pwrite"):
            while view:
                written = os.pwrite(self._descriptor, view, offset)
                view, offset = view[written:], offset + written
        else:
            os.lseek(self._descriptor, offset, os.SEEK_SET)
            while view:
                view = view[os.write(self._descriptor, view) :]

    def set_length(self, length: int) -> None:
        os.ftruncate(self._descriptor, length)

    def flush(self) -> None:
        """Write the file to its medium."""
        self._hook.before("flush", self._path)
        syscalls.sync_descriptor(self._descriptor)

    # -- marks, by the descriptor ------------------------------------------------------------------------------

    def facts(self) -> os.stat_result:
        return os.fstat(self._descriptor)

    def mark_owner(self, user: int, group: int) -> None:
        self._hook.before("mark", self._path)
        os.fchown(self._descriptor, user, group)

    def mark_mode(self, mode: int) -> None:
        self._hook.before("mark", self._path)
        os.fchmod(self._descriptor, mode)

    def mark_times(self, accessed_ns: int, changed_ns: int) -> None:
        self._hook.before("mark", self._path)
        os.utime(self._descriptor, ns=(accessed_ns, changed_ns))

    def close(self) -> None:
        os.close(self._descriptor)


def _runs_with_content(data: bytes | memoryview) -> Iterator[tuple[int, int]]:
    """The stretches of whole pages that are not all zero."""
    start: int | None = None
    for offset in range(0, len(data), _PAGE_BYTES):
        page = data[offset : offset + _PAGE_BYTES]
        if page == _ZERO_PAGE[: len(page)]:
            if start is not None:
                yield start, offset
                start = None
        elif start is None:
            start = offset
    if start is not None:
        yield start, len(data)


def is_sparse(facts: os.stat_result) -> bool:
    """Whether the file holds fewer blocks than its length needs."""
    return hasattr(facts, "st_blocks") and facts.st_blocks * 512 < facts.st_size


def open_for_reading(path: str, past_cache: bool) -> tuple[int, bool]:
    """A descriptor, and whether it reads directly from the medium; with `past_cache` that is tried. Raises OSError."""
    if past_cache and _O_DIRECT:
        try:
            descriptor = os.open(path, _READ | _O_DIRECT | _O_NOATIME)
            _forget_cached(descriptor)  # some file systems read compressed files through the cache all the same
            return descriptor, True
        except OSError as fault:
            if fault.errno not in (errno.EINVAL, errno.EPERM, errno.ENOTSUP):
                raise
    try:
        descriptor = os.open(path, _READ | _O_NOATIME)
    except PermissionError:  # only the owner may leave the access time alone
        descriptor = os.open(path, _READ)
    if past_cache:
        _forget_cached(descriptor)
    return descriptor, False


def _forget_cached(descriptor: int) -> None:
    if hasattr(os, "posix_fadvise"):
        os.posix_fadvise(descriptor, 0, 0, os.POSIX_FADV_DONTNEED)
    elif sys.platform == "darwin":
        import fcntl

        fcntl.fcntl(descriptor, fcntl.F_NOCACHE, 1)


def next_content(descriptor: int, offset: int, size: int) -> int:
    """Where the next content after `offset` begins; `size` when only a hole is left."""
    if not hasattr(os, "SEEK_DATA"):
        return offset
    try:
        return os.lseek(descriptor, offset, os.SEEK_DATA)
    except OSError as fault:
        return size if fault.errno == errno.ENXIO else offset


def read_at(descriptor: int, buffer: mmap.mmap, offset: int, wanted: int, direct: bool) -> int:
    """Read `wanted` bytes (direct reading asks for whole pages); the number got, short only at the file's end."""
    if not hasattr(os, "preadv"):
        os.lseek(descriptor, offset, os.SEEK_SET)
        data = os.read(descriptor, wanted)
        buffer[: len(data)] = data
        return len(data)
    view, total = memoryview(buffer), 0
    try:
        while total < wanted:
            with view[total : -(-wanted // _PAGE_BYTES) * _PAGE_BYTES if direct else wanted] as rest:
                got = os.preadv(descriptor, [rest], offset + total)
            total += got
            if got == 0 or direct:
                break
        return min(total, wanted)
    finally:
        view.release()
