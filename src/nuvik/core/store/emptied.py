"""Folders that were emptied: each is written down before it is touched."""

from __future__ import annotations

import os
import secrets
import sqlite3
from collections.abc import Iterable

from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.emptied import Emptied, EmptiedState
from nuvik.core.store.database import Database


class EmptiedFolders:
    """Reads and writes them; each call is one durable transaction."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self, drives: Iterable[Drive]) -> list[Emptied]:
        """Every one, the oldest first, with the path where it is now."""
        points = {drive.id: drive.path for drive in drives if drive.attached}
        with self._database.connect() as connection:
            return [_from_row(row, points) for row in connection.execute("SELECT * FROM emptied ORDER BY id")]

    def begin(self, name: str, drive: Drive, path: str, size: int, files: int) -> Emptied:
        """Write down that a folder is about to be emptied."""
        token, place, now = secrets.token_hex(4), os.path.relpath(path, drive.path), now_text()
        with self._database.connect() as connection:
            number = connection.execute(
                "INSERT INTO emptied (token, name, drive, path, place, bytes, files, state, emptied_at) "
                "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    token,
                    os.fsencode(name),
                    drive.id,
                    os.fsencode(path),
                    os.fsencode(place),
                    size,
                    files,
                    EmptiedState.SETTING_ASIDE,
                    now,
                ),
            ).lastrowid
        assert number is not None
        return Emptied(
            id=number,
            token=token,
            name=name,
            drive=drive.id,
            path=path,
            place=place,
            bytes=size,
            files=files,
            state=EmptiedState.SETTING_ASIDE,
            emptied_at=now,
        )

    def keep(self, emptied: Emptied) -> Emptied:
        """Write down how one stands now."""
        with self._database.connect() as connection:
            connection.execute("UPDATE emptied SET state = ? WHERE id = ?", (emptied.state, emptied.id))
        return emptied


def _from_row(row: sqlite3.Row, points: dict[str, str]) -> Emptied:
    path, place = os.fsdecode(row["path"]), os.fsdecode(row["place"])
    if row["drive"] in points and not place.startswith(os.pardir):
        path = os.path.normpath(os.path.join(points[row["drive"]], place))
    return Emptied(
        id=row["id"],
        token=row["token"],
        name=os.fsdecode(row["name"]),
        drive=row["drive"],
        path=path,
        place=place,
        bytes=row["bytes"],
        files=row["files"],
        state=EmptiedState(row["state"]),
        emptied_at=row["emptied_at"],
    )
