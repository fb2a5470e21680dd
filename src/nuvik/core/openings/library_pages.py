"""The files of a library in the system's memory: put out before an opening, looked at after it."""

from __future__ import annotations

import contextlib
import os
import stat
import time
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

from nuvik.core.hosts.page_cache import PagesUnknown, put_out, resident, tells_pages
from nuvik.core.model.opening import Stretch
from nuvik.core.model.progress import Stop

_OPEN = os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_CLOEXEC", 0)

_TRIES, _BETWEEN_S = 3, 0.1
"""Pages that were read just now stay for a moment, in a list of the processor that read them."""

Runs = list[tuple[int, int]]
"""Stretches of a file in memory, as (offset, end)."""


@dataclass
class LibraryPages:
    """What of a library is in memory. Nothing is read by looking, so access times stay as they are."""

    root: str
    kept: dict[str, Runs] = field(default_factory=dict)
    """By file, what stayed in memory although it was to go: a program has it mapped, or its file system keeps it."""
    facts: dict[str, tuple[int, int]] = field(default_factory=dict)
    """By file, its size and time of change when it was put out."""
    unknown: int = 0
    """Files whose pages the system does not tell …"""
    unknown_bytes: int = 0
    """… and how long they are together."""
    seen: dict[str, Runs] = field(default_factory=dict)
    """By file, what was seen coming in so far."""
    order: list[Stretch] = field(default_factory=list)
    """What came in, in the order in which it was seen."""

    def put_out(self, stop: Stop) -> None:
        """Put every file out of memory, and note what stays. Raises StopRequested."""
        for name in _files_below(self.root):
            stop.check()
            try:
                self._put_out(name)
            except OSError:
                self.unknown += 1
        for _ in range(_TRIES):
            if not self.kept:
                return
            time.sleep(_BETWEEN_S)
            for name in list(self.kept):
                stop.check()
                with contextlib.suppress(OSError):
                    self._put_out(name)

    def _put_out(self, name: str) -> None:
        """Raises OSError, PagesUnknown where the system does not tell of this file."""
        with _opened(os.path.join(self.root, name)) as (handle, facts):
            put_out(handle)
            if not tells_pages(handle, facts):
                self.unknown_bytes += facts.st_size
                raise PagesUnknown
            self.facts[name] = (facts.st_size, facts.st_mtime_ns)
            self.kept.pop(name, None)
            if runs := _runs(handle, facts.st_size):
                self.kept[name] = runs

    @property
    def kept_bytes(self) -> int:
        return sum(end - start for runs in self.kept.values() for start, end in runs)

    def look(self, names: Iterable[str]) -> None:
        """See what of these files has come in since the last look."""
        for name in names:
            if name not in self.facts:
                continue
            with contextlib.suppress(OSError), _opened(os.path.join(self.root, name)) as (handle, facts):
                now = _without(_runs(handle, facts.st_size), self.kept.get(name, []))
                before = self.seen.get(name, [])
                for start, end in (fresh := _without(now, before)):
                    self.order.append(Stretch(file=name, offset=start, bytes=end - start))
                if fresh:  # what the system has let go again meanwhile was read all the same
                    self.seen[name] = _joined([*before, *fresh])

    def look_at_all(self, stop: Stop) -> None:
        """See what of all files has come in. Raises StopRequested."""
        for name in self.facts:
            stop.check()
            self.look([name])

    def changed(self) -> list[str]:
        """Files that were written or removed since they were put out."""
        names = []
        for name, (size, changed_ns) in self.facts.items():
            try:
                facts = os.lstat(os.path.join(self.root, name))
            except OSError:
                names.append(name)
                continue
            if (facts.st_size, facts.st_mtime_ns) != (size, changed_ns):
                names.append(name)
        return names

    @property
    def bytes_read(self) -> int:
        return sum(end - start for runs in self.seen.values() for start, end in runs)

    @property
    def runs(self) -> int:
        """Stretches in a row, over all files."""
        return sum(len(runs) for runs in self.seen.values())


def _files_below(root: str) -> Iterator[str]:
    """The plain files of a library, relative to it. Links are not followed, nor what is mounted in it."""
    if os.path.isfile(root):
        yield ""
        return
    device = os.lstat(root).st_dev
    for here, folders, names in os.walk(root, followlinks=False, onerror=lambda fault: None):
        folders[:] = [name for name in folders if _device_of(os.path.join(here, name)) == device]
        for name in names:
            path = os.path.join(here, name)
            with contextlib.suppress(OSError):
                if stat.S_ISREG(os.lstat(path).st_mode):
                    yield os.path.relpath(path, root)


def _device_of(path: str) -> int | None:
    try:
        return os.lstat(path).st_dev
    except OSError:
        return None


@contextlib.contextmanager
def _opened(path: str) -> Iterator[tuple[int, os.stat_result]]:
    """A plain file, open for looking. Raises OSError, also for whatever is no plain file."""
    handle = os.open(path.rstrip(os.sep), _OPEN)
    try:
        facts = os.fstat(handle)
        if not stat.S_ISREG(facts.st_mode):
            raise PagesUnknown
        yield handle, facts
    finally:
        os.close(handle)


def _runs(handle: int, length: int) -> Runs:
    return [(offset, offset + size) for offset, size in resident(handle, length)] if length else []


def _joined(runs: Runs) -> Runs:
    """Stretches that do not overlap, in order; those that touch become one."""
    joined: Runs = []
    for start, end in sorted(runs):
        if joined and joined[-1][1] == start:
            joined[-1] = (joined[-1][0], end)
        else:
            joined.append((start, end))
    return joined


def _without(runs: Runs, others: Runs) -> Runs:
    """What of these stretches is in none of the others; both in order."""
    left: Runs = []
    at = 0
    for start, end in runs:
        while at < len(others) and others[at][1] <= start:
            at += 1
        nearest = at
        while nearest < len(others) and others[nearest][0] < end:
            if others[nearest][0] > start:
                left.append((start, others[nearest][0]))
            start = max(start, others[nearest][1])
            nearest += 1
        if start < end:
            left.append((start, end))
    return left
