"""What a computer takes for each file besides its drives' time, and how much it holds back of what is written."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import psutil

from nuvik.core.model.timing import Pace

_COPY_S, _PROVE_S, _LOOK_S, _RELEASE_S = 30e-6, 12e-6, 15e-6, 23e-6
"""Seconds a file: what was over and above the drives' time for 20,000 files of some kilobytes, several of which go in
one call, on ext4 volumes held to known speeds, on one computer: 10 to 125 in all, from day to day, and this lies
between. How quickly that computed at the moment made no difference distinguishable from chance, so it is not asked
here; what a computer really takes is learnt from the moves it carries."""


@lru_cache(maxsize=1)
def pace_of_this_computer() -> Pace:
    """The pace, looked at once."""
    return Pace(
        copy_s_a_file=_COPY_S,
        prove_s_a_file=_PROVE_S,
        look_s_a_file=_LOOK_S,
        release_s_a_file=_RELEASE_S,
        held_back_bytes=held_back_bytes(),
    )


def held_back_bytes(settings: Path = Path("/proc/sys/vm")) -> int:
    """What Linux holds back of written data before it begins to write (`vm.dirty_background_*`); 0 where none tells."""
    try:
        fixed = int((settings / "dirty_background_bytes").read_text())
        share = int((settings / "dirty_background_ratio").read_text())
    except (OSError, ValueError):
        return 0
    return fixed or psutil.virtual_memory().available * share // 100
