"""Batches: small files go many at a time, everything else by itself."""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator

from nuvik.core.hosts.small_files import MOST_BYTES_IN_BATCH, MOST_IN_BATCH
from nuvik.core.model.inventory import EntryRecord


def batches(
    entries: Iterable[EntryRecord], most_bytes: int, not_whole: Container[str] = ()
) -> Iterator[tuple[bool, list[EntryRecord]]]:
    """The entries in their order: files of up to so many bytes in batches, which go whole, and the others each by
    itself, as do those whose paths are in `not_whole`. Each comes with whether it goes whole.
    """
    small: list[EntryRecord] = []
    held_bytes = 0
    for entry in entries:
        whole = entry.kind == "file" and entry.size <= most_bytes and entry.path not in not_whole
        if small and (not whole or len(small) == MOST_IN_BATCH or held_bytes + entry.size > MOST_BYTES_IN_BATCH):
            yield True, small
            small, held_bytes = [], 0
        if whole:
            small.append(entry)
            held_bytes += entry.size
        else:
            yield False, [entry]
    if small:
        yield True, small
