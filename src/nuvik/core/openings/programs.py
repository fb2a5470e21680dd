"""The programs that open a library: which they are, what they compute, and which of its files they have open."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection
from dataclasses import dataclass, field

import psutil

from nuvik.core.model.paths import is_within

_LOOK_FOR_NEW_S = 1.0
"""Between two looks through all processes, which take a while."""


@dataclass
class Programs:
    """Those seen with a file of the library open, or below the process that was started for it."""

    root: str
    clock: Callable[[], float]
    child: int | None = None
    """The process that was started to open it."""
    seconds: dict[int, float] = field(default_factory=dict)
    """Processor seconds of each process when it was seen last."""
    first: dict[int, float] = field(default_factory=dict)
    """And when it was seen first; a process that was started for the opening counts from 0."""
    others: Collection[str] = ()
    """The places of other libraries."""
    open_files: set[str] = field(default_factory=set)
    """Relative to the library: all that were seen open."""
    open_others: set[str] = field(default_factory=set)
    """The other libraries of which these programs had files open."""
    _known: dict[int, psutil.Process] = field(default_factory=dict)
    _searched_s: float = float("-inf")

    def look(self) -> None:
        """See who has files of the library open now, and what they have computed."""
        if self.clock() - self._searched_s >= _LOOK_FOR_NEW_S or self.child is not None:
            self._search()
        for number, process in list(self._known.items()):
            try:
                times = process.cpu_times()
                self._take_files(process)
            except psutil.Error:
                del self._known[number]
                continue
            self.seconds[number] = times.user + times.system

    @property
    def computing_s(self) -> float:
        """Processor seconds since each was seen first."""
        return sum(seconds - self.first.get(number, 0.0) for number, seconds in self.seconds.items())

    def _search(self) -> None:
        self._searched_s = self.clock()
        below = self._below_child()
        everyone = below if self.child is not None else list(psutil.process_iter())
        for process in everyone:
            if process.pid in self._known or process.pid == os.getpid():
                continue
            if process in below:
                self._known[process.pid] = process
                self.first[process.pid] = 0.0
            elif self._take_files(process):
                self._known[process.pid] = process
                try:
                    times = process.cpu_times()
                except psutil.Error:
                    continue
                # What it computed before it opened the library is not of this opening, unless it began with it.
                self.first.setdefault(process.pid, times.user + times.system)

    def _below_child(self) -> list[psutil.Process]:
        if self.child is None:
            return []
        try:
            top = psutil.Process(self.child)
            return [top, *top.children(recursive=True)]
        except psutil.Error:
            return []

    def _take_files(self, process: psutil.Process) -> bool:
        """Note the library's files that a process has open; whether there are any."""
        try:
            paths = [file.path for file in process.open_files()]
        except (psutil.Error, OSError):
            return False
        mine = [path for path in paths if is_within(path, self.root)]
        self.open_files.update(os.path.relpath(path, self.root) for path in mine)
        if mine or process.pid in self._known:
            elsewhere = set(paths) - set(mine)
            self.open_others.update(other for other in self.others if any(is_within(path, other) for path in elsewhere))
        return bool(mine)
