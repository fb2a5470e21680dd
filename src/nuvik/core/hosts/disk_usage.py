"""How full mounted volumes are, asked of each with a time limit: one that hangs must not hold up the others."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Iterable
from dataclasses import dataclass

import psutil

from nuvik.core.model.errors import system_words

ANSWER_LIMIT_S = 1.0
NO_ANSWER = "it does not respond: check its cable or network, or restart the computer"


@dataclass(frozen=True, slots=True)
class Usage:
    """What a mounted volume says of itself, in bytes."""

    offered_bytes: int
    """All that the file system has, its reserve for the system included."""
    used_bytes: int
    available_bytes: int
    """Free for the user who asks."""
    cluster_bytes: int


class UsageMeter:
    """Asks volumes side by side. One that did not answer is not asked again while the question still hangs."""

    def __init__(self) -> None:
        self._hanging: dict[str, threading.Thread] = {}

    def ask(self, points: Iterable[str], limit_s: float = ANSWER_LIMIT_S) -> dict[str, Usage | str]:
        """The usage of each mount point, or why it is not known."""
        answers: dict[str, Usage | str] = {}
        asked: list[tuple[str, threading.Thread]] = []
        for point in points:
            hanging = self._hanging.get(point)
            if hanging is not None and hanging.is_alive():
                answers[point] = NO_ANSWER
                continue
            thread = threading.Thread(target=_ask, args=(point, answers), daemon=True)
            thread.start()
            asked.append((point, thread))
        until_s = time.monotonic() + limit_s
        for point, thread in asked:
            thread.join(max(0.0, until_s - time.monotonic()))
            if thread.is_alive():
                self._hanging[point] = thread
        return {point: answers.get(point, NO_ANSWER) for point in [*answers, *(point for point, _ in asked)]}


def _ask(point: str, answers: dict[str, Usage | str]) -> None:
    try:
        answers[point] = usage_of(point)
    except OSError as fault:
        answers[point] = f"how full it is could not be read ({system_words(fault)})"


def usage_of(point: str) -> Usage:
    """What a mounted volume says of itself. Raises OSError."""
    if not hasattr(os, "statvfs"):
        usage = psutil.disk_usage(point)
        return Usage(usage.total, usage.used, usage.free, 4096)
    facts = os.statvfs(point)
    unit = facts.f_frsize
    return Usage(facts.f_blocks * unit, (facts.f_blocks - facts.f_bfree) * unit, facts.f_bavail * unit, unit)
