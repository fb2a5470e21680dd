"""The checksum of a file's contents (xxh3-128), the same whether its empty stretches are holes or zeros.

Contents are taken in grains of 64 KiB; a grain of zeros adds nothing, every other adds its place and its bytes,
and the length closes the sum. So a file of a terabyte that is nearly all hole is summed in no time, and a copy on
a file system without holes still has the same sum.
"""

from __future__ import annotations

import struct

import xxhash

from nuvik.core.hosts.file_contents import Block

_GRAIN = 64 * 1024
_FIRST_PLACE = struct.pack("<Q", 0)


class Checksum:
    """Blocks must be added in order and begin on whole grains, as `Files.blocks` gives them."""

    def __init__(self) -> None:
        self._hash = xxhash.xxh3_128()
        self.length = 0

    def add(self, block: Block) -> None:
        self.length = block.offset + block.length
        if block.data is None:
            return
        view = memoryview(block.data)
        for start in range(0, block.length, _GRAIN):
            # Bytes are compared at the speed of memory, a view item by item; most grains need neither.
            if block.data[start] or bytes(view[start : start + _GRAIN]).strip(b"\0"):
                self._hash.update(struct.pack("<Q", block.offset + start))
                self._hash.update(view[start : start + _GRAIN])

    def hex(self) -> str:
        closed = self._hash.copy()
        closed.update(struct.pack("<Q", self.length))
        return closed.hexdigest()


def checksum_of_whole(contents: bytes) -> str:
    """The checksum of a file that was read whole."""
    if len(contents) > _GRAIN:
        checksum = Checksum()
        checksum.add(Block(0, len(contents), contents))
        return checksum.hex()
    # Most files are one grain: the same sum with less ado.
    if contents.strip(b"\0"):
        only = xxhash.xxh3_128(_FIRST_PLACE)
        only.update(contents)
    else:
        only = xxhash.xxh3_128()
    only.update(struct.pack("<Q", len(contents)))
    return only.hexdigest()
