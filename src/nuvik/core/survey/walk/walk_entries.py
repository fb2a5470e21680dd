"""Walking a tree: every folder once, in a fixed order, without following links or crossing into another drive."""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Callable, Iterator, Mapping
from typing import NamedTuple

from nuvik.core.hosts.descent import Descent, link_text
from nuvik.core.hosts.files import Files
from nuvik.core.hosts.many_files import Facts
from nuvik.core.model.errors import system_words
from nuvik.core.model.inventory import EntryRecord
from nuvik.core.model.paths import below
from nuvik.core.model.progress import Stop
from nuvik.core.survey.walk.walk_slice import MOUNTED_HERE


class Listed(NamedTuple):
    """A folder of a tree with what lies directly in it."""

    path: str
    """Relative to the tree's root; empty for the root."""
    files: list[EntryRecord]
    """The files that have a single name, in the order of the names' bytes."""
    others: list[tuple[str, Facts]]
    """Names of anything else, in the same order, with what the system knows of it."""
    links: Mapping[str, str]
    """Where those that are links lead, as written in them, by name."""
    holes: Mapping[str, int]
    """By the path of a file, how many bytes it is longer than what it holds on the disk."""


OnProblem = Callable[[str, str], None]
"""Called with the full path of what cannot be read, and with the system's error message."""


def walk(files: Files, root: str, device: int, on_problem: OnProblem, stop: Stop | None = None) -> Iterator[Listed]:
    """The folder `root`, which is on that device, and every folder below it, each before those in it.

    What cannot be looked at is passed over and reported to `on_problem`. Raises StopRequested.
    """
    return _Walk(files, root, device, on_problem, stop).folders()


class _Walk:
    """A walk under way."""

    def __init__(self, files: Files, root: str, device: int, on_problem: OnProblem, stop: Stop | None) -> None:
        self._files, self._root, self._device = files, root, device
        self._on_problem, self._stop = on_problem, stop
        self._waiting: list[tuple[str, list[str]]] = []
        """Each folder that is open, with the names of the folders in it that were not entered yet, the next last."""

    def folders(self) -> Iterator[Listed]:
        try:
            descent = Descent(self._files.open_folder(self._root))
        except OSError as fault:
            self._on_problem(self._root, system_words(fault))
            return
        with descent:
            yield from self._listed("", descent)
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
                yield from self._listed(path, descent)

    def _leave(self, descent: Descent, above: tuple[str, list[str]]) -> bool:
        """Go up again. A folder that was replaced meanwhile ends the walk: nothing below it is known any more."""
        try:
            descent.up()
        except OSError as fault:
            self._report(above[0], fault)
            return False
        return True

    def _listed(self, folder: str, descent: Descent) -> Iterator[Listed]:
        """The folder at hand, if it can be listed; the folders in it are kept for later."""
        if self._stop is not None:
            self._stop.check()
        folders: list[str] = []
        self._waiting.append((folder, folders))
        try:
            above = folder + os.sep if folder else ""
            listed = self._files.entries_in(descent.handle, below(self._root, folder), above)
        except OSError as fault:
            self._report(folder, fault)
            return
        others: list[tuple[str, Facts]] = []
        links: dict[str, str] = {}
        for name, facts in listed.others:
            if isinstance(facts, OSError):
                self._report(_inside(folder, name), facts)
                continue
            kind = stat.S_IFMT(facts.st_mode)
            if kind == stat.S_IFLNK:
                try:
                    links[name] = link_text(descent.handle, name)
                except OSError as fault:
                    self._report(_inside(folder, name), fault)
                    continue
            elif kind == stat.S_IFDIR:
                if facts.st_dev != self._device:
                    self._on_problem(os.path.join(self._root, _inside(folder, name)), MOUNTED_HERE)
                    continue
                folders.append(name)
            others.append((name, facts))
        folders.reverse()
        yield Listed(folder, listed.files, others, links, listed.holes)

    def _report(self, path: str, fault: OSError) -> None:
        self._on_problem(below(self._root, path), system_words(fault))


def _inside(folder: str, name: str) -> str:
    return f"{folder}{os.sep}{name}" if folder else name
