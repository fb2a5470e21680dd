"""Batches: small files go many at a time, everything else by itself."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from nuvik.core.hosts.small_files import MOST_BYTES_IN_BATCH, MOST_IN_BATCH
from nuvik.core.model.inventory import EntryRecord


def batches(entries: Iterable[EntryRecord], goes_whole: Callable[[EntryRecord], bool]) -> Iterator[list[EntryRecord]]:
    """The entries in their order, those that go whole in batches, the others each by itself."""
    small: list[EntryRecord] = []
    held_bytes = 0
    for entry in entries:
        whole = goes_whole(entry)
        if small and (not whole or len(small) == MOST_IN_BATCH or held_bytes + entry.size > MOST_BYTES_IN_BATCH):
            yield small
            small, held_bytes = [], 0
        if whole:
            small.append(entry)
            held_bytes += entry.size
        else:
            yield [entry]
    if small:
        yield small
