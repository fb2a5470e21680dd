"""Openings that were recorded: each is kept, by its library and date."""

from __future__ import annotations

import json
import os

from nuvik.core.model.opening import Recording
from nuvik.core.store.database import Database
from nuvik.core.store.json_codec import from_json_text, to_json

_KEPT = 20
"""Recordings of one library; older ones go."""


class Openings:
    """Reads and writes recordings. A library is known by the path at which it was before anything was moved."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def keep(self, first_path: str, recording: Recording) -> None:
        """Remember a recording."""
        key = os.fsencode(first_path)
        with self._database.connect() as connection:
            connection.execute(
                "INSERT INTO openings (library, drive, taken_at, document) VALUES (?, ?, ?, ?)",
                (key, recording.drive, recording.taken_at, json.dumps(to_json(recording))),
            )
            connection.execute(
                "DELETE FROM openings WHERE library = ? AND id NOT IN "
                "(SELECT id FROM openings WHERE library = ? ORDER BY id DESC LIMIT ?)",
                (key, key, _KEPT),
            )

    def of(self, first_path: str) -> list[Recording]:
        """All of a library, the oldest first."""
        with self._database.connect() as connection:
            rows = connection.execute(
                "SELECT document FROM openings WHERE library = ? ORDER BY id", (os.fsencode(first_path),)
            ).fetchall()
        return [from_json_text(Recording, row["document"], "A kept recording") for row in rows]

    def forget(self, first_path: str) -> int:
        """Forget all of a library; how many there were."""
        with self._database.connect() as connection:
            return connection.execute("DELETE FROM openings WHERE library = ?", (os.fsencode(first_path),)).rowcount
