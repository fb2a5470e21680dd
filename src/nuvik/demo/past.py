"""What happened in the household before anybody sees it: a year of surveys, measured drives, and two moves, which were
really carried and only dated back.
"""

from __future__ import annotations

import hashlib
import math
import os
import time
from collections.abc import Iterator
from dataclasses import replace

from nuvik.core.model.clock import moment_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.gauging import GaugeResult, ReadRate, Throughput
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.planning.placement.waiting_history import seen_readings
from nuvik.core.stages.workspace import Workspace, open_workspace
from nuvik.core.store.snapshots import forget_snapshots, keep_snapshot
from nuvik.demo.household import LIBRARIES, Household

_DAY_S, _WEEKS = 86_400, 52
_GROWS = {Kind.CACHE: 0.5, Kind.PROJECT: 0.45, Kind.PHOTO: 0.3, Kind.VIDEO: 0.2, Kind.SOUND: 0.25, Kind.DOWNLOAD: 0.6}
"""By what share of its size a library of a kind grew in the year; what is not listed came as a whole."""
_CAME_AT_ONCE = (Kind.GAME, Kind.DISC_IMAGE)
_GAUGED: dict[str, tuple[tuple[int, float], ...]] = {
    "kestrel": ((330, 1.01), (140, 0.99), (12, 1.0)),
    "heron": ((330, 1.02), (12, 1.0)),
    "wren": ((140, 1.0),),
    "pipit": ((330, 1.55), (140, 1.5), (12, 1.0)),
}
"""When drives were measured, in days before today, and how many times as fast as they are: Pipit wears out."""


def make_moves(folder: str) -> None:
    """Carry what was moved in the household before. Raises Refused and OSError."""
    workspace, now_s = open_workspace(folder, waits=False), time.time()
    workspace.survey.take()
    for library in LIBRARIES:
        if library.moved is not None:
            _carry(workspace, folder, library, now_s)


def make_history(folder: str) -> None:
    """Keep a year of surveys and measurements. Raises Refused and OSError."""
    workspace, now_s = open_workspace(folder, waits=False), time.time()
    snapshot, database = workspace.survey.take(), workspace.computer.database
    for drive in snapshot.drives:
        for days, factor in _GAUGED.get(drive.id, ()):
            workspace.computer.book.keep_gauge(drive, _gauged(drive, factor, now_s - days * _DAY_S))
    forget_snapshots(database)
    for past in _snapshots(snapshot, folder, now_s):
        keep_snapshot(database, past, seen_readings(past))


def _carry(workspace: Workspace, folder: str, library: Household, now_s: float) -> None:
    """Move a library from the drive on which it was, as long ago as it says."""
    assert library.moved is not None
    origin, days, on_trial = library.moved
    source = os.path.join(folder, origin, *library.folder.split("/"))
    plan = workspace.plan.make(workspace.plan.draft([(source, library.drive)]))
    workspace.carry.carry(plan, on_trial=on_trial)
    journal = workspace.carry.work().journal
    move = journal.moves()[-1]
    ended_s = now_s - days * _DAY_S
    began, ended = moment_text(ended_s - move.actual_s), moment_text(ended_s)
    journal.keep(replace(move, started_at=began, ended_at=ended))


def _gauged(drive: Drive, factor: float, at_s: float) -> GaugeResult:
    """A measurement of a drive when it was so many times as fast."""

    def passes(figure: float) -> tuple[float, ...]:
        return tuple(figure * factor * (1 + wobble) for wobble in (-0.01, 0.0, 0.01))

    return GaugeResult(
        drive=drive.id,
        identity=drive.identity,
        taken_at=moment_text(at_s),
        read=Throughput.of(passes(drive.read_bytes_per_s)),
        small_reads=ReadRate.of(passes(drive.small_reads_per_s)),
        write=Throughput.of(passes(drive.write_bytes_per_s)),
        sustained_write_bytes_per_s=drive.sustained_write_bytes_per_s,
        burst_bytes=drive.burst_bytes,
        temperature_c=drive.temperature_c,
    )


def _snapshots(snapshot: Snapshot, folder: str, now_s: float) -> Iterator[Snapshot]:
    """A survey a week for a year, and the one of today."""
    for weeks in range(_WEEKS, 0, -1):
        libraries, less = [], dict[str, int]()
        for library in snapshot.libraries:
            then = _then(library, weeks, folder)
            less[library.drive] = less.get(library.drive, 0) + library.on_disk_bytes
            if then is not None:
                libraries.append(then)
                less[then.drive] = less.get(then.drive, 0) - then.on_disk_bytes
        drives = tuple(
            replace(drive, used_bytes=max(0, drive.used_bytes - less.get(drive.id, 0))) for drive in snapshot.drives
        )
        at = moment_text(now_s - weeks * 7 * _DAY_S)
        yield replace(snapshot, taken_at=at, drives=drives, libraries=tuple(libraries), large_files=())
    yield snapshot


def _then(library: Library, weeks: int, folder: str) -> Library | None:
    """A library as it was so many weeks ago; None before it came."""
    # From its name, so that the past is the same each time.
    chance = int.from_bytes(hashlib.blake2b(library.name.encode(), digest_size=4).digest(), "big") / 2**32
    if library.kind in _CAME_AT_ONCE and chance * 2 * _WEEKS < weeks:
        return None
    # Nothing grows evenly: some weeks bring more, others less.
    past = weeks + 0.8 * math.sin(weeks * 1.7 + chance * 6)
    share = 1 - _GROWS.get(library.kind, 0.0) * (0.7 + 0.6 * chance) * past / _WEEKS
    then = replace(library, bytes=round(library.bytes * share), on_disk_bytes=round(library.on_disk_bytes * share))
    for each in LIBRARIES:
        if each.moved is not None and library.path == os.path.join(folder, each.drive, *each.folder.split("/")):
            origin, days, _ = each.moved
            if weeks * 7 > days:
                path = os.path.join(folder, origin, *each.folder.split("/"))
                return replace(then, drive=origin, path=path, tether=None)
    return then
