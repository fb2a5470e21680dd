"""The few renames on which everything hangs, each safe by itself and safe to be called again after a stop."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager

from nuvik.core.hosts.files import Files


def is_link_to(files: Files, link: str, *goals: str) -> bool:
    """Whether `link` is a link that says exactly one of `goals`."""
    return files.is_link(link) and files.read_link(link) in goals


def replace_link(files: Files, content: str, link: str) -> None:
    """Let a folder or file take the name of our own link, in one step where the system can."""
    if files.exchange(content, link):
        files.remove(content)  # what is there now is the link
        return
    files.remove(link)
    files.rename_to_free_name(content, link)


def forget_link(files: Files, path: str) -> None:
    """Remove the link that an exchange of names left aside; anything else stays."""
    if files.is_link(path):
        files.remove(path)


@contextmanager
def renamable(files: Files, path: str) -> Iterator[None]:
    """Systems ask for write permission on a folder that changes parents: give it for the moment of a rename. Some (XFS)
    count the new parent as a change of the folder: then it gets its time back.

    Bits and time are set on whatever then carries them, by inode, wherever it went.
    """
    facts = files.facts(path)
    mode = stat.S_IMODE(facts.st_mode)
    descriptor = files.open_folder(path) if stat.S_ISDIR(facts.st_mode) else None
    if not isinstance(descriptor, int):  # a file, or a system that opens no folder (Windows)
        yield
        return
    try:
        if not mode & stat.S_IWUSR:
            files.mark_mode(path, mode | stat.S_IWUSR)
        yield
        if not mode & stat.S_IWUSR:
            os.fchmod(descriptor, mode)
        if os.fstat(descriptor).st_mtime_ns != facts.st_mtime_ns:
            os.utime(descriptor, ns=(facts.st_atime_ns, facts.st_mtime_ns))
            os.fsync(descriptor)
    finally:
        os.close(descriptor)
