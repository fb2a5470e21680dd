"""Repairing a draft: the fewest further moves, and of these the fewest bytes, with which everything that it breaks is
right again.
"""

from __future__ import annotations

from dataclasses import replace

from nuvik.core.model.errors import Refused
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Weights, Wishes
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.placement.contradictions import contradictions
from nuvik.core.planning.placement.limits import why_cannot
from nuvik.core.planning.placement.proposal import Proposal
from nuvik.core.planning.placement.solver import INFINITY
from nuvik.core.planning.search.ideal import ideal_placement
from nuvik.core.planning.search.reach import reach

_FEWEST = Weights(
    moving=0.0,
    move_s=10_000.0,
    gb_s=1.0,
    headroom_s=50_000_000.0,
    unmet_s=10_000_000.0,
    away_s=0.0,
    away_open_s=0.0,
    fast_room_s=0.0,
    apart_part_s=0.0,
    scattered_s=0.0,
    backup_beside_s=0.0,
)
"""Nothing counts but that all is right again; then the number of moves, then their bytes (up to 10 TB)."""


def repaired(draft: Draft, forbidden: frozenset[tuple[str, str]] = frozenset()) -> Draft:
    """The draft with what it breaks put right, its own moves kept where that is possible.

    Raises Refused when nothing is broken, or when no moves can put it right; then it says what contradicts what.
    """
    if not draft.breaches:
        raise Refused("This draft has no problems.", next_step="Rehearse it.")
    # What the user put down where it cannot be is given up; everything else is kept, if that can be.
    sound = {
        library.id: place
        for library in draft.moving()
        if why_cannot(library, draft.drive(place := draft.places[library.id]), draft.drive(library.drive)) is None
    }
    wishes = Wishes(
        weights=_FEWEST,
        weeks=0.0,
        headroom_bytes={drive.id: drive.headroom_bytes for drive in draft.drives},
        whole=True,
        forbidden=forbidden,
    )
    for asked in (replace(wishes, placed=sound), wishes):
        proposal = _reachable(draft.snapshot, asked)
        order = [
            *(place for place in draft.places if place in proposal.places),
            *(place for place in proposal.places if place not in draft.places),
        ]
        new = replace(draft, places={library_id: proposal.places[library_id] for library_id in order})
        if len(new.breaches) < len(draft.breaches) and not proposal.short_bytes:
            return new
    why = contradictions(draft.snapshot, wishes, proposal, most=1)
    raise Refused("No set of moves fixes this.", next_step=why[0].in_words() if why else "Undo your last edits.")


def _reachable(snapshot: Snapshot, wishes: Wishes) -> Proposal:
    """The best placement that moves lead to; where none does with what the user has put down, the best whatever the
    order, so that a rehearsal shows what it lacks.
    """
    ideal = ideal_placement(snapshot, wishes)
    reachable = reach(snapshot, wishes, ideal).proposal
    return reachable if reachable.cost_s < INFINITY else ideal.proposal
