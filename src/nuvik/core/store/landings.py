"""Landings that the user has set: where new content of a kind is to go.

A landing is kept by its drive and the folder on it, so it is found again under another letter or mount point.
"""

from __future__ import annotations

import os
from collections.abc import Iterable

from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Kind
from nuvik.core.model.plan import Landing
from nuvik.core.store.database import Database


class Landings:
    """Reads and writes them."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self, drives: Iterable[Drive]) -> dict[Kind, Landing]:
        """Those on these drives, by kind, with the folder where it is now."""
        places = {drive.id: drive.path for drive in drives}
        with self._database.connect() as connection:
            rows = connection.execute("SELECT kind, drive, path FROM landings ORDER BY kind").fetchall()
        return {
            Kind(row["kind"]): Landing(
                kind=Kind(row["kind"]),
                drive=row["drive"],
                reason="you chose it",
                path=os.path.normpath(os.path.join(places[row["drive"]], os.fsdecode(row["path"]))),
            )
            for row in rows
            if row["drive"] in places
        }

    def keep(self, landing: Landing, drive: Drive) -> None:
        path = os.fsencode(os.path.relpath(landing.path, drive.path))
        with self._database.connect() as connection:
            # What the system was told before stays known, however often another landing is chosen.
            connection.execute(
                "INSERT INTO landings (kind, drive, path, set_at) VALUES (?, ?, ?, ?) ON CONFLICT (kind) DO UPDATE "
                "SET drive = excluded.drive, path = excluded.path, set_at = excluded.set_at",
                (str(landing.kind), drive.id, path, now_text()),
            )

    def set_at(self, kind: Kind) -> str:
        """When a landing was chosen; empty where none is."""
        with self._database.connect() as connection:
            row = connection.execute("SELECT set_at FROM landings WHERE kind = ?", (str(kind),)).fetchone()
        return row["set_at"] if row else ""

    def change_of(self, kind: Kind) -> tuple[str, str]:
        """What the system was told before Nuvik told it of a landing, and what it is told since; both empty where
        nothing was changed.
        """
        with self._database.connect() as connection:
            row = connection.execute("SELECT was, becomes FROM landings WHERE kind = ?", (str(kind),)).fetchone()
        return (os.fsdecode(row["was"]), os.fsdecode(row["becomes"])) if row else ("", "")

    def keep_change(self, kind: Kind, before: str, after: str) -> None:
        """Remember what the system is told; what it was told first is kept while it is changed again."""
        first, changed = self.change_of(kind)
        with self._database.connect() as connection:
            connection.execute(
                "UPDATE landings SET was = ?, becomes = ? WHERE kind = ?",
                (os.fsencode(first if changed and after else before), os.fsencode(after), str(kind)),
            )

    def forget(self, kind: Kind) -> None:
        with self._database.connect() as connection:
            connection.execute("DELETE FROM landings WHERE kind = ?", (str(kind),))
