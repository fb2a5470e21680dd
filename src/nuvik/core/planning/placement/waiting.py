"""How long the user waits for libraries to open, given where they are.

Opening takes `cpu + sequential / read speed + small reads / small reads per second`; waiting is that times opens
per week. The figures by kind are assumed, in the middle of what such things commonly do; they order drives
rightly before they are calibrated, and are not meant to the second.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.estimate import NOTHING, Estimate
from nuvik.core.model.library import Kind, Library

_SMALL_READ_BYTES, _SMALL_READS_A_FILE = 4096, 200
"""What holds little is not read often: a small read is of a page, and a file is read so many times at most."""


@dataclass(frozen=True, slots=True)
class Opening:
    """What opening a library of one kind takes. All figures are assumed, but for the sources of `streams`."""

    cpu_s: float
    """Work that no drive makes quicker."""
    share_read: float
    """The share of its bytes read in sequence …"""
    most_read_bytes: int
    """… but never more than this."""
    small_reads: int
    streams_bytes_per_s: int | None = None
    """What it must be read at, without a pause, while it is used; None where nothing breaks off."""
    source: str = "assumed"
    """Where that figure comes from."""


_VIDEO_STREAM = "128 Mbit/s, the highest rate of an Ultra HD disc (Blu-ray Disc Association, white paper, 2015)"
_SOUND_STREAM = "two channels of 24 bit at 192 kHz, not compressed: 9.2 Mbit/s"

OPENINGS: dict[Kind, Opening] = {
    Kind.GAME: Opening(4.0, 0.05, 3_000_000_000, 4_000),
    Kind.PROGRAM: Opening(1.5, 0.20, 1_000_000_000, 3_000),
    Kind.VIDEO: Opening(0.5, 0.001, 50_000_000, 60, 16_000_000, _VIDEO_STREAM),
    Kind.PHOTO: Opening(1.0, 0.01, 600_000_000, 900),
    Kind.SOUND: Opening(0.5, 0.01, 100_000_000, 150, 1_152_000, _SOUND_STREAM),
    Kind.DOCUMENT: Opening(0.3, 0.05, 50_000_000, 60),
    Kind.PROJECT: Opening(3.0, 0.10, 4_000_000_000, 2_500),
    Kind.CACHE: Opening(0.5, 0.05, 1_000_000_000, 2_000),
    Kind.BACKUP: Opening(1.0, 0.02, 1_000_000_000, 300),
    Kind.DOWNLOAD: Opening(0.3, 0.05, 200_000_000, 20),
    Kind.DISC_IMAGE: Opening(1.0, 0.02, 700_000_000, 100),
    Kind.OTHER: Opening(1.0, 0.05, 500_000_000, 300),
}


@dataclass(frozen=True, slots=True)
class OpeningTime:
    """Where the seconds of one opening come from."""

    computing_s: float
    sequence_s: float
    """Reading in sequence."""
    small_reads_s: float

    @property
    def reading_s(self) -> float:
        return self.sequence_s + self.small_reads_s

    @property
    def total_s(self) -> float:
        return self.computing_s + self.reading_s


def opening_time(library: Library, drive: Drive) -> OpeningTime:
    """What opening a library once from a drive takes, by its kind and by what the user timed. Of a library in pieces,
    the body has the computing, and each piece its share of what is read.
    """
    piece = library.piece
    kind, size, files, share, computes = library.kind, library.bytes, library.files, 1.0, True
    if piece is not None:
        kind, size, files, share, computes = piece.kind, piece.bytes, piece.files, piece.reads, piece.body
    opening = OPENINGS[kind]
    sequential = min(size * opening.share_read, opening.most_read_bytes)
    small_reads = min(opening.small_reads, size // _SMALL_READ_BYTES, max(1, files) * _SMALL_READS_A_FILE)
    factor = library.opening_factor
    return OpeningTime(
        (opening.cpu_s if computes else 0.0) * factor,
        sequential / drive.read_bytes_per_s * share * factor,
        small_reads / drive.small_reads_per_s * share * factor,
    )


def opening_s(library: Library, drive: Drive) -> float:
    """Seconds to open a library once from a drive."""
    return opening_time(library, drive).total_s


def factor_for(library: Library, drive: Drive, took_s: float) -> float:
    """How many times as long as reckoned it takes, where opening it from this drive took so many seconds. One timing
    cannot tell computing from reading, so all of it counts alike.
    """
    return took_s / (opening_s(library, drive) / library.opening_factor)


def waiting_s_per_week(library: Library, drive: Drive) -> float:
    """Seconds per week spent waiting for one library."""
    return opening_s(library, drive) * library.opens_per_week


def waiting_of(placed: Iterable[tuple[Library, Drive]]) -> Estimate:
    """Seconds per week over libraries and the drives they stand on, with the doubt about the drives' speeds."""
    total = NOTHING
    for library, drive in placed:
        if library.opens_per_week:
            opening, often = opening_time(library, drive), library.opens_per_week
            cpu_s, read_s = opening.computing_s * often, opening.reading_s * often
            doubt = drive.read_doubt
            total += Estimate(cpu_s + read_s / doubt, cpu_s + read_s, cpu_s + read_s * doubt)
    return total


def change_of(before: Iterable[tuple[Library, Drive]], after: Iterable[tuple[Library, Drive]]) -> Estimate:
    """By how many seconds per week the waiting becomes less; below zero when it becomes more.

    A drive slower than stated is so before and after, so its doubt counts once, on the difference: for each drive
    what was read from it less what is going to be.
    """
    by_drive: dict[str, tuple[Drive, float]] = {}
    saved_s = 0.0
    for placed, sign in ((before, 1), (after, -1)):
        for library, drive in placed:
            if library.opens_per_week:
                opening, often = opening_time(library, drive), library.opens_per_week
                cpu_s, read_s = opening.computing_s * often, opening.reading_s * often
                saved_s += sign * cpu_s
                by_drive[drive.id] = (drive, by_drive.get(drive.id, (drive, 0.0))[1] + sign * read_s)
    bounds = [sorted((read_s / drive.read_doubt, read_s * drive.read_doubt)) for drive, read_s in by_drive.values()]
    return Estimate(
        saved_s + sum(low for low, _ in bounds),
        saved_s + sum(read_s for _, read_s in by_drive.values()),
        saved_s + sum(high for _, high in bounds),
    )


def needed_read_bytes_per_s(library: Library) -> int | None:
    """How fast a library must be read while it is used: what its card says, else what its kind needs."""
    return library.needs_read_bytes_per_s or OPENINGS[library.kind].streams_bytes_per_s
