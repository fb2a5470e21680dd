"""How long the user waits for libraries to open, given where they are.

Opening takes `cpu + sequential / read speed + small reads / small reads per second`; waiting is that times opens
per week. The figures by kind are assumed, in the middle of what such things commonly do; they order drives
rightly before they are calibrated, and are not meant to the second. Of a library whose opening was recorded, what is
read in sequence and how often it has to be sought are those of the recording; and others of its kind are taken to be
like those that were recorded (`kinds_learnt`).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.estimate import NOTHING, Estimate
from nuvik.core.model.library import Kind, Library, Timing

HARDLY_WAITED_FOR, HARDLY = frozenset([Kind.CACHE, Kind.BACKUP]), 0.1
"""Programs read caches and backups while their users do something else: such waiting counts a tenth."""
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
class TableOpening:
    """What the table of kinds says of one opening of a library."""

    cpu_s: float
    sequential_bytes: float
    small_reads: float


def table_opening(library: Library) -> TableOpening:
    """What the table says of a library, or of a piece of it, by its kind and size alone."""
    piece = library.piece
    kind, size, files = (piece or library).kind, (piece or library).bytes, (piece or library).files
    opening = OPENINGS[kind]
    return TableOpening(
        opening.cpu_s,
        min(size * opening.share_read, opening.most_read_bytes),
        min(opening.small_reads, size // _SMALL_READ_BYTES, max(1, files) * _SMALL_READS_A_FILE),
    )


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
    """What opening a library once from a drive takes, by its kind, by what was timed or recorded of it, and by what
    was recorded of others of its kind. Of a library in pieces, the body has the computing, and each piece its share of
    what is read.
    """
    piece, like, table = library.piece, library.like, table_opening(library)
    reads, seeks, computes = (piece.reads, piece.seeks, piece.body) if piece is not None else (1.0, 1.0, True)
    sequential, small_reads, cpu_s = table.sequential_bytes, table.small_reads, table.cpu_s
    if library.pattern is not None:
        sequential, small_reads = library.pattern.bytes, library.pattern.runs
    elif like is not None and known_by(library) == "assumed" and (piece is None or piece.kind is library.kind):
        sequential, small_reads = sequential * like.sequence, small_reads * like.small_reads
        cpu_s *= like.computing
    factor = library.opening_factor
    computing_s = cpu_s * factor if library.computing_s is None else library.computing_s
    return OpeningTime(
        computing_s if computes else 0.0,
        sequential / drive.read_bytes_per_s * reads * factor,
        small_reads / drive.small_reads_per_s * seeks * factor,
    )


def known_by(library: Library) -> str:
    """How well its openings are known: `recorded`, `timed` by the user, or `assumed` by its kind."""
    if any(timing.recorded for timing in library.timings):
        return "recorded"
    return "timed" if library.timings or library.opening_factor != 1.0 else "assumed"


def opening_s(library: Library, drive: Drive) -> float:
    """Seconds to open a library once from a drive."""
    return opening_time(library, drive).total_s


_ONE_RECORDING, _TWO_RECORDINGS = 0.20, 0.10
"""By what share an opening elsewhere may differ from what recordings on one drive, or on two, tell."""
_MOST_FACTOR = 10_000.0
_ALIKE = 1.2
"""Drives from which it is read in times that differ by less than this cannot tell computing from reading."""


def timed(library: Library, timings: Sequence[Timing], drives: Mapping[str, Drive]) -> Library:
    """The library as the user's timings say, the latest last; `drives` are those that are known, by id.

    From one drive all of it counts alike, computing and reading. From two that differ, both are known: opening takes
    `computing + factor × reading`, a line through the two points, neither of them below zero.
    """
    plain = replace(library, opening_factor=1.0, computing_s=None, timings=tuple(timings))
    points = [(opening_time(plain, drives[each.drive]), each.seconds) for each in timings if each.drive in drives]
    if not points:
        return plain
    (latest, took_s), newest = points[-1], timings[-1]
    quick = min(points, key=lambda point: point[0].reading_s)
    slow = max(points, key=lambda point: point[0].reading_s)
    if slow[0].reading_s < _ALIKE * quick[0].reading_s or not quick[0].reading_s:
        if newest.computing_s is not None and latest.reading_s:
            return _by_one_recording(plain, latest.reading_s, took_s, newest.computing_s)
        return replace(plain, opening_factor=_possible(took_s / latest.total_s))
    factor = (slow[1] - quick[1]) / (slow[0].reading_s - quick[0].reading_s)
    # A drive that reads quicker and opens slower tells that reading does not count.
    factor = _possible(min(max(factor, 0.0), quick[1] / quick[0].reading_s))
    computing_s = max(0.0, quick[1] - factor * quick[0].reading_s)
    return replace(plain, opening_factor=factor, computing_s=round(computing_s, 4))


def _by_one_recording(plain: Library, reading_s: float, took_s: float, computing_s: float) -> Library:
    """From one recording: what is not reading is the library's own. Where the drive could not have read so much in the
    time, it reads quicker than it is known to, or while the programs compute: half of their computing is taken for
    their own.
    """
    own_s = took_s - reading_s if took_s >= reading_s else min(took_s, computing_s) / 2
    factor = _possible(min(1.0, (took_s - own_s) / reading_s))
    return replace(plain, opening_factor=factor, computing_s=round(own_s, 4))


def _possible(factor: float) -> float:
    return float(f"{min(_MOST_FACTOR, max(1 / _MOST_FACTOR, factor)):.6g}")


def opening_bounds_s(library: Library, drive: Drive, drives: Mapping[str, Drive]) -> tuple[float, float] | None:
    """Between what the seconds of an opening from a drive lie, as far as the user's timings tell: where there is but
    one, all of it may have been computing, or all of it reading. None where nothing was timed.
    """
    points = [each for each in library.timings if each.drive in drives]
    if not points:
        return None
    if library.computing_s is not None:
        likely_s, drives_known = opening_s(library, drive), len({each.drive for each in points})
        doubt = _ONE_RECORDING if drives_known < 2 else _TWO_RECORDINGS if any(p.recorded for p in points) else 0.0
        if mine := [each for each in points if each.drive == drive.id]:
            doubt = _TWO_RECORDINGS if all(each.tasted for each in mine) else 0.0
        return likely_s / (1 + doubt), likely_s * (1 + doubt)
    there, here = opening_time(library, drive), opening_time(library, drives[points[-1].drive])
    all_reading_s = here.total_s * there.reading_s / here.reading_s if here.reading_s else here.total_s
    return min(here.total_s, all_reading_s), max(here.total_s, all_reading_s)


def waits_per_week(library: Library) -> float:
    """How often a week somebody waits for a library to open: every time, but for caches and backups."""
    return library.opens_per_week * (HARDLY if is_hardly_waited_for(library) else 1.0)


def is_hardly_waited_for(library: Library) -> bool:
    """Whether a library as a whole is read while its users do something else."""
    return library.piece is None and library.kind in HARDLY_WAITED_FOR


def waiting_s_per_week(library: Library, drive: Drive) -> float:
    """Seconds per week spent waiting for one library."""
    return opening_s(library, drive) * waits_per_week(library)


def waiting_of(placed: Iterable[tuple[Library, Drive]]) -> Estimate:
    """Seconds per week over libraries and the drives they stand on, with the doubt about the drives' speeds."""
    total = NOTHING
    for library, drive in placed:
        if library.opens_per_week:
            opening, often = opening_time(library, drive), waits_per_week(library)
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
                opening, often = opening_time(library, drive), waits_per_week(library)
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
