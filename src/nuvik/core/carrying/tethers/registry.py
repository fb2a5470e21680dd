"""Which kinds of tether there are."""

from __future__ import annotations

from nuvik.core.carrying.tethers.base import Tether
from nuvik.core.carrying.tethers.link import LinkTether
from nuvik.core.carrying.tethers.none import NoTether
from nuvik.core.model.journal import Move
from nuvik.core.model.plan import TetherKind

_TETHERS: dict[TetherKind, Tether] = {TetherKind.LINK: LinkTether(), TetherKind.NONE: NoTether()}


def tether_of(move: Move) -> Tether:
    """The tether that a move leaves."""
    return _TETHERS[move.tether]
