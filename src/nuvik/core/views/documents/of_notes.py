"""Documents about notes on drives."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.drive_note import Adoptable, NotedLibrary
from nuvik.core.model.library import Kind


@dataclass(frozen=True, slots=True, kw_only=True)
class AdoptableDocument:
    """A library of a note, beside what is on the drive."""

    library: str
    kind: Kind
    path: str
    """Where it is on this computer."""
    state: str
    """as noted, changed since, not there, leads out of the drive, or: its contents are not those noted."""
    noted_bytes: int
    """As the note says."""
    bytes: int
    """As it is now; 0 where it is not there."""
    checked: bool
    """Whether its contents were read and compared."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AdoptDocument:
    """What of a note is on its drive, and what was taken over."""

    adopted: int
    """So many cards were taken over."""
    libraries: tuple[AdoptableDocument, ...]
    """One by one."""

    @classmethod
    def of(cls, rows: Sequence[Adoptable], adopted: int) -> AdoptDocument:
        return cls(
            adopted=adopted,
            libraries=tuple(
                AdoptableDocument(
                    library=row.noted.name,
                    kind=row.noted.kind,
                    path=row.place,
                    state=str(row.state),
                    noted_bytes=row.noted.bytes,
                    bytes=row.bytes,
                    checked=row.checked,
                )
                for row in rows
            ),
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveNoteDocument:
    """The note on a portable drive, `.nuvik-note.json`: what its libraries are, for another computer."""

    label: str
    """The drive's, on the computer that wrote it."""
    written_at: str
    """ISO 8601 in UTC."""
    libraries: tuple[NotedLibrary, ...]
    """One by one."""
