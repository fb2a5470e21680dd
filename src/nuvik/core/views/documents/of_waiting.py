"""Documents about the seconds that openings take."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.library import Kind, Library
from nuvik.core.planning.placement.waiting import known_by
from nuvik.core.views.waiting_rows import WaitingRow


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveWaitingDocument:
    """One opening of a library from one drive, and where its seconds come from."""

    id: str
    """The drive's."""
    label: str
    here: bool
    """Whether the library is on it now."""
    attached: bool
    """Whether the drive is there now."""
    seconds: float
    """One opening from there."""
    low_s: float | None
    high_s: float | None
    """Between what `seconds` lies, as far as timings and recordings tell; null where only its kind does."""
    computing_s: float
    """Of that: computing, wherever it is."""
    sequence_s: float
    """Of that: reading in one go."""
    small_reads_s: float
    """Of that: small reads anywhere."""
    waiting_s_per_week: float

    @classmethod
    def of(cls, row: WaitingRow) -> DriveWaitingDocument:
        low_s, high_s = row.bounds_s or (None, None)
        return cls(
            id=row.drive.id,
            label=row.drive.label,
            here=row.here,
            attached=row.drive.attached,
            seconds=row.opening.total_s,
            low_s=low_s,
            high_s=high_s,
            computing_s=row.opening.computing_s,
            sequence_s=row.opening.sequence_s,
            small_reads_s=row.opening.small_reads_s,
            waiting_s_per_week=row.waiting_s_per_week,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class LibraryWaitingDocument:
    """How long a library takes to open from each drive."""

    library: str
    id: str
    """The library's."""
    kind: Kind
    opens_per_week: float
    source: str
    """Where the seconds come from: assumed by its kind, timed by the user, or recorded."""
    like: int
    """So many recorded libraries of its kind had a say, where its own was never timed or recorded."""
    drives: tuple[DriveWaitingDocument, ...]
    """The one where it is now first, then the quickest first."""

    @classmethod
    def of(cls, library: Library, rows: list[WaitingRow]) -> LibraryWaitingDocument:
        return cls(
            library=library.name,
            id=library.id,
            kind=library.kind,
            opens_per_week=library.opens_per_week,
            source=known_by(library),
            like=library.like.libraries if library.like is not None and known_by(library) == "assumed" else 0,
            drives=tuple(DriveWaitingDocument.of(row) for row in rows),
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class WaitingDocument:
    """What the user waits for, the libraries with the most seconds a week first."""

    libraries: tuple[LibraryWaitingDocument, ...]
