"""The card store: what the user states about libraries.

A card is kept by its drive and the path on it, and so are the libraries that it names, so all are found again when a
drive comes back under another letter or mount point.
"""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Card
from nuvik.core.model.paths import is_within
from nuvik.core.store.database import Database
from nuvik.core.store.journal import Journal
from nuvik.core.store.json_codec import from_json_text, to_json


@dataclass(frozen=True, slots=True)
class Moved:
    """Where libraries are that were moved, and where they were first: a card follows its library, and back."""

    ways: tuple[tuple[str, str], ...]
    """From where and to where, the first move first."""

    @classmethod
    def by(cls, journal: Journal, taken: Callable[[str], bool]) -> Moved:
        """As the journal has it now. `taken` tells whether something other than a link lies at a path: where that is
        so, an old path leads no more to the library that was moved from there.
        """
        standing = [move for move in journal.moves() if move.undoes is None and move.state.at_target]
        return cls(tuple((move.source, move.target) for move in standing if not taken(move.source)))

    def now_at(self, path: str) -> str:
        """Where what was at a path is now."""
        for source, target in self.ways:
            if is_within(path, source):
                path = target + path[len(source) :]
        return path

    def first_at(self, path: str) -> str:
        """Where what is at a path was before anything was moved."""
        for source, target in reversed(self.ways):
            if is_within(path, target):
                path = source + path[len(target) :]
        return path


class CardBox:
    """Reads and writes the cards."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def cards(self, drives: Iterable[Drive]) -> tuple[Card, ...]:
        """Every card on these drives, with the path at which it is now."""
        drives = list(drives)
        places = {drive.id: drive.path for drive in drives}
        with self._database.connect() as connection:
            rows = connection.execute("SELECT drive, path, document FROM cards ORDER BY drive, path").fetchall()
        return tuple(
            _placed(
                from_json_text(Card, row["document"], "The card box"),
                places,
                os.path.normpath(os.path.join(places[row["drive"]], os.fsdecode(row["path"]))),
            )
            for row in rows
            if row["drive"] in places
        )

    def keep(self, cards: Iterable[tuple[Card, Drive]], drives: Iterable[Drive] = ()) -> None:
        """Remember cards, all or none; one that says nothing is struck out. `drives` are those on which the libraries
        lie that the cards name.
        """
        drives = list(drives)
        with self._database.connect() as connection:
            for card, drive in cards:
                path = os.fsencode(os.path.relpath(card.path, drive.path))
                if card == Card(path=card.path):
                    connection.execute("DELETE FROM cards WHERE drive = ? AND path = ?", (drive.id, path))
                    continue
                document = json.dumps(to_json(_by_drive(replace(card, path="."), drives)))
                connection.execute(
                    "INSERT OR REPLACE INTO cards (drive, path, document, told_at) VALUES (?, ?, ?, ?)",
                    (drive.id, path, document, now_text()),
                )


_ON_DRIVE = "drive:"
"""Before the id of a drive, a colon and the path on it, in place of a path."""


def _by_drive(card: Card, drives: list[Drive]) -> Card:
    """The card with the libraries it names given by their drive and the path on it."""

    def by_drive(path: str) -> str:
        holding = [(point, drive) for drive in drives if (point := drive.holds(path)) is not None]
        if not holding:
            return path
        point, drive = max(holding, key=lambda pair: len(pair[0]))
        return f"{_ON_DRIVE}{drive.id}:{os.path.relpath(path, point)}"

    return _with_others(card, by_drive)


def _placed(card: Card, places: dict[str, str], path: str) -> Card:
    """The card at its path, with the libraries that it names where they are now."""

    def place(text: str) -> str:
        drive, _, rest = text.removeprefix(_ON_DRIVE).partition(":")
        known = text.startswith(_ON_DRIVE) and drive in places
        return os.path.normpath(os.path.join(places[drive], rest)) if known else text

    return replace(_with_others(card, place), path=path)


def _with_others(card: Card, place: Callable[[str], str]) -> Card:
    """The card with the places of the libraries that it names written in another way."""
    return replace(
        card,
        keep_with=tuple(map(place, card.keep_with)),
        apart_from=tuple(map(place, card.apart_from)),
        falls_back_to=card.falls_back_to and place(card.falls_back_to),
    )
