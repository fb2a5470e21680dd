"""How long the user waits for libraries to open, given where they are.

Opening takes `cpu + sequential / read speed + small reads / small reads per second`; waiting is that times opens
per week. The figures by kind are assumed, in the middle of what such things commonly do; they order drives
rightly before they are calibrated, and are not meant to the second.
"""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Kind, Library


@dataclass(frozen=True, slots=True)
class Opening:
    """What opening a library of one kind takes."""

    cpu_s: float
    """Work that no drive makes quicker."""
    share_read: float
    """The share of its bytes read in sequence …"""
    most_read_bytes: int
    """… but never more than this."""
    small_reads: int


OPENINGS: dict[Kind, Opening] = {
    Kind.GAME: Opening(4.0, 0.05, 3_000_000_000, 4_000),
    Kind.PROGRAM: Opening(1.5, 0.20, 1_000_000_000, 3_000),
    Kind.VIDEO: Opening(0.5, 0.001, 50_000_000, 60),
    Kind.PHOTO: Opening(1.0, 0.01, 600_000_000, 900),
    Kind.SOUND: Opening(0.5, 0.01, 100_000_000, 150),
    Kind.DOCUMENT: Opening(0.3, 0.05, 50_000_000, 60),
    Kind.PROJECT: Opening(3.0, 0.10, 4_000_000_000, 2_500),
    Kind.CACHE: Opening(0.5, 0.05, 1_000_000_000, 2_000),
    Kind.BACKUP: Opening(1.0, 0.02, 1_000_000_000, 300),
    Kind.DOWNLOAD: Opening(0.3, 0.05, 200_000_000, 20),
    Kind.DISC_IMAGE: Opening(1.0, 0.02, 700_000_000, 100),
    Kind.OTHER: Opening(1.0, 0.05, 500_000_000, 300),
}


def opening_s(library: Library, drive: Drive) -> float:
    """Seconds to open a library once from a drive, by its kind and by what the user timed."""
    opening = OPENINGS[library.kind]
    sequential = min(library.bytes * opening.share_read, opening.most_read_bytes)
    reckoned = opening.cpu_s + sequential / drive.read_bytes_per_s + opening.small_reads / drive.small_reads_per_s
    return reckoned * library.opening_factor


def factor_for(library: Library, drive: Drive, took_s: float) -> float:
    """How many times as long as reckoned it takes, where opening it from this drive took so many seconds. One timing
    cannot tell computing from reading, so all of it counts alike.
    """
    return took_s / (opening_s(library, drive) / library.opening_factor)


def waiting_s_per_week(library: Library, drive: Drive) -> float:
    """Seconds per week spent waiting for one library."""
    return opening_s(library, drive) * library.opens_per_week
