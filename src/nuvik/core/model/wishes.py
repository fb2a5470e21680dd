"""Wishes: what a proposal is to keep to, besides what the drives and libraries themselves demand."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, fields
from enum import StrEnum


class Style(StrEnum):
    """How much moving a proposal is allowed to ask for."""

    CAUTIOUS = "cautious"
    """Only moves that are well worth it."""
    BALANCED = "balanced"
    FASTEST = "fastest"
    """Whatever shortens the waiting."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Weights:
    """What a proposal weighs against waiting, each in seconds: the soft constraints. All figures are assumed."""

    moving: float = field(metadata={"says": "for each second that the computer spends moving"})
    move_s: float = field(metadata={"says": "for each move: starting it and keeping an eye on it"})
    headroom_s: float = field(
        default=20_000.0,
        metadata={"says": "for missing headroom: a fiftieth costs 80 s, a quarter 7,200 s, all 67,200 s"},
    )
    unmet_s: float = field(default=50_000.0, metadata={"says": "for each demand of a drive or a card that is not met"})
    away_s: float = field(default=300.0, metadata={"says": "for each library placed on a portable drive"})
    away_open_s: float = field(
        default=24.0,
        metadata={"says": "for each opening there: one time in five the drive has to be fetched"},
    )
    fast_room_s: float = field(
        default=1.0,
        metadata={"says": "for each GB of a rapid drive that is used up below three times its headroom"},
    )
    apart_part_s: float = field(default=300.0, metadata={"says": "for each part placed apart from its library"})
    scattered_s: float = field(
        default=120.0, metadata={"says": "for each additional drive that a collection is spread over"}
    )
    backup_beside_s: float = field(
        default=900.0, metadata={"says": "for a backup on the same disk as what it backs up"}
    )

    gb_s: float = field(default=0.0, metadata={"says": "for each GB that is moved, whatever the drives"})

    def in_words(self) -> Iterator[tuple[str, float, str]]:
        """Each as (name, seconds, what it is for)."""
        for field_ in fields(self):
            yield field_.name, getattr(self, field_.name), field_.metadata["says"]


WEIGHTS: dict[Style, Weights] = {
    Style.CAUTIOUS: Weights(moving=0.5, move_s=600.0, apart_part_s=900.0, fast_room_s=0.5),
    Style.BALANCED: Weights(moving=0.1, move_s=60.0),
    Style.FASTEST: Weights(moving=0.01, move_s=1.0, apart_part_s=30.0, scattered_s=0.0, fast_room_s=0.0),
}
"""The computer's own time, during which one can do something else, counts less than one's own."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Wishes:
    """All of them; the plain value asks for nothing in particular."""

    style: Style = Style.BALANCED
    weights: Weights | None = None
    """In place of those of the style."""
    weeks: float = 26.0
    """For how long the placement is to pay: waiting of so many weeks is weighed against the moving."""
    headroom_bytes: Mapping[str, int] = field(default_factory=dict)
    """What must stay free, by drive id, where it is not the drive's own."""
    free_more_bytes: Mapping[str, int] = field(default_factory=dict)
    """How much more must become free than is now, by drive id."""
    pinned: frozenset[str] = frozenset()
    """Libraries that stay where they are."""
    placed: Mapping[str, str] = field(default_factory=dict)
    """Libraries that must go to a drive: both ids."""
    forbidden: frozenset[tuple[str, str]] = frozenset()
    """Library and drive where it must not go."""
    most_moves: int | None = None
    most_moving_s: float | None = None
    """So long may all moves together take."""
    every_move: bool = False
    """Include moves that gain little."""
    keep_headroom: bool = False
    """No drive goes below its headroom for the length of a move either."""
    on_trial: bool = False
    """The originals stay until they are released: all that arrives fits beside them."""
    whole: bool = False
    """Parts stay with their libraries."""

    @property
    def weighed(self) -> Weights:
        """The weights in force."""
        return self.weights or WEIGHTS[self.style]
