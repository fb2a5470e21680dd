"""Kept snapshots, newest last."""

from __future__ import annotations

import json

from nuvik.core.model.snapshot import Snapshot
from nuvik.core.store.database import Database
from nuvik.core.store.wire import from_wire, to_wire


def keep_snapshot(database: Database, snapshot: Snapshot) -> None:
    """Remember a snapshot."""
    with database.connect() as connection:
        connection.execute(
            "INSERT INTO snapshots (taken_at, host, document) VALUES (?, ?, ?)",
            (snapshot.taken_at, snapshot.host, json.dumps(to_wire(snapshot))),
        )


def latest_snapshot(database: Database) -> Snapshot | None:
    """The newest snapshot, or None before the first survey."""
    with database.connect() as connection:
        row = connection.execute("SELECT document FROM snapshots ORDER BY id DESC LIMIT 1").fetchone()
    return None if row is None else from_wire(Snapshot, json.loads(row["document"]), "The kept snapshot")
