"""Waiting over time: what a survey saw is kept so that its waiting can be reckoned with the speeds known today. A drive
that is measured later changes the whole past alike, so that only moves, growth and use show as change.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from nuvik.core.model.clock import moment_of
from nuvik.core.model.drive import Drive
from nuvik.core.model.history import SeenReading
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.planning.placement.waiting import opening_time, waits_per_week


def seen_readings(snapshot: Snapshot) -> tuple[SeenReading, ...]:
    """What openings read and compute in a week, drive by drive; the survey has its number once it is kept."""
    drives = {drive.id: drive for drive in snapshot.drives}
    sums: dict[str, tuple[float, float, float]] = {}
    for library in snapshot.libraries:
        drive, often = drives.get(library.drive), waits_per_week(library)
        if drive is None or not often:
            continue
        opening = opening_time(library, drive)
        before = sums.get(drive.id, (0.0, 0.0, 0.0))
        sums[drive.id] = (
            before[0] + opening.computing_s * often,
            before[1] + opening.sequence_s * drive.read_bytes_per_s * often,
            before[2] + opening.small_reads_s * drive.small_reads_per_s * often,
        )
    return tuple(
        SeenReading(
            survey=0,
            taken_at=snapshot.taken_at,
            drive=drive,
            computing_s=figures[0],
            bytes=figures[1],
            reads=figures[2],
        )
        for drive, figures in sums.items()
    )


def waiting_history(seen: Sequence[SeenReading], drives: Mapping[str, Drive]) -> list[tuple[float, float]]:
    """Each survey's moment, in seconds since 1970, with the seconds a week that were waited then; oldest first. A
    survey that saw a drive whose speeds nobody knows any more is left out.
    """
    weeks: dict[int, tuple[str, float]] = {}
    unknown = {each.survey for each in seen if each.drive not in drives}
    for each in seen:
        if each.survey not in unknown:
            drive = drives[each.drive]
            read_s = each.bytes / drive.read_bytes_per_s + each.reads / drive.small_reads_per_s
            _, so_far_s = weeks.get(each.survey, ("", 0.0))
            weeks[each.survey] = (each.taken_at, so_far_s + each.computing_s + read_s)
    return [(moment_of(taken_at).timestamp(), seconds) for taken_at, seconds in weeks.values()]
