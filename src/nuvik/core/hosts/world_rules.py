"""The warden of a world: keeps what the world's file declares about its drives.

It hears of every file operation before it happens. It refuses what the declared drive could not do (full,
away, a name or size its file system cannot hold), lets declared faults happen, and moves the world's clock on
by what the operation would have taken.
"""

from __future__ import annotations

import errno
import os
import stat
import threading
import time
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass, field

from nuvik.core.hosts.base import drive_holding
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.hosts.long_paths import Reachable
from nuvik.core.hosts.world_file import FaultEntry
from nuvik.core.model.drive import Drive
from nuvik.core.model.timing import WritePace, per_file_seconds, read_seconds
from nuvik.core.model.traffic import Counters

WRITE_BEHIND_S = 2.0
"""Writing runs this far behind at most before the writer has to wait, as a system's write cache lets it."""
_SHORTEST_SLEEP_S = 0.02
_MAKES_NAMES = {"create", "mkdir", "symlink", "link", "rename"}


class WorldClock:
    """Simulated seconds. With a scale above zero, waiting really takes `simulated / scale` seconds."""

    def __init__(self, time_scale: float) -> None:
        self.time_scale = time_scale
        self.now_s = 0.0
        self._owed_s = 0.0
        self._lock = threading.Lock()

    def advance_to(self, moment_s: float) -> None:
        """Let time pass until a moment; nothing when it is past already."""
        with self._lock:
            self._advance_to(moment_s)

    def _advance_to(self, moment_s: float) -> None:
        if moment_s <= self.now_s:
            return
        if self.time_scale > 0:
            self._owed_s += (moment_s - self.now_s) / self.time_scale
            if self._owed_s >= _SHORTEST_SLEEP_S:
                time.sleep(self._owed_s)
                self._owed_s = 0.0
        self.now_s = moment_s


@dataclass(slots=True)
class _DriveWork:
    """What one drive is busy with."""

    drive: Drive
    pace: WritePace
    used_bytes: int
    free_at_s: float = 0.0
    read_bytes: int = 0
    written_bytes: int = 0
    pulled: bool = False
    unflushed_marks: set[str] = field(default_factory=set)
    """What was marked since it was flushed last: its marks are lost when the power is."""

    @property
    def moved_bytes(self) -> int:
        return self.read_bytes + self.written_bytes


@dataclass(slots=True)
class _Faults:
    entries: tuple[FaultEntry, ...]
    writes: dict[int, int] = field(default_factory=dict)
    read_backs: int = 0


