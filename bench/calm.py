"""Whether the machine is quick enough for plain times to mean something: where many share one, all may take twice as
long for seconds or hours.
"""

from __future__ import annotations

import time

_ADDITIONS, _LOOKS, _WITHIN, _AGAIN_S = 100_000, 3, 1.2, 0.2
_MEANT_S = 0.0045
"""The plain times of this bench are meant for a computer that does these additions in so many seconds."""


def is_calm() -> bool:
    """A small piece of work takes at most a fifth longer than on the computer that the times are meant for."""
    return min(_loop_s() for _ in range(_LOOKS)) <= _WITHIN * _MEANT_S


def wait_until_calm(limit_s: float) -> bool:
    """Wait until the machine is calm, but no longer than this; whether it is."""
    until_s = time.monotonic() + limit_s
    while not (calm := is_calm()) and time.monotonic() < until_s:
        time.sleep(_AGAIN_S)
    return calm


def _loop_s() -> float:
    began, total = time.perf_counter(), 0
    for number in range(_ADDITIONS):
        total += number
    return time.perf_counter() - began
