"""Documents about how things stand, and about drives that come and go."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.ejecting import Ejected
from nuvik.core.views.away_sentences import Without
from nuvik.core.views.status_sentences import Matter, status_headline


@dataclass(frozen=True, slots=True, kw_only=True)
class StatusDocument:
    """How things stand, what needs a decision first."""

    headline: str
    """In one sentence."""
    asks: int
    """So many of the matters need a decision."""
    matters: tuple[Matter, ...]
    """One by one."""

    @classmethod
    def of(cls, every: Sequence[Matter]) -> StatusDocument:
        return cls(headline=status_headline(list(every)), asks=sum(each.asks for each in every), matters=tuple(every))


@dataclass(frozen=True, slots=True, kw_only=True)
class EjectDocument:
    """A drive whose cable may be pulled."""

    drive: str
    label: str
    switched_off: bool
    """Whether its disk was switched off, too."""

    @classmethod
    def of(cls, ejected: Ejected) -> EjectDocument:
        return cls(drive=ejected.drive, label=ejected.label, switched_off=ejected.switched_off)


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveAwayDocument:
    """What does not open while one drive is away."""

    drive: str
    label: str
    attached: bool
    """True where it is only supposed to be away."""
    closed: tuple[str, ...]
    """Paths of the libraries that do not open then, what is opened most first."""
    by_new_path: tuple[str, ...]
    """Paths of those that open, but only there: the link at the old path is on that drive."""
    opens: int
    """So many libraries still open."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AwayDocument:
    """What does not open while drives are away."""

    drives: tuple[DriveAwayDocument, ...]

    @classmethod
    def of(cls, rows: Sequence[Without]) -> AwayDocument:
        return cls(
            drives=tuple(
                DriveAwayDocument(
                    drive=row.drive.id,
                    label=row.drive.label,
                    attached=row.drive.attached,
                    closed=tuple(library.path for library in row.closed),
                    by_new_path=tuple(library.path for library in row.by_new_path),
                    opens=row.opens,
                )
                for row in rows
            )
        )
