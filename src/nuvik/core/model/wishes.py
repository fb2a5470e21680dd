"""Wishes: what a proposal is to keep to, besides what the drives and libraries themselves demand."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum


class Style(StrEnum):
    """How much moving a proposal is allowed to ask for."""

    CAUTIOUS = "cautious"
    """Only moves that are well worth it."""
    BALANCED = "balanced"
    FASTEST = "fastest"
    """Whatever shortens the waiting."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Wishes:
    """All of them; the plain value asks for nothing in particular."""

    style: Style = Style.BALANCED
    weeks: float = 26.0
    """For how long the placement is to pay: waiting of so many weeks is weighed against the moving."""
    headroom_bytes: Mapping[str, int] = field(default_factory=dict)
    """What must stay free, by drive id, where it is not the drive's own."""
    pinned: frozenset[str] = frozenset()
    """Libraries that stay where they are."""
    forbidden: frozenset[tuple[str, str]] = frozenset()
    """Library and drive where it must not go."""
    most_moves: int | None = None
    most_moving_s: float | None = None
    """So long may all moves together take."""
