"""What does not open while a drive is away, and what still does."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_count
from nuvik.core.planning.drafting.reasons import how_often

_LISTED = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class Without:
    """A drive that is away, or is supposed to be."""

    drive: Drive
    closed: tuple[Library, ...]
    """What does not open then, what is opened most first."""
    by_new_path: tuple[Library, ...]
    """What is elsewhere, but is only reached by its new path: the link at its old one is on that drive."""
    opens: int
    """How many libraries still open."""
    fallbacks: Mapping[str, Library] = field(default_factory=dict)
    """By the id of what does not open: the library that is used in its place, where that opens."""


def without(snapshot: Snapshot, drive_id: str | None = None) -> list[Without]:
    """The drives that are away; or the one that is supposed to be, by its id."""
    wanted = [drive for drive in snapshot.drives if (drive.id == drive_id if drive_id else not drive.attached)]
    gone = {drive.id for drive in wanted} | {drive.id for drive in snapshot.drives if not drive.attached}
    rows = []
    for drive in wanted:
        closed = [library for library in snapshot.libraries if library.drive == drive.id]
        linked = [
            library
            for library in snapshot.libraries
            if library.drive not in gone and library.tether is not None and drive.holds(library.tether) is not None
        ]
        opens = [library for library in snapshot.libraries if library.drive not in gone]
        fallbacks = {
            library.id: fallback
            for library in closed
            if (fallback := snapshot.fallback_of(library)) is not None and fallback.drive not in gone
        }
        rows.append(
            Without(
                drive=drive,
                closed=_by_use(closed),
                by_new_path=_by_use(linked),
                opens=len(opens) - len(linked),
                fallbacks=fallbacks,
            )
        )
    return rows


def away_lines(rows: Sequence[Without]) -> Iterator[str]:
    """What `nuvik away` says."""
    if not rows:
        yield "No drive is away that Nuvik knows."
    for row in rows:
        label = shown(row.drive.label)
        how = f"{label} is away" if not row.drive.attached else f"Without {label}"
        if not row.closed and not row.by_new_path:
            yield f"{how}: everything still opens."
            continue
        still = format_count(row.opens, "library still opens", "libraries still open")
        yield f"{how}: {format_count(len(row.closed), 'library does', 'libraries do')} not open; {still}."
        for library in row.closed[:_LISTED]:
            often = f", opened {how_often(library.opens_per_week)}" if library.opens_per_week else ""
            fallback = row.fallbacks.get(library.id)
            instead = f"; {shown(fallback.name)} opens in its place" if fallback is not None else ""
            yield f"  {shown(library.name)} ({library.kind}{often}){instead}"
        if len(row.closed) > _LISTED:
            yield f"  and {len(row.closed) - _LISTED} more"
        for library in row.by_new_path:
            yield f"  {shown(library.name)} opens only by its new path, {shown(library.path)}"


def _by_use(libraries: Sequence[Library]) -> tuple[Library, ...]:
    return tuple(sorted(libraries, key=lambda library: (-library.opens_per_week, -library.on_disk_bytes, library.name)))
