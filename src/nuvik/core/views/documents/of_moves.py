"""Documents about carrying: events, the logbook, taking back, what was left behind."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Any

from nuvik.core.carrying.mending.mend import Mended
from nuvik.core.model.journal import Move, State
from nuvik.core.model.leftover import Leftover, Repair
from nuvik.core.model.library import Kind
from nuvik.core.model.opening import Afterwards
from nuvik.core.model.paths import PathText
from nuvik.core.model.progress import Event
from nuvik.core.model.tether import TetherKind


@dataclass(frozen=True, slots=True, kw_only=True)
class EventDocument:
    """A thing that happened while carrying: one object a line. What an event does not tell is left out."""

    event: str
    """step-started, progress, copied, proven, switched, on-trial, released, undone, stopped or done."""
    n: int
    move: int
    library: str
    done_bytes: int
    """Of the phase at hand."""
    total_bytes: int
    """Of the phase at hand."""
    state: str | None = None
    phase: str | None = None
    """Of progress: copying or proving."""
    elapsed_s: float | None = None
    """Of progress: since the phase began."""
    bytes_per_s: float | None = None
    """Of progress: how fast it goes."""
    read_from_medium: bool | None = None
    """Of proven: false when the copy could not be read from the medium of its drive."""
    by_old_path: bool | None = None
    """Of switched: whether the old path opens the library."""
    freed_bytes: dict[str, int] | int | None = None
    """Of released and undone: measured on the source drive; of done and stopped: by drive id."""
    expected_freed_bytes: dict[str, int] | None = None
    """Of done and stopped: by drive id."""
    problem: str | None = None
    """Of stopped: why; of undone: what is left."""
    next_step: str | None = None
    """Of stopped: what to do."""

    @classmethod
    def of(cls, event: Event) -> EventDocument:
        known = {field.name for field in fields(cls)}
        return cls(
            event=event.event,
            n=event.n,
            move=event.move,
            library=event.library,
            done_bytes=event.done_bytes,
            total_bytes=event.total_bytes,
            **{name: value for name, value in event.detail.items() if name in known},
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class MoveDocument:
    """A move of the journal."""

    id: int
    """Its number, by which it is taken back or released."""
    run: int
    """Moves of one run were carried together."""
    n: int
    library: PathText
    kind: Kind
    path: PathText
    """Its old path."""
    target_path: PathText
    from_drive: str
    to_drive: str
    bytes: int
    files: int
    state: State
    in_words: str
    on_trial: bool
    tether: TetherKind
    undoes: int | None
    """The move that this one takes back, when it is an undo by copying."""
    started_at: str | None
    ended_at: str | None
    expected_s: float
    actual_s: float
    expected_freed_bytes: int
    freed_bytes: int | None
    problem: str | None

    @classmethod
    def of(cls, move: Move) -> MoveDocument:
        data: dict[str, Any] = {
            field.name: getattr(move, field.name) for field in fields(cls) if hasattr(move, field.name)
        }
        return cls(
            **data
            | {
                "path": move.source,
                "target_path": move.target,
                "from_drive": move.source_drive,
                "to_drive": move.target_drive,
                "in_words": move.state.in_words,
                "expected_freed_bytes": move.frees_bytes,
            }
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class LogbookDocument:
    """Every move, newest first."""

    moves: tuple[MoveDocument, ...]
    openings: tuple[Afterwards, ...]
    """Of moved libraries that were recorded before."""

    @classmethod
    def of(cls, moves: Sequence[Move], openings: Sequence[Afterwards]) -> LogbookDocument:
        return cls(moves=tuple(MoveDocument.of(move) for move in moves), openings=tuple(openings))


@dataclass(frozen=True, slots=True, kw_only=True)
class QueueDocument:
    """Moves that wait, after one was left out or became the next."""

    moves: tuple[MoveDocument, ...]
    """Those that this call was about."""


@dataclass(frozen=True, slots=True, kw_only=True)
class WayBackDocument:
    """How a move would be taken back."""

    move: int
    library: str
    says: str


@dataclass(frozen=True, slots=True, kw_only=True)
class UndoDocument:
    """What would be taken back; nothing was changed."""

    moves: tuple[WayBackDocument, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class FindingDocument:
    """Something of Nuvik's on a drive."""

    kind: str
    """incoming, held, tether or setting."""
    drive: str
    path: PathText
    library: str | None
    summary: str
    """What it is and what would be right, in words."""
    right: str | None
    """What would be right; null where all is well."""
    repair: Repair
    can_fix: bool
    """Whether it can be mended safely."""
    fixed: bool
    """Whether this call mended it."""
    move: int | None
    known: bool
    """Whether the journal knows that move."""


@dataclass(frozen=True, slots=True, kw_only=True)
class MendedDocument:
    """What became of something that was to be mended."""

    path: PathText
    done: str
    """What was done; empty when nothing could be."""
    problem: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class MendDocument:
    """What of Nuvik's is on the drives, and what became of that which was mended."""

    findings: tuple[FindingDocument, ...]
    mended: tuple[MendedDocument, ...]

    @classmethod
    def of(cls, leftovers: Sequence[Leftover], mended: Sequence[Mended]) -> MendDocument:
        fixed = {each.leftover.path for each in mended if each.problem is None}
        return cls(
            findings=tuple(
                FindingDocument(
                    kind="tether" if leftover.role == "link" else leftover.role,
                    drive=leftover.drive,
                    path=leftover.path,
                    library=leftover.library or None,
                    summary=f"{leftover.what} {leftover.right}".strip(),
                    right=leftover.right or None,
                    repair=leftover.repair,
                    can_fix=leftover.repair is not Repair.NONE,
                    fixed=leftover.path in fixed,
                    move=leftover.move.id if leftover.move else None,
                    known=leftover.known,
                )
                for leftover in leftovers
            ),
            mended=tuple(
                MendedDocument(
                    path=each.leftover.path, done=each.done, problem=each.problem.what if each.problem else None
                )
                for each in mended
            ),
        )
