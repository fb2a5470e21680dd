"""What is newer where: a library beside its fallback, file by file. Nothing is read but names, lengths and times, and
nothing is merged.
"""

from __future__ import annotations

import os
import stat
from typing import NamedTuple

from nuvik.core.hosts.base import Host
from nuvik.core.model.errors import Refused, system_words
from nuvik.core.model.fallback import Newer, NewerFile
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop
from nuvik.core.survey.walk.walk_entries import walk

_ALIKE_NS = 2_000_000_000
"""FAT keeps times to two seconds."""


class _Version(NamedTuple):
    """What is compared of a file."""

    size: int
    changed_ns: int


def newer_where(host: Host, library: Library, fallback: Library, stop: Stop | None = None) -> Newer:
    """Compare the files of both by their paths within them. Raises Refused where something cannot be looked at, and
    StopRequested.
    """
    whole, small = _files(host, library.path, stop), _files(host, fallback.path, stop)
    in_library, in_fallback, same = [], [], 0
    for path in sorted(whole.keys() & small.keys()):
        mine, other = whole[path], small[path]
        later_ns = other.changed_ns - mine.changed_ns
        if abs(later_ns) <= _ALIKE_NS and mine.size == other.size:
            same += 1
        elif later_ns > 0:
            in_fallback.append(_file(path, other))
        else:
            in_library.append(_file(path, mine))
    return Newer(
        library=library,
        fallback=fallback,
        same=same,
        in_library=tuple(in_library),
        in_fallback=tuple(in_fallback),
        only_library=tuple(_file(path, whole[path]) for path in sorted(whole.keys() - small.keys())),
        only_fallback=tuple(_file(path, small[path]) for path in sorted(small.keys() - whole.keys())),
    )


def _file(path: str, version: _Version) -> NewerFile:
    return NewerFile(path=path, bytes=version.size)


def _files(host: Host, root: str, stop: Stop | None) -> dict[str, _Version]:
    """The plain files below a folder by their path in it. Raises Refused and StopRequested."""

    def fail(path: str, trouble: str) -> None:
        raise Refused(f"{shown(path)} cannot be looked at: {trouble}.", next_step="Attach its drive, or survey again.")

    try:
        facts = os.lstat(root)
    except OSError as fault:
        fail(root, system_words(fault))
    if not stat.S_ISDIR(facts.st_mode):
        raise Refused(f"{shown(root)} is no folder.", next_step="Only folders are compared file by file.")
    files: dict[str, _Version] = {}
    for listed in walk(host.files, root, facts.st_dev, fail, stop):
        files.update((entry.path, _Version(entry.size, entry.changed_ns)) for entry in listed.files)
        for name, of_other in listed.others:
            if stat.S_ISREG(of_other.st_mode):  # it has several names
                files[os.path.join(listed.path, name)] = _Version(of_other.st_size, of_other.st_mtime_ns)
    return files
