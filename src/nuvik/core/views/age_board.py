"""The board of size against last use: where each library stands on it.

Both scales are logarithmic, since a day matters among last week's things and a month among last year's.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from nuvik.core.model.clock import days_since
from nuvik.core.model.cold import COLD_AFTER_DAYS
from nuvik.core.model.library import Library

_OLDEST_DAYS = 1_825.0
_SMALLEST_BYTES = 1_000_000
AGE_TICKS = (
    (0.0, "today"),
    (7.0, "a week"),
    (30.0, "a month"),
    (91.0, "3 months"),
    (365.0, "a year"),
    (1095.0, "3 years"),
)
"""Days since the last use, and what to call them."""
BIG_SHARE = 0.01
"""Assumed: what takes a hundredth of all that the libraries take is big."""


@dataclass(frozen=True, slots=True)
class Spot:
    """A library on the board; both from 0 to 1."""

    library: Library
    across: float
    """0: used today; 1: not for five years or longer."""
    up: float
    """0: a megabyte or less; 1: the largest."""


@dataclass(frozen=True, slots=True)
class AgeBoard:
    """All libraries on the board."""

    spots: tuple[Spot, ...]
    largest_bytes: int
    big_bytes: int
    """From this size on a library counts as big."""

    def up_of(self, count_bytes: float) -> float:
        low, high = math.log(_SMALLEST_BYTES), math.log(max(self.largest_bytes, 10 * _SMALLEST_BYTES))
        return min(1.0, max(0.0, (math.log(max(1.0, count_bytes)) - low) / (high - low)))

    @property
    def size_ticks(self) -> list[tuple[float, int]]:
        """How far up the round sizes stand: 1 MB, 10 MB, 100 MB …"""
        ticks, size = [], _SMALLEST_BYTES
        while size <= self.largest_bytes:
            ticks.append((self.up_of(size), size))
            size *= 10
        return ticks

    def is_big_and_cold(self, spot: Spot) -> bool:
        return spot.library.on_disk_bytes >= self.big_bytes and spot.across >= across_of(COLD_AFTER_DAYS)


def across_of(days: float) -> float:
    """How far across the board so many days stand."""
    return min(1.0, math.log1p(max(0.0, days)) / math.log1p(_OLDEST_DAYS))


def age_board(libraries: Sequence[Library], now: datetime | None = None) -> AgeBoard:
    """Place these libraries; those that hold no file stand at the old end."""
    moment = now or datetime.now(UTC)
    largest = max((library.on_disk_bytes for library in libraries), default=0)
    total = sum(library.on_disk_bytes for library in libraries)
    board = AgeBoard((), largest, max(_SMALLEST_BYTES, round(BIG_SHARE * total)))
    spots = tuple(
        Spot(
            library,
            across_of(days_since(library.last_used, moment)) if library.last_used else 1.0,
            board.up_of(library.on_disk_bytes),
        )
        for library in libraries
    )
    return AgeBoard(spots, largest, board.big_bytes)


def big_and_cold_in_words(board: AgeBoard) -> str:
    """For example “5 big libraries (369 GB) have not been used for a year.”"""
    from nuvik.core.model.units import format_bytes, format_count

    cold = [spot.library for spot in board.spots if board.is_big_and_cold(spot)]
    if not cold:
        return f"Nothing big ({format_bytes(board.big_bytes)} or more) has gone unused for a year."
    size = format_bytes(sum(library.on_disk_bytes for library in cold))
    verb = "have" if len(cold) > 1 else "has"
    return f"{format_count(len(cold), 'big library', 'big libraries')} ({size}) {verb} not been used for a year."
