"""A walker in a process of its own: slices go to it and sums come back, as `marshal` writes them."""

from __future__ import annotations

import gc
import marshal
import signal
import sys
from typing import Any

from nuvik.core.survey.walk.walk_slice import Sums, WalkRules, walk_slice


def packed(sums: list[Sums]) -> list[tuple[Any, ...]]:
    """Sums as plain tuples, for `marshal`."""
    return [tuple(getattr(part_sums, name) for name in _FIELDS) for part_sums in sums]


def unpacked(rows: list[tuple[Any, ...]]) -> list[Sums]:
    return [Sums(*row) for row in rows]


READY = b"!"
"""What a walker says first."""
_FIELDS = tuple(Sums.__dataclass_fields__)


def serve() -> None:
    """Walk the slices that come on standard input, each as `marshal` writes it, until there are no more."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever asked for the slices decides when it ends
    tasks, answers = sys.stdin.buffer, sys.stdout.buffer
    answers.write(READY)
    answers.flush()
    gc.disable()  # nothing here refers to itself
    while True:
        try:
            rules, starts, budget = marshal.load(tasks)
        except EOFError:
            return
        sums, left, seen = walk_slice(WalkRules(*rules), starts, budget)
        marshal.dump((packed(sums), left, seen), answers)
        answers.flush()


def task(rules: WalkRules, starts: list[str], budget: int) -> tuple[Any, ...]:
    """What a walker in another process is asked."""
    return (tuple(getattr(rules, name) for name in WalkRules.__dataclass_fields__), starts, budget)


if __name__ == "__main__":
    serve()
