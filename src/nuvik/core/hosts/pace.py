"""How quickly this computer does the work that no drive is asked for, and how long it holds writing back."""

from __future__ import annotations

import time
from functools import lru_cache
from pathlib import Path

import psutil

from nuvik.core.model.timing import Pace

_REFERENCE_S = 0.014
"""What `_sum` took on the computer on which the figures below were measured."""
_SUMMED = 100_000
_COPY_S, _PROVE_S, _LOOK_S, _RELEASE_S = 250e-6, 40e-6, 90e-6, 65e-6
"""Seconds a file there: 20,000 files of some kilobytes on ext4 and XFS volumes held in memory."""


@lru_cache(maxsize=1)
def pace_of_this_computer() -> Pace:
    """The pace, looked at once."""
    slower = min(_sum() for _ in range(5)) / _REFERENCE_S
    return Pace(
        copy_s_a_file=_COPY_S * slower, prove_s_a_file=_PROVE_S * slower, look_s_a_file=_LOOK_S * slower,
        release_s_a_file=_RELEASE_S * slower, held_back_bytes=held_back_bytes(),
    )  # fmt: skip


def _sum() -> float:
    """Seconds of computing for a fixed sum."""
    began = time.process_time()
    sum(number * number for number in range(_SUMMED))
    return time.process_time() - began


def held_back_bytes(settings: Path = Path("/proc/sys/vm")) -> int:
    """What Linux holds back of written data before it begins to write (`vm.dirty_background_*`); 0 where none tells."""
    try:
        fixed = int((settings / "dirty_background_bytes").read_text())
        share = int((settings / "dirty_background_ratio").read_text())
    except (OSError, ValueError):
        return 0
    return fixed or psutil.virtual_memory().available * share // 100
