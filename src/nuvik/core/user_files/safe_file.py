"""Writing a file for the user: whole and on its medium, or not at all."""

from __future__ import annotations

import contextlib
import errno
import os
import tempfile
from collections.abc import Iterable

from nuvik.core.model.errors import NotNamed, Refused, system_words
from nuvik.core.model.names import shown

_MODE = 0o666
"""As far as the user's own mask lets it."""


def free_stem(stem: str, endings: Iterable[str]) -> str:
    """A path, or with the first number behind it, at which nothing lies with any of the endings."""
    endings, number, tried = tuple(endings), 1, stem
    while any(os.path.lexists(tried + ending) for ending in endings):
        number += 1
        tried = f"{stem}-{number}"
    return tried


def write_text(path: str, text: str) -> None:
    """Write a whole text file as `write_bytes` does. Raises Refused."""
    write_bytes(path, text.encode("utf-8"))


def make_folder_of(path: str) -> None:
    """Make the folder in which a file is to be written, and those above it. Raises Refused."""
    folder = os.path.dirname(path)
    try:
        if folder:
            os.makedirs(folder, exist_ok=True)
    except OSError as fault:
        raise Refused(
            f"The folder {shown(folder)} cannot be made: {system_words(fault)}.",
            next_step="Choose another place.",
        ) from None


def write_bytes(path: str, data: bytes) -> None:
    """Write a whole file; an older one of that name is replaced only once the new one is on the medium.

    A link of that name stays, and what it leads to is replaced. Raises Refused.
    """
    goal = os.path.realpath(path)
    folder, name = os.path.split(goal)
    part = ""
    try:
        handle, part = tempfile.mkstemp(prefix=f".{name}.", suffix=".new", dir=folder or ".")
        with open(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(part, _mode_of(goal))
        os.replace(part, goal)
    except OSError as fault:
        if part:
            with contextlib.suppress(OSError):
                os.unlink(part)
        off = fault.errno in (errno.ENOENT, errno.ENOTDIR, errno.EISDIR)
        raise (NotNamed if off else Refused)(
            f"{shown(path)} cannot be written: {system_words(fault)}.",
            next_step="Choose another place.",
        ) from None


def _mode_of(path: str) -> int:
    """The permissions of the file that is replaced, or those of a new one."""
    try:
        return os.stat(path).st_mode & 0o777
    except OSError:
        mask = os.umask(0)
        os.umask(mask)
        return _MODE & ~mask
