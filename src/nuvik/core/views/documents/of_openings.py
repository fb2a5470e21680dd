"""Documents about openings that were recorded."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.library import Library
from nuvik.core.model.opening import OtherRead, Recording, Taste, Warm


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordingDocument:
    """One opening of a library, as it was watched."""

    library: str
    drive: str
    taken_at: str
    seconds: float
    """From the start until it was ready for use."""
    bytes_read: int
    """Of its files, what came into memory, read-ahead included."""
    runs: int
    """Stretches of bytes in a row: each costs a drive with platters a seek."""
    files_read: int
    """Files of which anything was read."""
    computing_s: float
    """Processor time of the programs that had its files open."""
    certainty: str
    """pages: seen page by page; counters: only what its drive read is known."""
    elsewhere_bytes: dict[str, int]
    """By drive id: what other drives read meanwhile."""
    others: tuple[OtherRead, ...]
    """Other libraries that it needed."""
    doubts: tuple[str, ...]
    """Why this may not be all."""

    @classmethod
    def of(cls, library: Library, recording: Recording) -> RecordingDocument:
        return cls(
            library=library.name,
            drive=recording.drive,
            taken_at=recording.taken_at,
            seconds=recording.seconds,
            bytes_read=recording.bytes_read,
            runs=recording.runs,
            files_read=recording.files_read,
            computing_s=recording.computing_s,
            certainty=recording.certainty,
            elsewhere_bytes=recording.elsewhere_bytes or {},
            others=recording.others,
            doubts=recording.doubts,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class TasteDocument:
    """How a library would open from another drive."""

    library: str
    drive: str
    """Where it was tasted."""
    here_s: float
    """An opening from where it is, as recorded."""
    there_s: float
    """An opening from there."""
    low_s: float
    """As the quickest pass has it."""
    high_s: float
    """As the slowest pass has it."""
    copied_bytes: int
    """Written there to find that out, and removed."""
    reads_here_s: float
    """Of an opening: reading where it is now."""
    reads_there_s: float
    """Of an opening: reading there."""

    @classmethod
    def of(cls, library: Library, taste: Taste) -> TasteDocument:
        return cls(
            library=library.name,
            drive=taste.drive,
            here_s=taste.here_s,
            there_s=taste.there_s,
            low_s=taste.low_s,
            high_s=taste.high_s,
            copied_bytes=taste.copied_bytes,
            reads_here_s=taste.reads_here_s,
            reads_there_s=taste.reads_there_s,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class TastesDocument:
    """How a library would open from other drives."""

    tastes: tuple[TasteDocument, ...]
    """Drive by drive."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordingsDocument:
    """All recordings of a library, the oldest first."""

    library: str
    recordings: tuple[RecordingDocument, ...]
    inside: tuple[Warm, ...]
    """Folder by folder, what was ever read."""

    @classmethod
    def of(cls, library: Library, recordings: Sequence[Recording], inside: Sequence[Warm]) -> RecordingsDocument:
        rows = tuple(RecordingDocument.of(library, each) for each in recordings)
        return cls(library=library.name, recordings=rows, inside=tuple(inside))
