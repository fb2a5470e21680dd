"""Which kinds of tether there are."""

from __future__ import annotations

from nuvik.core.carrying.tethers.base import Tether
from nuvik.core.carrying.tethers.link import LinkTether
from nuvik.core.carrying.tethers.none import NoTether
from nuvik.core.model.journal import Move
from nuvik.core.model.tether import TetherKind

_NOTHING_LEFT = NoTether()
_TETHERS: dict[TetherKind, Tether] = {TetherKind.LINK: LinkTether()}


def tether_of(move: Move) -> Tether:
    """What a move leaves at the old place: a link, or nothing where programs are led to the new one otherwise."""
    return _TETHERS.get(move.tether, _NOTHING_LEFT)
