"""Documents about how things stand, and about drives that come and go."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.clock import moment_text
from nuvik.core.model.ejecting import Ejected
from nuvik.core.model.fallback import Newer, NewerFile
from nuvik.core.model.free_history import History
from nuvik.core.model.guide import Guide, Story
from nuvik.core.model.library import Library
from nuvik.core.model.paths import PathText
from nuvik.core.views.away_sentences import Without
from nuvik.core.views.guide_sentences import GuideRow, guide_rows
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
class InPlaceDocument:
    """A library that does not open, and the one that is used in its place."""

    library: PathText
    falls_back_to: PathText


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
    fallbacks: tuple[InPlaceDocument, ...]
    """Those that do not open and have a fallback that does."""


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
                    fallbacks=tuple(
                        InPlaceDocument(library=library.path, falls_back_to=row.fallbacks[library.id].path)
                        for library in row.closed
                        if library.id in row.fallbacks
                    ),
                )
                for row in rows
            )
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class FallbackDocument:
    """A library and its fallback."""

    library: PathText
    falls_back_to: PathText
    drive: str
    """Of the fallback."""
    bytes: int
    """Of the fallback."""
    compared: bool
    """False where one of the two is away, or cannot be looked at."""
    in_step: bool
    """Neither has anything newer, and the fallback nothing of its own."""
    same: int
    """So many files are the same in both."""
    newer_in_library: tuple[NewerFile, ...]
    """What was changed later in the library."""
    newer_in_fallback: tuple[NewerFile, ...]
    """What was changed later in the fallback."""
    only_in_fallback: tuple[NewerFile, ...]
    """What the library has not."""
    only_in_library: int
    """So many files are only in the library."""

    @classmethod
    def of(cls, library: Library, fallback: Library, newer: Newer | None) -> FallbackDocument:
        return cls(
            library=library.path,
            falls_back_to=fallback.path,
            drive=fallback.drive,
            bytes=fallback.bytes,
            compared=newer is not None,
            in_step=newer is not None and newer.in_step,
            same=newer.same if newer else 0,
            newer_in_library=newer.in_library if newer else (),
            newer_in_fallback=newer.in_fallback if newer else (),
            only_in_fallback=newer.only_fallback if newer else (),
            only_in_library=len(newer.only_library) if newer else 0,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class FallbacksDocument:
    """What is used in place of libraries whose drives may be away."""

    fallbacks: tuple[FallbackDocument, ...]
    """One by one."""


@dataclass(frozen=True, slots=True, kw_only=True)
class GuideDocument:
    """A story of a drive, step by step."""

    story: Story
    """Which."""
    drive: str
    steps: tuple[GuideRow, ...]
    """In order."""

    @classmethod
    def of(cls, guide: Guide) -> GuideDocument:
        return cls(story=guide.story, drive=guide.drive.id, steps=tuple(guide_rows(guide)))


@dataclass(frozen=True, slots=True, kw_only=True)
class FreePoint:
    """How much was free at a moment."""

    at: str
    """ISO 8601 in UTC."""
    free_bytes: int
    """So much was free."""


@dataclass(frozen=True, slots=True, kw_only=True)
class WaitingPoint:
    """How long was waited in a week, with the speeds known now."""

    at: str
    """ISO 8601 in UTC."""
    waiting_s_per_week: float
    """So long."""


@dataclass(frozen=True, slots=True, kw_only=True)
class MovedPoint:
    """When something was moved to the drive or off it."""

    at: str
    """ISO 8601 in UTC."""
    library: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveHistoryDocument:
    """One drive over time."""

    drive: str
    label: str
    points: tuple[FreePoint, ...]
    """At each survey, the oldest first, and now at the end."""
    moves: tuple[MovedPoint, ...]
    bytes_per_week: float | None
    """How fast it fills; null where that is not known."""
    bought_weeks: float | None
    """For how many weeks of growth the last plan made room; null where it made none, or nothing grows."""


@dataclass(frozen=True, slots=True, kw_only=True)
class HistoryDocument:
    """Free space and waiting over time."""

    drives: tuple[DriveHistoryDocument, ...]
    waiting: tuple[WaitingPoint, ...]
    """At each survey, the oldest first."""

    @classmethod
    def of(cls, history: History) -> HistoryDocument:
        return cls(
            drives=tuple(
                DriveHistoryDocument(
                    drive=row.drive.id,
                    label=row.drive.label,
                    points=tuple(FreePoint(at=moment_text(at_s), free_bytes=free) for at_s, free in row.points),
                    moves=tuple(MovedPoint(at=moment_text(at_s), library=library) for at_s, library in row.moves),
                    bytes_per_week=row.bytes_per_week,
                    bought_weeks=row.weeks_bought,
                )
                for row in history.drives
            ),
            waiting=tuple(
                WaitingPoint(at=moment_text(at_s), waiting_s_per_week=seconds) for at_s, seconds in history.waiting
            ),
        )
