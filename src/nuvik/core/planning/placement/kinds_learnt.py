"""What recorded libraries tell of others of their kind: with each recording, the table of kinds counts for less."""

from __future__ import annotations

import math
import statistics
from collections.abc import Iterable, Sequence
from dataclasses import replace

from nuvik.core.model.library import Kind, Library
from nuvik.core.model.opening import KindLearnt, ReadPattern
from nuvik.core.planning.placement.waiting import known_by, table_opening

_TABLE_COUNTS = 3
"""Assumed: the table of kinds weighs as much as so many recorded libraries; what fewer tell may be chance."""
_MOST, _TINY = 50.0, 1e-3


def with_kinds_learnt(libraries: Sequence[Library]) -> tuple[Library, ...]:
    """The libraries; those that were never timed know what the recorded ones of their kind tell."""
    learnt = {kind: _learnt(each for each in libraries if each.kind is kind) for kind in Kind}
    return tuple(
        library if library.like == learnt[library.kind] else replace(library, like=learnt[library.kind])
        for library in libraries
    )


def _learnt(libraries: Iterable[Library]) -> KindLearnt | None:
    """How the recorded ones compare with the table: the middle of their ratios, among which the table's own 1 counts
    several times. A single odd library cannot turn it. None where none was recorded.
    """
    ratios = [
        _beside_the_table(library, library.pattern)
        for library in libraries
        if library.pattern is not None and known_by(library) == "recorded"
    ]
    if not ratios:
        return None
    sequence, small_reads, computing = (_middle(values) for values in zip(*ratios, strict=True))
    return KindLearnt(libraries=len(ratios), sequence=sequence, small_reads=small_reads, computing=computing)


def _beside_the_table(library: Library, pattern: ReadPattern) -> tuple[float, float, float]:
    """Of a recorded library: reading in sequence, small reads and computing, each compared with the table."""
    table = table_opening(library)
    factor, computing_s = library.opening_factor, library.computing_s
    return (
        factor * pattern.bytes / max(1.0, table.sequential_bytes),
        factor * pattern.runs / max(1.0, table.small_reads),
        1.0 if computing_s is None else computing_s / table.cpu_s,
    )


def _middle(ratios: Iterable[float]) -> float:
    logs = [math.log(min(_MOST, max(_TINY, ratio))) for ratio in ratios]
    return round(math.exp(statistics.median(logs + [0.0] * _TABLE_COUNTS)), 4)
