"""Landings that the user has set: where new content of a kind is to go, and which settings say so.

A landing is kept by its drive and the folder on it, so it is found again under another letter or mount point.
"""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Iterable

from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.landing import LandingPlace
from nuvik.core.model.library import Kind
from nuvik.core.model.plan import Landing
from nuvik.core.model.tether import Tether
from nuvik.core.store.database import Database
from nuvik.core.store.json_codec import from_json_text, to_json


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
            connection.execute(
                "INSERT OR REPLACE INTO landings (kind, drive, path, set_at) VALUES (?, ?, ?, ?)",
                (str(landing.kind), drive.id, path, now_text()),
            )

    def set_at(self, kind: Kind) -> str:
        """When a landing was chosen; empty where none is."""
        with self._database.connect() as connection:
            row = connection.execute("SELECT set_at FROM landings WHERE kind = ?", (str(kind),)).fetchone()
        return row["set_at"] if row else ""

    def forget(self, kind: Kind) -> None:
        with self._database.connect() as connection:
            connection.execute("DELETE FROM landings WHERE kind = ?", (str(kind),))

    # -- what programs are told of them --------------------------------------------------------------------

    def places(self, kind: Kind, system: Tether | None) -> list[LandingPlace]:
        """The places where programs read it, `system` first: what was put there, and what it said before."""
        with self._database.connect() as connection:
            rows = connection.execute("SELECT * FROM landing_settings WHERE kind = ? ORDER BY n", (str(kind),))
            known = {row["n"]: row for row in rows.fetchall()}
        places = [] if system is None or 0 in known else [LandingPlace(n=0, tether=system)]
        for n, row in known.items():
            tether = system if n == 0 else from_json_text(Tether, row["document"], "The database")
            if tether is not None:
                was, becomes = os.fsdecode(row["was"]), os.fsdecode(row["becomes"])
                places.append(LandingPlace(n=n, tether=tether, before=was, after=becomes, changed_at=row["changed_at"]))
        return sorted(places, key=lambda place: place.n)

    def add_place(self, kind: Kind, tether: Tether) -> int:
        """Another place where programs read it; its number."""
        with self._database.connect() as connection:
            row = connection.execute("SELECT max(n) FROM landing_settings WHERE kind = ?", (str(kind),)).fetchone()
            n = (row[0] or 0) + 1
            self._put(connection, kind, LandingPlace(n=n, tether=tether))
        return n

    def keep_place(self, kind: Kind, place: LandingPlace) -> None:
        with self._database.connect() as connection:
            self._put(connection, kind, place)

    @staticmethod
    def _put(connection: sqlite3.Connection, kind: Kind, place: LandingPlace) -> None:
        connection.execute(
            "INSERT OR REPLACE INTO landing_settings (kind, n, document, was, becomes, changed_at) "
            "VALUES (?, ?, ?, ?, ?, ?)",
            (
                str(kind),
                place.n,
                json.dumps(to_json(place.tether)),
                os.fsencode(place.before),
                os.fsencode(place.after),
                place.changed_at,
            ),
        )

    def remove_place(self, kind: Kind, n: int) -> None:
        with self._database.connect() as connection:
            connection.execute("DELETE FROM landing_settings WHERE kind = ? AND n = ?", (str(kind), n))

    def kinds(self) -> set[Kind]:
        """The kinds of which a place is known."""
        with self._database.connect() as connection:
            return {Kind(row["kind"]) for row in connection.execute("SELECT DISTINCT kind FROM landing_settings")}
