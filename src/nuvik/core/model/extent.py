"""Extent: what a tree of files takes, and what it would take on a drive with clusters of another size."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

UNIT_BYTES = 512
"""Sizes are distinguished in steps of this; no file system in use has smaller clusters."""
_LEADING_BITS = 9


def size_class(size_bytes: int) -> int:
    """The class of a file's size: its length in units of 512 bytes, rounded up; above 512 units to nine leading bits.

    The coarse classes are whole multiples of their step, so the clusters that a file takes follow from its class
    exactly for clusters of at least that step, and within one part in 256 for smaller ones.
    """
    units = -(-size_bytes // UNIT_BYTES)
    if units > 1 << _LEADING_BITS:
        shift = units.bit_length() - _LEADING_BITS
        units = -(-units >> shift) << shift
    return units


def classes_of(sizes: Iterable[int]) -> dict[int, int]:
    """How many of these lengths fall in each class."""
    classes: dict[int, int] = {}
    for size in sizes:
        units = size_class(size)
        classes[units] = classes.get(units, 0) + 1
    return classes


def room_bytes(histogram: Mapping[int, int], cluster_bytes: int) -> int:
    """What files of these classes take on a drive with clusters of this size: at most 1 % from the truth."""
    total = 0
    for units, count in histogram.items():
        total += -(-units * UNIT_BYTES // cluster_bytes) * cluster_bytes * count
    return total


@dataclass(frozen=True, slots=True, kw_only=True)
class Extent:
    """The sums over one tree. A file with several names in the tree counts once; a link is never followed."""

    bytes: int = 0
    """The lengths of its files."""
    on_disk_bytes: int = 0
    """What it really holds: less for files with holes or compression, more for many small files; folders included."""
    files: int = 0
    folders: int = 0
    """The tree's root counts as one."""
    largest_file_bytes: int = 0
    largest_file: str = ""
    """Relative to the root."""
    newest_content_s: float | None = None
    newest_access_s: float | None = None
    """Seconds since 1970; None for a tree without files."""
    cold_bytes: int = 0
    """Of files neither read nor written for a year."""
    programs: int = 0
    """Files that may be run."""
    not_here_files: int = 0
    not_here_bytes: int = 0
    """Placeholders, whose contents are with a cloud service: no part of the sums above."""
    links: int = 0
    special: int = 0
    """Sockets, pipes and devices."""
    sub_volumes: int = 0
    """Sub-volumes of its drive that lie in it, or that it is."""
    hole_bytes: int = 0
    """By how much its files are longer than what they hold on the disk: holes, or compression."""

    @property
    def last_used_s(self) -> float | None:
        """The newest access or change of any file."""
        if self.newest_content_s is None or self.newest_access_s is None:
            return self.newest_content_s
        return max(self.newest_content_s, self.newest_access_s)
