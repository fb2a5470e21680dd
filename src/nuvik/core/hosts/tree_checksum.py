"""One checksum for a whole library: of the names, lengths and contents of its files, and of where its links lead."""

from __future__ import annotations

import os
from collections.abc import Callable

import xxhash

from nuvik.core.hosts.checksum import Checksum
from nuvik.core.hosts.files import Files
from nuvik.core.model.progress import Stop


def tree_checksum(files: Files, root: str, stop: Stop, read: Callable[[int], None] = lambda count: None) -> str:
    """The checksum of a library, the same on every computer and file system; `read` is told of bytes as they are read.
    Marks, times and empty folders do not count. Raises OSError and StopRequested.
    """
    whole = xxhash.xxh3_128()
    for relative in sorted(_entries(root)):
        stop.check()
        path = os.path.join(root, relative) if relative else root
        whole.update(relative.replace(os.sep, "/").encode("utf-8", "surrogateescape") + b"\0")
        if os.path.islink(path):
            whole.update(b"link\0" + os.fsencode(os.readlink(path)) + b"\0")
            continue
        checksum = Checksum()
        for block in files.blocks(path, lent=True):
            stop.check()
            checksum.add(block)
            read(block.length)
        whole.update(checksum.hex().encode() + b"\0")
    return whole.hexdigest()


def _entries(root: str) -> list[str]:
    """Plain files and links below a root, relative to it; the root itself where it is a file."""
    if not os.path.isdir(root):
        return [""]

    def fail(fault: OSError) -> None:
        raise fault

    entries = []
    for here, folders, names in os.walk(root, onerror=fail):
        links = [name for name in folders if os.path.islink(os.path.join(here, name))]
        for name in (*names, *links):
            path = os.path.join(here, name)
            if os.path.islink(path) or os.path.isfile(path):
                entries.append(os.path.relpath(path, root))
    return entries
