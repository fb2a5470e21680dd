"""Kept snapshots, newest last, and the history that follows from them."""

from __future__ import annotations

import json
import os
from collections.abc import Iterable
from dataclasses import replace
from weakref import WeakKeyDictionary

from nuvik.core.model.clock import moment_of
from nuvik.core.model.history import SeenReading, Sighting
from nuvik.core.model.paths import is_within
from nuvik.core.model.snapshot import LOOSE_LISTED, Snapshot
from nuvik.core.store.database import Database
from nuvik.core.store.json_codec import from_json_text, to_json

_HISTORIES = ("seen_drives", "seen_libraries", "seen_readings")
_ALL_KEPT_DAYS, _DAILY_DAYS, _WEEKLY_DAYS = 2, 14, 365
"""All of the last two days are kept, one a day for two weeks, one a week for a year, one a month before."""


def keep_snapshot(database: Database, snapshot: Snapshot, readings: Iterable[SeenReading] = ()) -> None:
    """Remember a snapshot, with what its openings read, and let go of older ones that stand too close together."""
    with database.connect() as connection:
        number = connection.execute(
            "INSERT INTO snapshots (taken_at, host, document) VALUES (?, ?, ?)",
            (snapshot.taken_at, snapshot.host, json.dumps(to_json(snapshot))),
        ).lastrowid
        connection.executemany(
            "INSERT INTO seen_drives (snapshot, drive, bytes) VALUES (?, ?, ?)",
            [(number, drive.id, drive.used_bytes) for drive in snapshot.drives if drive.attached],
        )
        connection.executemany(
            "INSERT INTO seen_readings (snapshot, drive, computing_s, bytes, reads) VALUES (?, ?, ?, ?, ?)",
            [(number, each.drive, each.computing_s, each.bytes, each.reads) for each in readings],
        )
        if snapshot.complete:
            connection.executemany(
                "INSERT INTO seen_libraries (snapshot, library, bytes, content, access) VALUES (?, ?, ?, ?, ?)",
                [
                    (
                        number,
                        os.fsencode(library.id),
                        library.on_disk_bytes,
                        library.newest_content,
                        library.newest_access,
                    )
                    for library in snapshot.libraries
                ],
            )
        rows = connection.execute("SELECT id, taken_at FROM snapshots ORDER BY id").fetchall()
        for gone in thinned([(row["id"], row["taken_at"]) for row in rows], snapshot.taken_at):
            for table in _HISTORIES:
                connection.execute(f"DELETE FROM {table} WHERE snapshot = ?", (gone,))
            connection.execute("DELETE FROM snapshots WHERE id = ?", (gone,))


def forget_snapshots(database: Database) -> None:
    """Forget every snapshot, and the history that follows from them."""
    with database.connect() as connection:
        for table in (*_HISTORIES, "snapshots"):
            connection.execute(f"DELETE FROM {table}")


def thinned(kept: list[tuple[int, str]], now: str) -> list[int]:
    """Which of these snapshots (number and moment, oldest first) may go. The first and the newest always stay."""
    gone, seen = [], set[tuple[int, ...]]()
    today = moment_of(now)
    for place, (number, taken_at) in enumerate(kept):
        moment = moment_of(taken_at)
        age_days = (today - moment).total_seconds() / 86_400
        if age_days <= _ALL_KEPT_DAYS or place == len(kept) - 1:
            continue
        if age_days <= _DAILY_DAYS:
            slot: tuple[int, ...] = (moment.toordinal(),)
        elif age_days <= _WEEKLY_DAYS:
            slot = moment.isocalendar()[:2]
        else:
            slot = (0, moment.year, moment.month)
        if slot in seen:
            gone.append(number)
        seen.add(slot)
    return gone


def latest_snapshot(database: Database) -> Snapshot | None:
    """The newest snapshot, or None before the first survey. Raises Refused where it cannot be read."""
    return _first(database, "ORDER BY id DESC")


def snapshot_before(database: Database, moment: str) -> Snapshot | None:
    """The newest snapshot taken at or before a moment; the oldest there is when none is as old. Raises Refused where it
    cannot be read.
    """
    return _first(database, "ORDER BY taken_at > ?, CASE WHEN taken_at > ? THEN id ELSE -id END", moment, moment)


def _first(database: Database, order: str, *values: str) -> Snapshot | None:
    with database.connect() as connection:
        key = connection.execute(f"SELECT id, taken_at FROM snapshots {order} LIMIT 1", values).fetchone()
        if key is None:
            return None
        read = _read.setdefault(database, {})
        known = read.get(tuple(key))
        if known is not None:
            return known
        row = connection.execute("SELECT document FROM snapshots WHERE id = ?", (key["id"],)).fetchone()
    snapshot = from_json_text(Snapshot, row["document"], "The kept snapshot")
    for old in list(read)[: len(read) + 1 - _MOST_READ]:
        read.pop(old, None)
    read[tuple(key)] = snapshot
    return snapshot


