"""The warm part of a library: what its recorded openings ever read."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass

from nuvik.core.model.opening import FolderShare, Recording, Warm
from nuvik.core.survey.walk.folder_tree import Folder

_NEVER = 0.001
"""A folder of which less than this share was read, and that has less than this share of all stretches, counts as never
read.
"""
_LARGE = 0.05
"""A folder is worth a place of its own from this share of its library on."""


@dataclass(frozen=True, slots=True)
class _Read:
    """What was read of something."""

    bytes: int = 0
    runs: int = 0

    def __add__(self, other: _Read) -> _Read:
        return _Read(self.bytes + other.bytes, self.runs + other.runs)


def warm_parts(folder: Folder, recordings: Iterable[Recording]) -> list[Warm]:
    """What of each folder in a library was ever read, the most first."""
    read = _read_by_folder(recordings)
    whole, runs = folder.extent.bytes or 1, sum(each.runs for each in read.values())
    rows = []
    for inner in folder.below.values():
        size, mine = inner.extent.bytes, read.get(inner.name, _Read())
        cold = mine.bytes <= _NEVER * size and mine.runs <= _NEVER * runs
        rows.append(Warm(inner.name, size, min(size, mine.bytes), size > _LARGE * whole and cold))
    beside = folder.extent.bytes - sum(row.bytes for row in rows)
    if beside > 0:
        rows.append(Warm("", beside, min(beside, read.get("", _Read()).bytes), False))
    return sorted(rows, key=lambda row: (-row.read_bytes, -row.bytes, row.name))


def folder_shares(recordings: Iterable[Recording]) -> tuple[FolderShare, ...]:
    """Of all that its openings ever read, the shares of each folder in a library, the most first; the files beside the
    folders are a row without a path.
    """
    read = _read_by_folder(recordings)
    whole = sum(read.values(), _Read())
    rows = [
        FolderShare(path=path, share=round(mine.bytes / whole.bytes, 6), seeks=round(mine.runs / whole.runs, 6))
        for path, mine in read.items()
        if mine.bytes
    ]
    return tuple(sorted(rows, key=lambda row: (-row.share, row.path)))


def _read_by_folder(recordings: Iterable[Recording]) -> dict[str, _Read]:
    """What was ever read of each folder directly in the library; of the files beside them under no name. What several
    openings read counts once.
    """
    stretches: dict[str, list[tuple[int, int]]] = {}
    for recording in recordings:
        for stretch in recording.stretches:
            stretches.setdefault(stretch.file, []).append((stretch.offset, stretch.offset + stretch.bytes))
    read: dict[str, _Read] = {}
    for name, mine in stretches.items():
        top, sign, _ = name.partition(os.sep)
        key = top if sign else ""
        read[key] = read.get(key, _Read()) + _covered(sorted(mine))
    return read


def _covered(stretches: list[tuple[int, int]]) -> _Read:
    covered = runs = 0
    reached = -1
    for start, end in stretches:
        runs += start > reached
        covered += max(0, end - max(start, reached))
        reached = max(reached, end)
    return _Read(covered, runs)
