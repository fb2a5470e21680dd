"""The file with which a drive is gauged: read and written past the system's cache where that can be done.

Linux: O_DIRECT, else the pages are dropped with posix_fadvise(2). macOS: F_NOCACHE, see fcntl(2). Windows: a handle
with FILE_FLAG_NO_BUFFERING and FILE_FLAG_WRITE_THROUGH, see CreateFileW. Only Linux was ever run.
"""

from __future__ import annotations

import mmap
import os
import sys
from typing import Protocol

from nuvik.core.hosts import syscalls
from nuvik.core.hosts.files import Files

BLOCK_BYTES = 8 << 20
"""Written and read in one call: large enough that the calls themselves cost nothing."""
SMALL_BYTES = 4096
DIRECT, DROPPED, CACHED = "direct", "dropped", "cached"


class _Raw(Protocol):
    """The few calls that a test file needs of the system."""

    method: str

    def write(self, data: memoryview, offset: int) -> None: ...
    def read(self, into: memoryview, offset: int) -> int: ...
    def flush(self) -> None: ...
    def close(self) -> None: ...


class GaugeFile:
    """A file on the drive being gauged. All methods raise OSError as the system does.

    Where a file's length stands for its contents, nothing is really written or read; the hook keeps the time.
    """

    def __init__(self, files: Files, path: str, create: bool) -> None:
        """Open a file that is there for reading, or create one."""
        self._hook, self._path = files.hook, path
        # Random bytes, so that a drive that compresses or knows zeros cannot flatter itself.
        self._buffer = mmap.mmap(-1, BLOCK_BYTES)
        if create:
            self._hook.before("create", path)
            if self._hook.keeps_contents:
                self._buffer.write(os.urandom(BLOCK_BYTES))
        self._raw = _open_raw(path, create)

    @property
    def method(self) -> str:
        """How reading is kept from being answered by the cache: direct, dropped or cached."""
        return self._raw.method if self._hook.keeps_contents else DIRECT

    def write_block(self, offset: int, length: int) -> None:
        """Write up to one block; `length` and `offset` are whole pages."""
        self._hook.before("write", self._path, length)
        if not self._hook.keeps_contents:
            os.truncate(self._path, offset + length)
            self._hook.before("flush", self._path)  # writing past the cache waits for the medium
            return
        with memoryview(self._buffer)[:length] as data:
            self._raw.write(data, offset)

    def read_block(self, offset: int, length: int) -> int:
        """Read up to one block; the number of bytes got."""
        self._hook.before("read", self._path, length)
        return self._read(offset, length)

    def small_read(self, offset: int) -> None:
        """A read of 4 KiB anywhere in the file."""
        self._hook.before("small-read", self._path, SMALL_BYTES)
        self._read(offset, SMALL_BYTES)

    def _read(self, offset: int, length: int) -> int:
        if not self._hook.keeps_contents:
            return length
        with memoryview(self._buffer)[:length] as into:
            return self._raw.read(into, offset)

    def flush(self) -> None:
        """Wait until everything written has reached the medium."""
        self._hook.before("flush", self._path)
        self._raw.flush()

    def close(self) -> None:
        self._raw.close()
        self._buffer.close()


def _open_raw(path: str, create: bool) -> _Raw:
    return _WindowsRaw(path, create) if sys.platform == "win32" else _UnixRaw(path, create)


class _UnixRaw:
    def __init__(self, path: str, create: bool) -> None:
        flags = (
            os.O_RDWR | os.O_CREAT | os.O_EXCL if create else os.O_RDONLY | getattr(os, "O_NOATIME", 0)
        ) | os.O_CLOEXEC
        direct = getattr(os, "O_DIRECT", 0)
        try:
            self._descriptor = os.open(path, flags | direct, 0o600)
            self.method = DIRECT if direct else CACHED
        except OSError:
            # A file system without direct access may have made the file before it refused.
            again = flags & ~(os.O_EXCL | getattr(os, "O_NOATIME", 0))
            self._descriptor = os.open(path, again, 0o600)
            self.method = DROPPED if hasattr(os, "posix_fadvise") else CACHED
        if sys.platform == "darwin":
            import fcntl

            fcntl.fcntl(self._descriptor, fcntl.F_NOCACHE, 1)
            self.method = DIRECT
        if self.method == DROPPED:
            os.posix_fadvise(self._descriptor, 0, 0, os.POSIX_FADV_RANDOM)  # no reading ahead: the drive alone answers

    def write(self, data: memoryview, offset: int) -> None:
        while data:
            written = os.pwrite(self._descriptor, data, offset)
            data, offset = data[written:], offset + written

    def read(self, into: memoryview, offset: int) -> int:
        if self.method == DROPPED:
            os.posix_fadvise(self._descriptor, offset, len(into), os.POSIX_FADV_DONTNEED)
        return os.preadv(self._descriptor, [into], offset)

    def flush(self) -> None:
        syscalls.sync_descriptor(self._descriptor)

    def close(self) -> None:
        os.close(self._descriptor)


class _WindowsRaw:
    """Through the documented calls of kernel32; never run."""

    method = DIRECT

    def __init__(self, path: str, create: bool) -> None:
        import ctypes
        from ctypes import wintypes

        self._ctypes = ctypes
        self._kernel = ctypes.WinDLL("kernel32", use_last_error=True)  # type: ignore[attr-defined]
        self._kernel.CreateFileW.restype = wintypes.HANDLE
        read, write, share_all = 0x80000000, 0x40000000, 0x7
        create_new, open_existing = 1, 3
        no_buffering, write_through = 0x20000000, 0x80000000
        self._handle = wintypes.HANDLE(
            self._kernel.CreateFileW(
                path,
                read | write if create else read,
                share_all,
                None,
                create_new if create else open_existing,
                no_buffering | write_through,
                None,
            )
        )
        if self._handle.value in (None, ctypes.c_void_p(-1).value):
            raise self._fault(path)

    def write(self, data: memoryview, offset: int) -> None:
        self._transfer(self._kernel.WriteFile, data, offset)

    def read(self, into: memoryview, offset: int) -> int:
        return self._transfer(self._kernel.ReadFile, into, offset)

    def _transfer(self, call: object, data: memoryview, offset: int) -> int:
        ctypes = self._ctypes
        moved = ctypes.c_ulong(0)
        buffer = (ctypes.c_char * len(data)).from_buffer(data)
        at = ctypes.c_longlong(offset)
        if not self._kernel.SetFilePointerEx(self._handle, at, None, 0):
            raise self._fault()
        if not call(self._handle, buffer, len(data), ctypes.byref(moved), None):  # type: ignore[operator]
            raise self._fault()
        return int(moved.value)

    def flush(self) -> None:
        if not self._kernel.FlushFileBuffers(self._handle):
            raise self._fault()

    def close(self) -> None:
        self._kernel.CloseHandle(self._handle)

    def _fault(self, path: str | None = None) -> OSError:
        fault: OSError = self._ctypes.WinError(self._ctypes.get_last_error())  # type: ignore[attr-defined]
        fault.filename = path
        return fault
