"""Finding the settings that hold a library's path: among the user's settings files, bounded in number and size.

Nothing of what is read is kept but what speaks of the path.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from nuvik.core.model.progress import Stop
from nuvik.core.settings.command_line import respelled_command
from nuvik.core.settings.formats import format_of
from nuvik.core.settings.setting_format import LARGEST_FILE_BYTES, NotReadable, line_of
from nuvik.core.settings.spelling import spelling_of

MOST_FILES, MOST_DEPTH, MOST_BYTES = 50_000, 6, 500_000_000
_HEAD_BYTES = 400
"""By so much of a file whose name does not tell it is known whether it holds settings."""
_PASSED_OVER = frozenset(["Cache", "Caches", "cache", "CacheStorage", "GPUCache", "Code Cache", "node_modules", ".git"])


@dataclass(frozen=True, slots=True)
class FoundSetting:
    """A setting that speaks of a path."""

    file: str
    format: str
    key: str
    value: str
    certain: bool
    """Whether it can only mean this path, or one in it: so that it may be changed."""
    line: int
    """In which line of the file it stands, from 1; 0 where the format does not tell."""


def find_settings(roots: Iterable[str], path: str, home: str, stop: Stop | None = None) -> Iterator[FoundSetting]:
    """The settings below some folders that hold a path in any of its spellings. Raises StopRequested."""
    total = 0
    for count, (file, size) in enumerate(_files(roots, path)):
        if stop is not None:
            stop.check()
        total += min(size, _HEAD_BYTES) if format_of(file) is None else size
        if count >= MOST_FILES or total > MOST_BYTES:
            return
        yield from settings_in(file, path, home)


def settings_in(file: str, path: str, home: str) -> Iterator[FoundSetting]:
    """The settings in one file that hold a path; none where it cannot be read."""
    try:
        with open(file, "rb") as opened:
            head = opened.read(_HEAD_BYTES)
            form = format_of(file, head)
            data = head + (opened.read(LARGEST_FILE_BYTES + 1) if form is not None else b"")
    except OSError:
        return
    if form is None or len(data) > LARGEST_FILE_BYTES or not _may_name(data, path):
        return
    try:
        values = form.values(data)
    except NotReadable:
        return
    for value in values:
        spelling = spelling_of(value.text, path, home)
        command = form.name == "desktop" and respelled_command(value.text, path, path) is not None
        if spelling is not None or command:
            line = line_of(data.decode("utf-8", "surrogateescape"), value) if value.end else 0
            certain = command or (spelling is not None and spelling.certain)
            yield FoundSetting(file, form.name, value.key, value.text, certain, line)


def _may_name(data: bytes, path: str) -> bool:
    """Whether a file may speak of a path: quickly, by a stretch of letters of its last name that no format escapes."""
    name = os.path.basename(path)
    letters = "".join(letter if letter.isascii() and letter.isalnum() else " " for letter in name)
    plain = max(letters.split(), key=len, default="")
    return not plain or plain.casefold().encode() in data.lower()


def _files(roots: Iterable[str], path: str) -> Iterator[tuple[str, int]]:
    """The small files below some folders, not deep, in the order of their names; not those of the library itself."""
    seen: set[tuple[int, int]] = set()
    waiting = [(root, 0) for root in reversed(list(roots))]
    while waiting:
        folder, depth = waiting.pop()
        try:
            facts = os.stat(folder)
            with os.scandir(folder) as listed:
                entries = sorted(listed, key=lambda entry: entry.name)
        except OSError:
            continue
        if (facts.st_dev, facts.st_ino) in seen or folder == path:
            continue
        seen.add((facts.st_dev, facts.st_ino))
        inner = []
        for entry in entries:
            try:
                if entry.is_dir(follow_symlinks=False):
                    if depth < MOST_DEPTH and entry.name not in _PASSED_OVER:
                        inner.append((entry.path, depth + 1))
                    continue
                known = entry.stat()
            except OSError:
                continue
            if stat.S_ISREG(known.st_mode) and 0 < known.st_size <= LARGEST_FILE_BYTES:
                yield entry.path, known.st_size
        waiting += reversed(inner)
