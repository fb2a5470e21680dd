"""What a quiet look at the computer comes to: nothing is measured or asked of the user for it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from nuvik.core.model.drive import Drive
from nuvik.core.model.journal import Move
from nuvik.core.model.leftover import Leftover
from nuvik.core.model.library import Library
from nuvik.core.model.opening import Afterwards


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrival:
    """What came to a drive between the last two surveys."""

    drive: str
    bytes: int
    names: tuple[str, ...]
    """The largest first."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveChange:
    """A drive that is not what it was: of another size, or formatted."""

    drive: Drive
    bytes_before: int
    """Its capacity when it was last seen."""
    now: Drive | None = None
    """The new drive that has its disk now."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Status:
    """How things stand."""

    drives: tuple[Drive, ...]
    surveyed_at: str
    """When all drives were surveyed last; empty when they never were."""
    unfinished: tuple[Move, ...] = ()
    on_trial: tuple[Move, ...] = ()
    held_bytes: int = 0
    """What the originals of moves on trial take."""
    weeks_left: Mapping[str, float] = field(default_factory=dict)
    """By drive id: in how many weeks it goes under its headroom, where that is soon."""
    needed_away: Mapping[str, tuple[Library, ...]] = field(default_factory=dict)
    """By the id of a drive that is away: the libraries on it that are opened, the most often first."""
    fallbacks: tuple[tuple[Library, Library], ...] = ()
    """Each library that has a fallback, with that."""
    changed_drives: tuple[DriveChange, ...] = ()
    arrivals: tuple[Arrival, ...] = ()
    leftovers: tuple[Leftover, ...] = ()
    """What no longer holds of what moves left behind."""
    restarts: tuple[str, ...] = ()
    """Kinds whose new place programs only know once the user has logged in again."""
    not_paid: tuple[Afterwards, ...] = ()
    slower: Mapping[str, str] = field(default_factory=dict)
    """By drive id: how much slower it reads than before, as a clause."""
    failing: Mapping[str, str] = field(default_factory=dict)
    """By drive id: what its disk reports of itself, as a clause."""
