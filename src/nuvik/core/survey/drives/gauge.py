"""Gauging a drive: how fast it really reads, writes and finds small things, with a file of its own.

The figures come from several passes over different stretches of one test file; the middle one counts and their
spread says how sure it is. Nothing is written to a drive that has less free space than its headroom, nor to one that
may not be written to: there, large files that exist are read instead.
"""

from __future__ import annotations

import os
import random
import stat
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from nuvik.core.hosts.base import Host
from nuvik.core.hosts.file_contents import is_sparse
from nuvik.core.hosts.gauge_file import BLOCK_BYTES, DIRECT, SMALL_BYTES, GaugeFile
from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.gauging import GaugeBudget, GaugeProgress, GaugeResult, ReadRate, Throughput
from nuvik.core.model.names import OURS_PREFIX, shown
from nuvik.core.model.progress import Stop
from nuvik.core.model.units import format_bytes
from nuvik.core.survey.drives.leftover_tests import free_test_path, remove_test

MB = 1_000_000
_SMALL_PASS_S, _SMALL_PASS_READS, _LEAST_SMALL_READS = 1.0, 4_000, 20
_LEAST_FILE_BYTES = 64 * MB
_MOST_OF_SPARE = 0.5
"""Assumed: a test file takes no more than half of what is free beyond the headroom."""
_SUSTAINED_MOST_BYTES, _SUSTAINED_MOST_S = 120_000 * MB, 180.0
_WINDOW_S = 0.5
_DROPPED_BELOW = 0.8
"""Assumed: writing dropped when the last quarter of the time is slower than this share of the first."""
_MOST_TRIES = 5
_FLUSH_BYTES = 4 * BLOCK_BYTES
_FILES_LOOKED_AT = 20_000


@dataclass(frozen=True, slots=True)
class _Size:
    """How much work a gauge does."""

    pass_bytes: int
    passes: int
    pass_s: float
    """A pass ends after about this time, whatever it reached: a slow stick must not take an hour."""


_FULL, _QUICK = _Size(512 * MB, 3, 3.0), _Size(128 * MB, 2, 1.0)

Watching = Callable[[GaugeProgress], None]


def budget_for(drive: Drive, quick: bool = False, sustained: bool = False) -> GaugeBudget:
    """What gauging this drive would cost. Raises Refused when it is away or cannot be gauged at all."""
    name = shown(drive.label)
    if not drive.attached:
        raise Refused(f"{name} is away and cannot be measured.", next_step="Attach it.")
    size = _QUICK if quick else _FULL
    time_s = 2 * size.passes * size.pass_s + size.passes * _SMALL_PASS_S
    spare = drive.free_bytes - drive.headroom_bytes
    reason = None
    if drive.read_only:
        reason = "it is read-only"
    elif not os.access(drive.base_path or drive.path, os.W_OK):
        reason = "you may not write to it"
    elif spare <= 0:
        reason = f"it has less free space than its headroom ({format_bytes(drive.free_bytes)} free)"
    elif spare * _MOST_OF_SPARE < _LEAST_FILE_BYTES:
        reason = f"it has only {format_bytes(spare)} beyond its headroom"
    if reason is not None:
        return GaugeBudget(drive=drive.id, write_bytes=0, time_s=time_s, passes=size.passes, reads_only_because=reason)
    write_bytes = min(size.pass_bytes * size.passes, int(spare * _MOST_OF_SPARE))
    longer = min(_SUSTAINED_MOST_BYTES, int((spare - write_bytes) * _MOST_OF_SPARE)) if sustained else 0
    return GaugeBudget(
        drive=drive.id,
        write_bytes=write_bytes // BLOCK_BYTES * BLOCK_BYTES,
        passes=size.passes,
        time_s=time_s + (_SUSTAINED_MOST_S if longer else 0.0),
        sustained_bytes=longer // BLOCK_BYTES * BLOCK_BYTES,
    )


def gauge_drive(
    host: Host, drive: Drive, budget: GaugeBudget, report: Watching = lambda progress: None, stop: Stop | None = None
) -> GaugeResult:
    """Measure one drive within its budget. The test file is removed whatever happens.

    Raises Refused when nothing on it can be read or written, StopRequested, and OSError when the drive fails.
    """
    bench = _Bench(host, drive, budget, report, stop or Stop())
    return bench.read_existing() if budget.reads_only_because is not None else bench.write_and_read()


