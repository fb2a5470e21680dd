"""Whether the machine is as quick as at its best in this run: where many share one, all may take twice as long."""

from __future__ import annotations

import time

_ADDITIONS, _LOOKS, _WITHIN = 100_000, 3, 1.2
_best_s = float("inf")


def is_calm() -> bool:
    """A small piece of work takes at most a fifth longer than the quickest time that was seen for it."""
    global _best_s
    seen_s = min(_loop_s() for _ in range(_LOOKS))
    _best_s = min(_best_s, seen_s)
    return seen_s <= _WITHIN * _best_s


def _loop_s() -> float:
    began, total = time.perf_counter(), 0
    for number in range(_ADDITIONS):
        total += number
    return time.perf_counter() - began
