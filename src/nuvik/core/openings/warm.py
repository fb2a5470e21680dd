"""The warm part of a library: what its recorded openings ever read."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass

from nuvik.core.model.opening import Recording
from nuvik.core.survey.walk.folder_tree import Folder

_NEVER = 0.001
"""A folder of which less than this share was read counts as never read."""
_LARGE = 0.05
"""A folder is worth a place of its own from this share of its library on."""


@dataclass(frozen=True, slots=True)
class Warm:
    """A folder directly in a library (or the files beside those), and what of it was ever read."""

    name: str
    """Empty for the files beside the folders."""
    bytes: int
    read_bytes: int
    may_go_apart: bool
    """It is large, and no opening read it."""


def warm_parts(folder: Folder, recordings: Iterable[Recording]) -> list[Warm]:
    """What of each folder in a library was ever read, the most first."""
    read: dict[str, int] = {}
    for name, count in _read_by_file(recordings).items():
        top, sign, _ = name.partition(os.sep)
        key = top if sign else ""
        read[key] = read.get(key, 0) + count
    whole = folder.extent.bytes or 1
    rows = []
    for inner in folder.below.values():
        size, mine = inner.extent.bytes, min(inner.extent.bytes, read.get(inner.name, 0))
        rows.append(Warm(inner.name, size, mine, size > _LARGE * whole and mine < _NEVER * size))
    beside = folder.extent.bytes - sum(row.bytes for row in rows)
    if beside > 0:
        rows.append(Warm("", beside, min(beside, read.get("", 0)), False))
    return sorted(rows, key=lambda row: (-row.read_bytes, -row.bytes, row.name))


def _read_by_file(recordings: Iterable[Recording]) -> dict[str, int]:
    """Bytes of each file that any of them read; what several read counts once."""
    stretches: dict[str, list[tuple[int, int]]] = {}
    for recording in recordings:
        for stretch in recording.stretches:
            stretches.setdefault(stretch.file, []).append((stretch.offset, stretch.offset + stretch.bytes))
    return {name: _covered(sorted(mine)) for name, mine in stretches.items()}


def _covered(stretches: list[tuple[int, int]]) -> int:
    covered = reached = 0
    for start, end in stretches:
        covered += max(0, end - max(start, reached))
        reached = max(reached, end)
    return covered
