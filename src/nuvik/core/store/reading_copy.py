"""A copy of the database in memory, for looking while its folder cannot be written: on a full drive, for example."""

from __future__ import annotations

import contextlib
import errno
import os
import sqlite3
import tempfile
from urllib.parse import quote

from nuvik.core.model.errors import system_words

_PROBE_BYTES = 65_536
"""What a small transaction needs: its log, and the index of that."""
_count = 0


class ReadingCopy:
    """All that the database says, for connections of any thread, as long as this lives. It cannot be changed."""

    def __init__(self, path: str, why: str) -> None:
        """Of the database at a path, which need not be there. Raises sqlite3.Error when it cannot be read."""
        global _count
        _count += 1
        self.why = why
        """Why the folder cannot be written, as the end of a sentence."""
        self._uri = f"file:nuvik-{os.getpid()}-{_count}?mode=memory&cache=shared"
        # The memory is given back with the last connection to it.
        self.anchor = sqlite3.connect(self._uri, uri=True, check_same_thread=False)
        if os.path.exists(path):
            _read_into(self.anchor, path)

    def connect(self) -> sqlite3.Connection:
        """A connection that can read."""
        connection = sqlite3.connect(self._uri, uri=True)
        connection.execute("PRAGMA query_only = ON")
        connection.execute("PRAGMA read_uncommitted = ON")  # readers of shared memory must not lock each other out
        return connection


def why_not_writable(folder: str) -> str | None:
    """Why nothing can be written in a folder, as the end of a sentence; None when something can."""
    try:
        with tempfile.NamedTemporaryFile(dir=folder, prefix=".nuvik-probe-") as probe:
            probe.write(b"\0" * _PROBE_BYTES)
            probe.flush()
            os.fsync(probe.fileno())
    except OSError as fault:
        if fault.errno in (errno.ENOSPC, errno.EDQUOT):
            return "its drive is full"
        return system_words(fault)
    return None


def _read_into(memory: sqlite3.Connection, path: str) -> None:
    """Plainly, so that what another Nuvik is writing counts; where that needs files of its own, without them."""
    for how in ("mode=ro", "mode=ro&immutable=1"):
        try:
            with contextlib.closing(sqlite3.connect(f"file:{quote(os.fsencode(path))}?{how}", uri=True)) as kept:
                kept.backup(memory)
                return
        except sqlite3.OperationalError as fault:
            trouble = fault
    raise trouble
