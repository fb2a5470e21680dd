"""Stamps of folders: by them it is known whether anything in a folder came, went or was renamed."""

from __future__ import annotations

import os
import sys
import time

_UNSETTLED_NS = 3_000_000_000
"""A folder that was changed so shortly before may change again without another stamp: file systems count time in steps,
FAT in steps of two seconds.
"""


def stamp_of(facts: os.stat_result) -> int:
    """What a system sets whenever anything in a folder comes or goes: on Windows the time of that, elsewhere the
    time of the latest change of any kind, which no program can set.
    """
    return facts.st_mtime_ns if sys.platform == "win32" else facts.st_ctime_ns


def settled_stamp(facts: os.stat_result) -> int:
    """The stamp of a folder; 0, which no folder ever has, where it was changed too shortly before to rely on it."""
    stamp = stamp_of(facts)
    return 0 if stamp > time.time_ns() - _UNSETTLED_NS else stamp
