"""Walking a tree: every entry once, in a fixed order, without following links or crossing into another drive."""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Callable, Iterator
from typing import NamedTuple

from nuvik.core.hosts.descent import Descent, link_text
from nuvik.core.hosts.files import Files
from nuvik.core.hosts.many_files import Facts, facts_of
from nuvik.core.model.progress import Stop
from nuvik.core.survey.walk.walk_slice import MOUNTED_HERE


class Entry(NamedTuple):
    """A name in a tree: its path relative to the tree's root (empty for the root) and what the system knows of it."""

    path: str
    facts: Facts
    link: str | None = None
    """Where a link leads, as written in it."""

    @property
    def is_folder(self) -> bool:
        return stat.S_ISDIR(self.facts.st_mode)

    @property
    def is_file(self) -> bool:
        return stat.S_ISREG(self.facts.st_mode)


OnProblem = Callable[[str, str], None]
"""Called with the full path of what cannot be read, and with the system's error message."""


def walk(files: Files, root: str, on_problem: OnProblem, stop: Stop | None = None) -> Iterator[Entry]:
    """Every entry below `root`, the root first, each folder before what it holds, in the order of the names' bytes.

    What cannot be looked at is passed over and reported to `on_problem`. Raises StopRequested.
    """
    try:
        facts = facts_of(files.facts(root))
        link = files.read_link(root) if stat.S_ISLNK(facts.st_mode) else None
    except OSError as fault:
        on_problem(root, words_of(fault))
        return
    yield Entry("", facts, link)
    if stat.S_ISDIR(facts.st_mode):
        yield from _Walk(files, root, facts.st_dev, on_problem, stop).entries()


class _Walk:
    """A walk under way."""

    def __init__(self, files: Files, root: str, device: int, on_problem: OnProblem, stop: Stop | None) -> None:
        self._files, self._root, self._device = files, root, device
        self._on_problem, self._stop = on_problem, stop
        self._waiting: list[tuple[str, list[str]]] = []
        """Each folder that is open, with the names of the folders in it that were not entered yet, the next last."""

    def entries(self) -> Iterator[Entry]:
        try:
            descent = Descent(self._files.open_folder(self._root))
        except OSError as fault:
            self._on_problem(self._root, words_of(fault))
            return
        with descent:
            yield from self._in_folder("", descent)
            while self._waiting:
                folder, names = self._waiting[-1]
                if not names:
                    self._waiting.pop()
                    if self._waiting and not self._leave(descent, self._waiting[-1]):
                        return
                    continue
                path = _inside(folder, names.pop())
                try:
                    descent.down(os.path.basename(path))
                except OSError as fault:
                    if fault.errno == errno.EXDEV:
                        self._on_problem(os.path.join(self._root, path), MOUNTED_HERE)
                    else:
                        self._report(path, fault)
                    continue
                yield from self._in_folder(path, descent)

    def _leave(self, descent: Descent, above: tuple[str, list[str]]) -> bool:
        """Go up again. A folder that was replaced meanwhile ends the walk: nothing below it is known any more."""
        try:
            descent.up()
        except OSError as fault:
            self._report(above[0], fault)
            return False
        return True

    def _in_folder(self, folder: str, descent: Descent) -> Iterator[Entry]:
        """The entries directly in the folder at hand; those that are folders are kept for later."""
        if self._stop is not None:
            self._stop.check()
        below: list[str] = []
        self._waiting.append((folder, below))
        try:
            listed = self._files.entries_in(descent.handle, _inside(self._root, folder) if folder else self._root)
        except OSError as fault:
            self._report(folder, fault)
            return
        for name, facts in listed:
            path = f"{folder}{os.sep}{name}" if folder else name
            if isinstance(facts, OSError):
                self._report(path, facts)
                continue
            link, kind = None, stat.S_IFMT(facts.st_mode)
            if kind == stat.S_IFLNK:
                try:
                    link = link_text(descent.handle, name)
                except OSError as fault:
                    self._report(path, fault)
                    continue
            if kind == stat.S_IFDIR:
                if facts.st_dev != self._device:
                    self._on_problem(os.path.join(self._root, path), MOUNTED_HERE)
                    continue
                below.append(name)
            yield Entry(path, facts, link)
        below.reverse()

    def _report(self, path: str, fault: OSError) -> None:
        self._on_problem(os.path.join(self._root, path) if path else self._root, words_of(fault))


def _inside(folder: str, name: str) -> str:
    return f"{folder}{os.sep}{name}" if folder else name


def words_of(fault: OSError) -> str:
    """The system's error message, in lower case."""
    return (fault.strerror or str(fault)).lower()
