"""A draft as it is kept between two starts of the screens: what the user decided, without what it comes to."""

from __future__ import annotations

from dataclasses import dataclass, field

from nuvik.core.model.paths import PathText
from nuvik.core.model.plan import Landing


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptDraft:
    """Moves that were planned and not carried yet."""

    places: dict[str, str] = field(default_factory=dict)
    """The new drive's id by library id, in the order they were put down; those that wait for a drive, too."""
    targets: dict[str, PathText] = field(default_factory=dict)
    parted: dict[str, list[str]] = field(default_factory=dict)
    """By the id of each library in pieces, the paths in it of the parts that are parted from it."""
    headroom_bytes: dict[str, int] = field(default_factory=dict)
    keep_headroom: bool = False
    on_trial: bool = False
    landings: tuple[Landing, ...] = ()
