"""What the Title Box reads and computes when it opens a title: declared, the same at each opening.

A stretch from the beginning of its files is read in one go, then pages all over them; computing goes on in between.
"""

from __future__ import annotations

import os
import random
import time
from collections.abc import Sequence

from nuvik.core.model.drive import Drive
from nuvik.core.model.opening import Stretch

COMPUTING_S = 3.5
SHARE_READ, MOST_READ_BYTES, SMALL_READS = 0.04, 150_000_000, 3_500
"""The share of its bytes that is read in one go, but never more than this; and pages all over its files."""
_ADD_ONS = "Add-ons"
"""A folder that is read later, when it is needed."""
_PAGE, _AT_ONCE = 4096, 1 << 20
_SPREAD_BYTES = 40_000_000_000
"""Pages lie within so many bytes from the beginning of a file."""


def reading_of(place: str) -> list[Stretch]:
    """What opening the title at a place reads, in order. Raises OSError."""
    sizes = {
        os.path.relpath(os.path.join(here, name), place): os.path.getsize(os.path.join(here, name))
        for here, _, names in os.walk(place)
        for name in names
        if _ADD_ONS not in here.split(os.sep) and os.path.getsize(os.path.join(here, name)) > _AT_ONCE
    }
    left = round(min(sum(sizes.values()) * SHARE_READ, MOST_READ_BYTES))
    stretches, past = list[Stretch](), dict[str, int]()
    for name, size in sorted(sizes.items()):
        past[name] = min(size, left) // _PAGE * _PAGE
        if past[name]:
            stretches.append(Stretch(file=name, offset=0, bytes=past[name]))
        left -= past[name]
    chance = random.Random(os.path.basename(place))
    names = [name for name, size in sorted(sizes.items()) if size - past[name] > _PAGE]
    pages = {_any_page(chance, names, sizes, past) for _ in range(SMALL_READS)} if names else set()
    in_some_order = sorted(pages)
    chance.shuffle(in_some_order)
    return stretches + [Stretch(file=name, offset=_PAGE * page, bytes=_PAGE) for name, page in in_some_order]


def _any_page(
    chance: random.Random, names: Sequence[str], sizes: dict[str, int], past: dict[str, int]
) -> tuple[str, int]:
    name = chance.choice(names)
    return name, chance.randrange(past[name] // _PAGE + 1, min(sizes[name], past[name] + _SPREAD_BYTES) // _PAGE)


def seconds_from(drive: Drive, stretches: Sequence[Stretch]) -> float:
    """How long that takes from a drive, by the speeds that it declares."""
    read = sum(stretch.bytes for stretch in stretches)
    return COMPUTING_S + read / drive.read_bytes_per_s + len(stretches) / drive.small_reads_per_s


def read_and_compute(place: str, stretches: Sequence[Stretch]) -> None:
    """Open a title for real: read it, and compute in between. Raises OSError."""
    share = COMPUTING_S / max(1, len(stretches))
    handles: dict[str, int] = {}
    try:
        for stretch in stretches:
            if stretch.file not in handles:
                handles[stretch.file] = os.open(os.path.join(place, stretch.file), os.O_RDONLY)
                if hasattr(os, "posix_fadvise"):  # a page is a page: nothing is read ahead
                    os.posix_fadvise(handles[stretch.file], 0, 0, os.POSIX_FADV_RANDOM)
            for offset in range(stretch.offset, stretch.offset + stretch.bytes, _AT_ONCE):
                os.lseek(handles[stretch.file], offset, os.SEEK_SET)
                os.read(handles[stretch.file], min(_AT_ONCE, stretch.offset + stretch.bytes - offset))
            until = time.thread_time() + share
            while time.thread_time() < until:
                pass
    finally:
        for handle in handles.values():
            os.close(handle)