class WorldRules(FileOpHook):
    """Raises OSError with the number that the real thing would give."""

    keeps_contents = False

    def __init__(self, drives: tuple[Drive, ...], clock: WorldClock, faults: tuple[FaultEntry, ...] = ()) -> None:
        self._drives = drives
        self._clock = clock
        self._work = {drive.id: _DriveWork(drive, WritePace(drive), drive.used_bytes) for drive in drives}
        self._faults = _Faults(faults)
        self._growing: dict[str, int] = {}

    def before(self, operation: str, path: str, count_bytes: int = 0) -> None:
        drive = drive_holding(self._drives, path)
        if drive is None:
            return
        work = self._work[drive.id]
        if not drive.attached:
            raise OSError(errno.ENOENT, os.strerror(errno.ENOENT), path)
        if work.pulled:
            raise OSError(errno.ENODEV, os.strerror(errno.ENODEV), path)
        if operation in _MAKES_NAMES:
            _check_name(drive, operation, path)
        if operation == "create":
            self._growing[path] = 0
            self._busy(work, per_file_seconds(drive, 1))
        elif operation == "write":
            self._write(work, path, count_bytes)
        elif operation == "read":
            seconds = read_seconds(drive, count_bytes, files=0 if count_bytes else 1)
            self._busy(work, seconds)
            self._clock.advance_to(work.free_at_s)
            work.read_bytes += count_bytes
            self._may_be_pulled(work, path)
        elif operation == "small-read":
            self._busy(work, 1 / work.drive.small_reads_per_s)
            self._clock.advance_to(work.free_at_s)
            work.read_bytes += count_bytes
        elif operation == "remove":
            self._remove(work, path)
        elif operation == "mark":
            work.unflushed_marks.add(path)
        elif operation == "flush":
            self._clock.advance_to(work.free_at_s)
            work.unflushed_marks.discard(path)
        elif operation == "flush-volume":
            self._clock.advance_to(work.free_at_s)
            work.unflushed_marks.clear()

    def redeclare(self, drives: tuple[Drive, ...], faults: tuple[FaultEntry, ...]) -> None:
        """The world's file was changed: drives came, went or are declared otherwise from now on."""
        self._drives, self._faults = drives, _Faults(faults)
        for drive in drives:
            known = self._work.get(drive.id)
            if known is None or known.drive.used_bytes != drive.used_bytes:
                self._work[drive.id] = _DriveWork(drive, WritePace(drive), drive.used_bytes)
            known = self._work[drive.id]
            known.drive = known.pace.drive = drive

    def counters(self) -> dict[str, Counters]:
        """What each drive has read and written since the world was opened."""
        return {
            work.drive.id: Counters(work.read_bytes, work.written_bytes)
            for work in self._work.values()
            if work.drive.attached
        }

    def read_back(self, path: str, data: bytes | memoryview) -> bytes | memoryview:
        self._faults.read_backs += 1
        for fault in self._faults.entries:
            drive = drive_holding(self._drives, path)
            here = fault.drive is None or (drive is not None and drive.id == fault.drive)
            if here and fault.flip_read_back == self._faults.read_backs and data:
                return bytes([data[0] ^ 1]) + bytes(data[1:])
        return data

    def _busy(self, work: _DriveWork, seconds: float) -> None:
        work.free_at_s = max(work.free_at_s, self._clock.now_s) + seconds

    def _write(self, work: _DriveWork, path: str, count_bytes: int) -> None:
        for index, fault in enumerate(self._faults.entries):
            if fault.fail_write is not None and fault.drive in (None, work.drive.id):
                self._faults.writes[index] = self._faults.writes.get(index, 0) + 1
                if self._faults.writes[index] == fault.fail_write:
                    raise OSError(errno.EIO, os.strerror(errno.EIO), path)
        length = self._growing.get(path, 0) + count_bytes
        largest = work.drive.rules.largest_file_bytes
        if largest is not None and length > largest:
            raise OSError(errno.EFBIG, os.strerror(errno.EFBIG), path)
        if work.used_bytes + count_bytes > work.drive.usable_bytes:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), path)
        self._growing[path] = length
        work.used_bytes += count_bytes
        begin_s = max(work.free_at_s, self._clock.now_s)
        work.free_at_s = begin_s + work.pace.seconds_for(count_bytes, begin_s)
        self._clock.advance_to(work.free_at_s - WRITE_BEHIND_S)
        work.written_bytes += count_bytes
        self._may_be_pulled(work, path)

    def _may_be_pulled(self, work: _DriveWork, path: str) -> None:
        for fault in self._faults.entries:
            until = fault.pull_after_bytes if fault.cut_after_bytes is None else fault.cut_after_bytes
            if until is None or fault.drive not in (None, work.drive.id) or work.moved_bytes <= until:
                continue
            work.pulled = True
            if fault.cut_after_bytes is not None:
                _lose_marks(work.unflushed_marks)
            raise OSError(errno.ENODEV, os.strerror(errno.ENODEV), path)

    def _remove(self, work: _DriveWork, path: str) -> None:
        self._busy(work, per_file_seconds(work.drive, 1))
        try:
            with Reachable(path) as near:
                facts = os.lstat(near)
        except OSError:
            return
        if stat.S_ISREG(facts.st_mode) and facts.st_nlink == 1:
            work.used_bytes -= facts.st_size
        self._clock.advance_to(work.free_at_s)


def _lose_marks(paths: Iterable[str]) -> None:
    """What a file system may leave of a file whose contents arrived before the cut, and its marks did not."""
    for path in paths:
        with suppress(OSError), Reachable(path) as near:
            if stat.S_ISREG(os.lstat(near).st_mode):
                os.chmod(near, 0o600)
                os.utime(near)


def _check_name(drive: Drive, operation: str, path: str) -> None:
    rules = drive.rules
    if (operation == "symlink" and not rules.symlinks) or (operation == "link" and not rules.hard_links):
        raise OSError(errno.EPERM, os.strerror(errno.EPERM), path)
    if path != drive.path and rules.why_not_name(os.path.basename(path)):
        raise OSError(errno.EINVAL, os.strerror(errno.EINVAL), path)
