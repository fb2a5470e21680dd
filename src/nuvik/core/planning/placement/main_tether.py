"""What is left at the old place of a library that moves: a link wherever there can be one."""

from __future__ import annotations

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.tether import Tether, TetherKind


def main_tether(library: Library, source: Drive) -> TetherKind:
    """A link, since with one every old path still works, whatever else leads programs to the new place; where the old
    drive can hold none, or the card wants none, the first tether of the card.
    """
    kinds = [tether.kind for tether in _own(library)]
    if source.rules.symlinks and TetherKind.NONE not in kinds:
        return TetherKind.LINK
    return kinds[0] if kinds else TetherKind.LINK


def can_leave(library: Library, source: Drive) -> bool:
    """Whether programs still find a library that leaves a drive."""
    return source.rules.symlinks or bool(_own(library))


def _own(library: Library) -> list[Tether]:
    """The tethers that lead to a library itself; those of a part in it lead nobody to the rest."""
    is_part = library.piece is not None and not library.piece.body
    return [tether for tether in library.tethers if tether.kind.leads and (is_part or not tether.part)]
