"""The warm part of a library: what its recorded openings ever read."""

from __future__ import annotations

import os
from collections.abc import Iterable

from nuvik.core.model.opening import FolderShare, Recording, Warm
from nuvik.core.survey.walk.folder_tree import Folder

_NEVER = 0.001
"""A folder of which less than this share was read counts as never read."""
_LARGE = 0.05
"""A folder is worth a place of its own from this share of its library on."""


def warm_parts(folder: Folder, recordings: Iterable[Recording]) -> list[Warm]:
    """What of each folder in a library was ever read, the most first."""
    read = _read_by_folder(recordings)
    whole = folder.extent.bytes or 1
    rows = []
    for inner in folder.below.values():
        size, mine = inner.extent.bytes, min(inner.extent.bytes, read.get(inner.name, 0))
        rows.append(Warm(inner.name, size, mine, size > _LARGE * whole and mine < _NEVER * size))
    beside = folder.extent.bytes - sum(row.bytes for row in rows)
    if beside > 0:
        rows.append(Warm("", beside, min(beside, read.get("", 0)), False))
    return sorted(rows, key=lambda row: (-row.read_bytes, -row.bytes, row.name))


def folder_shares(recordings: Iterable[Recording]) -> tuple[FolderShare, ...]:
    """Of all that its openings ever read, the share of each folder in a library, the most first; the files beside the
    folders are a row without a path.
    """
    read = _read_by_folder(recordings)
    whole = sum(read.values())
    rows = [FolderShare(path=path, share=round(count / whole, 6)) for path, count in read.items() if count]
    return tuple(sorted(rows, key=lambda row: (-row.share, row.path)))


def _read_by_folder(recordings: Iterable[Recording]) -> dict[str, int]:
    """Bytes of each folder directly in the library that were ever read; of the files beside them under no name."""
    read: dict[str, int] = {}
    for name, count in _read_by_file(recordings).items():
        top, sign, _ = name.partition(os.sep)
        key = top if sign else ""
        read[key] = read.get(key, 0) + count
    return read


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