_read: WeakKeyDictionary[Database, dict[tuple[int, str], Snapshot]] = WeakKeyDictionary()
"""The snapshots that were read last, by number and moment: with thousands of libraries, each takes a while to read."""
_MOST_READ = 2
"""The latest, and the one that it is compared with."""


def moments(database: Database) -> list[str]:
    """When the kept snapshots were taken, oldest first."""
    with database.connect() as connection:
        return [row["taken_at"] for row in connection.execute("SELECT taken_at FROM snapshots ORDER BY id")]


def library_history(database: Database) -> dict[str, list[Sighting]]:
    """What the surveys so far found of each library, by its id, oldest first."""
    sightings: dict[str, list[Sighting]] = {}
    with database.connect() as connection:
        for row in connection.execute(
            "SELECT library, taken_at, bytes, content, access FROM seen_libraries "
            "JOIN snapshots ON snapshots.id = snapshot ORDER BY taken_at"
        ):
            sighting = Sighting(row["taken_at"], row["bytes"], row["content"], row["access"])
            sightings.setdefault(os.fsdecode(row["library"]), []).append(sighting)
    return sightings


def drive_history(database: Database) -> dict[str, list[Sighting]]:
    """How full each drive was at the surveys so far, by its id, oldest first."""
    sightings: dict[str, list[Sighting]] = {}
    with database.connect() as connection:
        for row in connection.execute(
            "SELECT drive, taken_at, bytes FROM seen_drives JOIN snapshots ON snapshots.id = snapshot ORDER BY taken_at"
        ):
            sightings.setdefault(row["drive"], []).append(Sighting(row["taken_at"], row["bytes"]))
    return sightings


def reading_history(database: Database) -> list[SeenReading]:
    """What openings read and computed at the surveys so far, oldest first."""
    with database.connect() as connection:
        return [
            SeenReading(**dict(row))
            for row in connection.execute(
                "SELECT snapshot AS survey, taken_at, drive, computing_s, bytes, reads FROM seen_readings "
                "JOIN snapshots ON snapshots.id = snapshot ORDER BY taken_at, snapshot"
            )
        ]


def together(
    before: Snapshot | None, now: Snapshot, roots: tuple[str, ...], unreached: frozenset[str] = frozenset()
) -> Snapshot:
    """A survey of some folders only, or one that was stopped, with all else as it was known before; so is what lies on
    drives that were `unreached`, by their ids.
    """
    if before is None or (now.complete and not roots and not unreached):
        return now
    if not now.complete:
        return _filled_up(before, now)
    if not roots:
        known = {library.id for library in now.libraries}
        kept = (library for library in before.libraries if library.drive in unreached and library.id not in known)
        every = sorted((*now.libraries, *kept), key=lambda library: (-library.on_disk_bytes, library.path))
        return replace(now, libraries=tuple(every))

    def elsewhere(path: str) -> bool:
        return not any(is_within(path, root) for root in roots)

    mine = {library.id for library in now.libraries}
    libraries = (
        *now.libraries,
        *(library for library in before.libraries if elsewhere(library.path) and library.id not in mine),
    )
    loose = (*now.loose, *(folder for folder in before.loose if elsewhere(folder.path)))
    large = (*now.large_files, *(file for file in before.large_files if elsewhere(file.path)))
    return replace(
        now,
        libraries=tuple(sorted(libraries, key=lambda library: (-library.on_disk_bytes, library.path))),
        problems=(
            *now.problems,
            *(problem for problem in before.problems if elsewhere(problem.path) and problem not in now.problems),
        ),
        loose=tuple(sorted(loose, key=lambda folder: (-folder.bytes, folder.path))[:LOOSE_LISTED]),
        # They were summed up over each whole drive, and only a survey of everything sums them up again.
        small_things=before.small_things or now.small_things,
        large_files=tuple(sorted(large, key=lambda file: (-file.bytes, file.path))),
    )


def _filled_up(before: Snapshot, now: Snapshot) -> Snapshot:
    """What a stopped survey did not reach, or only in part, stays as it was known; it is still marked."""
    known = {library.id: library for library in before.libraries}
    reached = {
        library.id: library
        for library in now.libraries
        if library.id not in known or library.on_disk_bytes >= known[library.id].on_disk_bytes
    }
    libraries = {**known, **reached}.values()
    return replace(
        now,
        libraries=tuple(sorted(libraries, key=lambda library: (-library.on_disk_bytes, library.path))),
        large_files=before.large_files or now.large_files,
        loose=before.loose or now.loose,
        small_things=before.small_things or now.small_things,
    )
