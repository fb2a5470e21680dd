"""Walking a tree: every entry once, in a fixed order, without following links or crossing into another drive."""

from __future__ import annotations

import os
import stat
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from nuvik.core.hosts.base import Host
from nuvik.core.hosts.files import Files
from nuvik.core.model.progress import Stop
from nuvik.core.model.snapshot import Problem

OURS_PREFIX = ".nuvik"
"""Folders whose names begin so are Nuvik's own: incoming, held, state."""


@dataclass(frozen=True, slots=True)
class Entry:
    """One name in a tree: its path relative to the tree's root (empty for the root) and what the system knows of it."""

    path: str
    facts: os.stat_result

    @property
    def is_folder(self) -> bool:
        return stat.S_ISDIR(self.facts.st_mode)

    @property
    def is_file(self) -> bool:
        return stat.S_ISREG(self.facts.st_mode)

    @property
    def is_link(self) -> bool:
        return stat.S_ISLNK(self.facts.st_mode)


def walk(files: Files, root: str, on_problem: Callable[[str, str], None], stop: Stop | None = None) -> Iterator[Entry]:
    """Every entry below `root`, the root first, each folder before what it holds.

    What cannot be looked at is told to `on_problem(path, what)` and passed over. Raises StopRequested.
    """
    try:
        top = Entry("", files.facts(root))
    except OSError as fault:
        on_problem(root, _said(fault))
        return
    yield top
    waiting = [""] if top.is_folder else []
    while waiting:
        if stop is not None:
            stop.check()
        folder = waiting.pop()
        try:
            names = [found.name for found in files.list_folder(os.path.join(root, folder) if folder else root)]
        except OSError as fault:
            on_problem(os.path.join(root, folder), _said(fault))
            continue
        below = []
        for name in names:
            path = f"{folder}{os.sep}{name}" if folder else name
            try:
                entry = Entry(path, files.facts(os.path.join(root, path)))
            except OSError as fault:
                on_problem(os.path.join(root, path), _said(fault))
                continue
            if entry.is_folder and entry.facts.st_dev != top.facts.st_dev:
                on_problem(os.path.join(root, path), "another drive is mounted here")
                continue
            yield entry
            if entry.is_folder:
                below.append(path)
        waiting.extend(reversed(below))


def _said(fault: OSError) -> str:
    return (fault.strerror or str(fault)).lower()


@dataclass(slots=True)
class Measure:
    """The sums over a tree."""

    bytes: int = 0
    on_disk_bytes: int = 0
    files: int = 0
    largest_file_bytes: int = 0
    last_used_s: float | None = None
    by_extension: dict[str, int] = field(default_factory=dict)
    """Bytes by file name extension, in lower case with its dot."""
    problems: list[Problem] = field(default_factory=list)
    _linked: set[tuple[int, int]] = field(default_factory=set)

    def add(self, host: Host, entry: Entry) -> None:
        """Count one entry; a file with several hard links counts once."""
        facts = entry.facts
        if not entry.is_file:
            return
        self.files += 1
        if facts.st_nlink > 1:
            if (facts.st_dev, facts.st_ino) in self._linked:
                return
            self._linked.add((facts.st_dev, facts.st_ino))
        self.bytes += facts.st_size
        self.on_disk_bytes += host.size_on_disk(facts)
        self.largest_file_bytes = max(self.largest_file_bytes, facts.st_size)
        used_s = max(facts.st_mtime, facts.st_atime)
        self.last_used_s = used_s if self.last_used_s is None else max(self.last_used_s, used_s)
        extension = os.path.splitext(entry.path)[1].lower()
        self.by_extension[extension] = self.by_extension.get(extension, 0) + facts.st_size


def measure(host: Host, root: str, stop: Stop | None = None) -> Measure:
    """Sum up one tree. Raises StopRequested."""
    result = Measure()
    for entry in walk(
        host.files, root, lambda path, what: result.problems.append(Problem(path=path, problem=what)), stop
    ):
        result.add(host, entry)
    return result
