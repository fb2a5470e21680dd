"""The card box: what the user has told Nuvik of libraries.

A card is kept by its drive and the path on it, so it is found again when the drive comes back under another letter or
mount point.
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterable
from dataclasses import replace

from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Card
from nuvik.core.store.database import Database
from nuvik.core.store.wire import from_wire, to_wire


class CardBox:
    """Reads and writes the cards."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def cards(self, drives: Iterable[Drive]) -> tuple[Card, ...]:
        """Every card on these drives, with the path at which it is now."""
        places = {drive.id: drive.path for drive in drives}
        with self._database.connect() as connection:
            rows = connection.execute("SELECT drive, path, document FROM cards ORDER BY drive, path").fetchall()
        return tuple(
            replace(from_wire(Card, json.loads(row["document"]), "The card box"),
                    path=os.path.normpath(os.path.join(places[row["drive"]], os.fsdecode(row["path"]))))
            for row in rows if row["drive"] in places
        )  # fmt: skip

    def keep(self, cards: Iterable[tuple[Card, Drive]]) -> None:
        """Remember cards, all or none; one that says nothing is struck out."""
        with self._database.connect() as connection:
            for card, drive in cards:
                path = os.fsencode(os.path.relpath(card.path, drive.path))
                if card == Card(path=card.path):
                    connection.execute("DELETE FROM cards WHERE drive = ? AND path = ?", (drive.id, path))
                    continue
                document = json.dumps(to_wire(replace(card, path=".")))
                connection.execute(
                    "INSERT OR REPLACE INTO cards (drive, path, document, told_at) VALUES (?, ?, ?, ?)",
                    (drive.id, path, document, now_text()),
                )
