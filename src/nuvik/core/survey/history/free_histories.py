"""Free space over time, from what surveys saw and moves did."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from nuvik.core.model.clock import moment_of
from nuvik.core.model.drive import Drive
from nuvik.core.model.free_history import FreeHistory
from nuvik.core.model.history import Sighting
from nuvik.core.model.journal import Move, State
from nuvik.core.survey.history.growth import Growth


def free_histories(
    drives: Sequence[Drive],
    seen: Mapping[str, Sequence[Sighting]],
    moves: Sequence[Move],
    rates: Mapping[str, Growth | None],
    now_s: float,
) -> list[FreeHistory]:
    """Those of the drives that are attached, as far as they were surveyed before."""
    rows = []
    standing = [move for move in moves if move.undoes is None and move.state.at_target]
    last = [move for move in standing if move.run == max(each.run for each in standing)]
    for drive in drives:
        past = [(moment_of(each.taken_at).timestamp(), each.bytes) for each in seen.get(drive.id, ())]
        if not drive.attached or not past:
            continue
        rate = rates.get(drive.id)
        points = [(at_s, max(0, drive.usable_bytes - used)) for at_s, used in past if at_s < now_s]
        rows.append(
            FreeHistory(
                drive=drive,
                points=(*points, (now_s, drive.free_bytes)),
                moves=tuple(
                    (moment_of(move.ended_at).timestamp(), move.library)
                    for move in moves
                    if move.ended_at and drive.id in (move.source_drive, move.target_drive)
                ),
                bytes_per_week=rate.bytes_per_week if rate is not None else None,
                gained_bytes=sum(_gained(move, drive) for move in last),
            )
        )
    return rows


def _gained(move: Move, drive: Drive) -> int:
    """What a move took off a drive, or, below zero, what it put on it."""
    if move.target_drive == drive.id:
        return -move.bytes
    if move.source_drive != drive.id or move.state is State.ON_TRIAL:
        return 0  # the original is still there
    return move.frees_bytes if move.freed_bytes is None else move.freed_bytes
