"""A snapshot brought up to date with what was carried since it was taken, until the next survey looks itself."""

from __future__ import annotations

import operator
import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.journal import Move, State
from nuvik.core.model.library import Library
from nuvik.core.model.paths import is_within, parents
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.planning.drafting.library_parts import in_pieces, separable

Taken = Callable[[str], bool]
"""Whether something other than a link lies at a path."""


def moved_since(snapshot: Snapshot, moves: Sequence[Move], drives: Sequence[Drive], taken: Taken) -> Snapshot:
    """The snapshot with each library where the journal says that it is now, moved or taken back, as far as the disk
    agrees. `moves` are those of the journal, the first one first; `drives` are the present ones.
    """
    ways = [way for move in moves if (way := _way(move)) is not None]
    starts = {way.start for way in ways}
    touched = starts.union(*map(parents, starts))
    seen = {library.path for library in snapshot.libraries}
    known, libraries = {drive.id: drive for drive in drives}, list[Library]()
    for library in snapshot.libraries:
        if library.path in touched or not starts.isdisjoint(parents(library.path)):
            now = _as_they_are(library, ways, known, taken)
            # Where a survey of some folders has seen it at its new place already, that is the one that counts.
            libraries += [each for each in now if each.path == library.path or each.path not in seen]
        else:
            libraries.append(library)
    if len(libraries) == len(seen) and all(map(operator.is_, libraries, snapshot.libraries)):
        return snapshot
    return replace(snapshot, libraries=tuple(sorted(libraries, key=lambda each: (-each.on_disk_bytes, each.path))))


@dataclass(frozen=True, slots=True)
class _Way:
    """From where to where something went."""

    start: str
    goal: str
    drive: str
    """The id of the drive on which it is then."""
    leaves_link: bool
    """At its start."""


def _way(move: Move) -> _Way | None:
    """What a move of the journal changed for good; None where it changed nothing, or another move tells of it."""
    if move.undoes is not None:
        return None
    if move.state.at_target:
        return _Way(move.source, move.target, move.target_drive, move.tether.keeps_old_path)
    if move.state is State.UNDONE and not move.left_out:
        return _Way(move.target, move.source, move.source_drive, False)
    return None


def _as_they_are(library: Library, ways: Sequence[_Way], drives: dict[str, Drive], taken: Taken) -> tuple[Library, ...]:
    """A library where it is now, with the parts that were moved apart; as it was where the disk does not agree."""
    whole = _followed(library, ways, drives)
    apart = [
        part.path
        for part in separable(library)
        if _end_of(os.path.join(library.path, part.path), ways)[0] != os.path.join(whole.path, part.path)
    ]
    pieces = in_pieces(library, apart) if apart else (library,)
    now = tuple(_followed(replace(piece, piece=None) if apart else piece, ways, drives) for piece in pieces)
    for piece, then in zip(pieces, now, strict=True):
        drive = drives.get(then.drive)
        if piece.path != then.path and (
            drive is None or taken(piece.path) or (drive.attached and not taken(then.path))
        ):
            return (library,)
    return now


def _followed(library: Library, ways: Sequence[_Way], drives: dict[str, Drive]) -> Library:
    path, last = _end_of(library.path, ways)
    if last is None or path == library.path:
        return library
    drive = drives.get(last.drive)
    place = os.path.relpath(path, drive.path) if drive is not None else path
    # A library that leaves a staging drive is found by the link that its first move left.
    links = [way for way in ways if way.leaves_link and _end_of(way.start, ways)[0] == path]
    tether = links[0].start if links else None
    return replace(library, id=f"{last.drive}:{place}", path=path, drive=last.drive, tether=tether)


def _end_of(path: str, ways: Sequence[_Way]) -> tuple[str, _Way | None]:
    last = None
    for way in ways:
        if is_within(path, way.start):
            path, last = way.goal + path[len(way.start) :], way
    return path, last