@dataclass
class _Bench:
    """A gauging under way."""

    host: Host
    drive: Drive
    budget: GaugeBudget
    report: Watching
    stop: Stop
    warmest_c: float | None = None
    written_bytes: int = 0
    began_s: float = field(init=False)
    pass_s: float = field(init=False)

    def __post_init__(self) -> None:
        self.began_s = self.host.timer_s()
        size = _QUICK if self.budget.passes == _QUICK.passes else _FULL
        self.pass_s = size.pass_s
        self._feel_warmth()

    # -- the two ways --------------------------------------------------------------------------------------

    def write_and_read(self) -> GaugeResult:
        """With a file of its own."""
        with self._own_file() as file:
            stretch = self.budget.write_bytes // self.budget.passes // BLOCK_BYTES * BLOCK_BYTES
            written: list[tuple[int, int]] = []
            speeds: list[float] = []
            for number in range(self.budget.passes):
                length, per_s = self._write_pass(file, number * stretch, stretch)
                written.append((number * stretch, length))
                speeds.append(per_s)
            sustained, burst, tried = self._write_on(file, self.budget.passes * stretch, speeds)
            reads = [self._read_pass(file, offset, length) for offset, length in written]
            spans = [(file, offset, length) for offset, length in written]
            return self._result(file.method, reads, self._small(spans), Throughput.of(speeds), sustained, burst, tried)

    def read_existing(self) -> GaugeResult:
        """From large files that lie on the drive."""
        files = large_files(self.host, self.drive, self.budget.passes)
        if not files:
            raise Refused(
                f"{shown(self.drive.label)} cannot be measured: {self.budget.reads_only_because}, and no file of "
                f"{format_bytes(_LEAST_FILE_BYTES // 8)} or more is on it to be read.",
                next_step="Free some space on it, or use its typical figures.",
            )
        opened: list[GaugeFile] = []
        try:
            spans, reads = [], []
            for path, size in files:
                file = GaugeFile(self.host.files, path, create=False)
                opened.append(file)
                length = min(size, _FULL.pass_bytes) // BLOCK_BYTES * BLOCK_BYTES or size // SMALL_BYTES * SMALL_BYTES
                spans.append((file, 0, length))
                reads.append(self._read_pass(file, 0, length))
            return self._result(opened[0].method, reads, self._small(spans), None, None, None, 0)
        finally:
            for file in opened:
                file.close()

    @contextmanager
    def _own_file(self) -> Iterator[GaugeFile]:
        files = self.host.files
        path = free_test_path(self.drive)
        try:
            file = self._created(path)
            try:
                file.flush()  # making its name is no part of writing to it
                yield file
            finally:
                file.close()
        finally:
            remove_test(files, path)

    def _created(self, path: str) -> GaugeFile:
        """The test file, in its folder. Raises OSError when it cannot be made."""
        files, tries = self.host.files, _MOST_TRIES
        while True:
            if not files.exists(os.path.dirname(path)):
                files.make_folder(os.path.dirname(path))
            try:
                return GaugeFile(files, path, create=True)
            except FileNotFoundError:  # another Nuvik that has just ended took the folder with it
                tries -= 1
                if not tries:
                    raise

    # -- passes --------------------------------------------------------------------------------------------

    def _write_pass(self, file: GaugeFile, offset: int, most: int) -> tuple[int, float]:
        """Bytes written, and bytes per second with the flush that ends the pass."""
        began_s, done = self.host.timer_s(), 0
        for at, length in _blocks(most):
            self.stop.check()
            file.write_block(offset + at, length)
            done += length
            if file.method != DIRECT and done % _FLUSH_BYTES == 0:
                file.flush()  # else the cache would take it all, and a slow stick an hour to empty it
            self._tell("writing", began_s, done)
            if self.host.timer_s() - began_s >= self.pass_s:
                break
        file.flush()
        self.written_bytes += done
        return done, done / self._spent(began_s)

    def _write_on(self, file: GaugeFile, offset: int, before: list[float]) -> tuple[float | None, int | None, int]:
        """Write on until the budget is used, to see whether it drops: (speed after, bytes until it dropped, tried)."""
        if not self.budget.sustained_bytes:
            return None, None, 0
        began_s = window_s = self.host.timer_s()
        windows: list[tuple[int, float]] = []  # bytes written when it began, bytes per second
        done = in_window = 0
        for at, length in _blocks(self.budget.sustained_bytes):
            self.stop.check()
            file.write_block(offset + at, length)
            done, in_window = done + length, in_window + length
            now_s = self.host.timer_s()
            if now_s - window_s >= _WINDOW_S:
                windows.append((done - in_window, in_window / (now_s - window_s)))
                self._tell("writing on", window_s, in_window)
                window_s, in_window = now_s, 0
            if now_s - began_s >= _SUSTAINED_MOST_S:
                break
        file.flush()
        tried, self.written_bytes = self.written_bytes + done, self.written_bytes + done
        tail = sorted(speed for _, speed in windows[-max(1, len(windows) // 4) :])
        if not tail or tail[len(tail) // 2] >= _DROPPED_BELOW * max(before):
            return None, None, tried
        slow = tail[len(tail) // 2]
        midway = (slow + max(before)) / 2
        first_slow = next(at for at, speed in windows if speed < midway)
        return slow, tried - done + first_slow, tried

    def _read_pass(self, file: GaugeFile, offset: int, most: int) -> float:
        began_s, done = self.host.timer_s(), 0
        for at, length in _blocks(most):
            self.stop.check()
            got = file.read_block(offset + at, length)
            done += got
            self._tell("reading", began_s, done)
            if got < length or self.host.timer_s() - began_s >= self.pass_s:
                break
        return done / self._spent(began_s)

    def _small(self, spans: Iterable[tuple[GaugeFile, int, int]]) -> ReadRate:
        """Random reads of 4 KiB, one at a time, all over what is there."""
        places = [(file, offset, length // SMALL_BYTES) for file, offset, length in spans if length >= SMALL_BYTES]
        # The same places in every gauging, so that two of one drive can be compared.
        chance, passes = random.Random(4096), []
        for _ in range(self.budget.passes):
            began_s, done = self.host.timer_s(), 0
            while done < _SMALL_PASS_READS:
                file, offset, pages = chance.choice(places)
                file.small_read(offset + chance.randrange(pages) * SMALL_BYTES)
                done += 1
                if done % _LEAST_SMALL_READS == 0:
                    self.stop.check()
                    self._tell("small reads", began_s, done)
                    if self.host.timer_s() - began_s >= _SMALL_PASS_S:
                        break
            passes.append(done / self._spent(began_s))
        return ReadRate.of(passes)

    # -- telling -------------------------------------------------------------------------------------------

    def _spent(self, began_s: float) -> float:
        return max(self.host.timer_s() - began_s, 1e-9)

    def _tell(self, phase: str, began_s: float, done: int) -> None:
        share = min(1.0, self._spent(self.began_s) / self.budget.time_s)
        self.report(GaugeProgress(self.drive.id, phase, share, done / self._spent(began_s)))

    def _feel_warmth(self) -> None:
        felt = self.host.temperature_c(self.drive)
        if felt is not None:
            self.warmest_c = felt if self.warmest_c is None else max(self.warmest_c, felt)

    def _result(
        self,
        method: str,
        reads: list[float],
        small: ReadRate,
        write: Throughput | None,
        sustained: float | None,
        burst: int | None,
        tried: int,
    ) -> GaugeResult:
        self._feel_warmth()
        return GaugeResult(
            drive=self.drive.id,
            identity=self.drive.identity,
            taken_at=now_text(),
            read=Throughput.of(reads),
            small_reads=small,
            write=write,
            sustained_write_bytes_per_s=sustained,
            burst_bytes=burst,
            tried_bytes=tried,
            method=method,
            temperature_c=self.warmest_c,
            written_bytes=self.written_bytes,
            took_s=self._spent(self.began_s),
        )


def _blocks(total: int) -> Iterator[tuple[int, int]]:
    for at in range(0, total, BLOCK_BYTES):
        yield at, min(BLOCK_BYTES, total - at)


def large_files(host: Host, drive: Drive, wanted: int) -> list[tuple[str, int]]:
    """Some large plain files on a drive, largest first, with their sizes; looks at a bounded number of files."""
    candidates: list[tuple[int, str]] = []
    looked = 0
    for here, folders, names in os.walk(drive.path):
        folders[:] = [name for name in folders if not name.startswith(OURS_PREFIX)]
        for name in names:
            path = os.path.join(here, name)
            looked += 1
            try:
                facts = host.files.facts(path)
            except OSError:
                continue
            # A hole is no test of a drive; where a file's length stands for its contents, there are only holes.
            whole = not is_sparse(facts) or not host.files.hook.keeps_contents
            if stat.S_ISREG(facts.st_mode) and facts.st_size >= _LEAST_FILE_BYTES // 8 and whole:
                candidates.append((facts.st_size, path))
        if looked >= _FILES_LOOKED_AT:
            break
    return [(path, size) for size, path in sorted(candidates, reverse=True)[:wanted]]
