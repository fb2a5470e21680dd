"""Walking a tree: every entry once, in a fixed order, without following links or crossing into another drive."""

from __future__ import annotations

import os
import stat
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from nuvik.core.hosts.files import Files
from nuvik.core.model.progress import Stop

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
