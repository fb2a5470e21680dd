"""A walker in a process of its own: slices go to it and sums come back, as `marshal` writes them."""

from __future__ import annotations

import gc
import marshal
import signal
import sys
from operator import attrgetter
from typing import IO, Any

from nuvik.core.survey.walk.no_collecting import no_collecting
from nuvik.core.survey.walk.walk_slice import Sums, WalkRules, walk_slice


def packed(sums: list[Sums]) -> list[tuple[Any, ...]]:
    """Sums as plain tuples, for `marshal`."""
    return [_values(part_sums) for part_sums in sums]


def unpacked(rows: list[tuple[Any, ...]]) -> list[Sums]:
    return [Sums(*row) for row in rows]


READY = b"!"
"""What a walker says first."""
_LENGTH_BYTES = 8
_values = attrgetter(*Sums.__dataclass_fields__)


def serve() -> None:
    """Walk the slices that come on standard input, each as `marshal` writes it, until there are no more."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever asked for the slices decides when it ends
    tasks, answers = sys.stdin.buffer, sys.stdout.buffer
    answers.write(READY)
    answers.flush()
    gc.disable()  # nothing here refers to itself
    while True:
        try:
            rules, starts, budget = receive(tasks)
        except EOFError:
            return
        sums, left, seen = walk_slice(WalkRules(*rules), starts, budget)
        send((packed(sums), left, seen), answers)


def send(value: Any, stream: IO[bytes]) -> None:
    """Write a plain value, with its length before it. Raises OSError."""
    data = marshal.dumps(value)
    stream.write(len(data).to_bytes(_LENGTH_BYTES, "little") + data)
    stream.flush()


def receive(stream: IO[bytes]) -> Any:
    """Read a value that was sent. Raises EOFError at the end, ValueError where it is none.

    `marshal` by itself asks a stream for every number in it, which took most of the time of the process that waits.
    """
    length = stream.read(_LENGTH_BYTES)
    if len(length) < _LENGTH_BYTES:
        raise EOFError
    data = stream.read(int.from_bytes(length, "little"))
    with no_collecting():
        return marshal.loads(data)


def task(rules: WalkRules, starts: list[str], budget: int) -> tuple[Any, ...]:
    """What a walker in another process is asked."""
    return (tuple(getattr(rules, name) for name in WalkRules.__dataclass_fields__), starts, budget)
