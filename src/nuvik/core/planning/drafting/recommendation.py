"""What belongs where: the best placement, in an order that works, with reasons and proof beside it."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Kept
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.landing import propose_landings
from nuvik.core.planning.drafting.library_parts import split, worth_splitting
from nuvik.core.planning.drafting.reasons import spare_then, why_moves, why_stays
from nuvik.core.planning.ordering.arrange import Arranged
from nuvik.core.planning.placement.collections import collections_of
from nuvik.core.planning.placement.contradictions import Contradiction, contradictions
from nuvik.core.planning.placement.demands import Demand, demands_of
from nuvik.core.planning.placement.limits import disks_of, headroom_wanted
from nuvik.core.planning.placement.proposal import TIME_LIMIT_S, Proposal, propose


@dataclass(frozen=True, slots=True)
class Recommendation:
    """A placement that is recommended; beside it why, how good it is, and what cannot be had."""

    draft: Draft
    """Only what some order of moves allows."""
    proposal: Proposal
    """The placement, with its proof."""
    arranged: Arranged
    """All that is proposed, and what no order allows."""
    reasons: Mapping[str, str]
    """Why libraries move, by their id."""
    kept: Mapping[str, Kept]
    """Why libraries stay, by their id."""
    contradictions: tuple[Contradiction, ...] = ()
    """Why wishes are not met."""

    @property
    def unplaced(self) -> tuple[str, ...]:
        """The names of libraries that would move if some order of moves allowed it."""
        return tuple(load.library.name for load in self.arranged.stuck)

    def is_followed_by(self, draft: Draft) -> bool:
        """Whether a draft is exactly what is recommended, so that every reason and the proof apply to it."""
        return draft.places == self.draft.places and draft.snapshot.libraries == self.draft.snapshot.libraries

    def reason_for(self, draft: Draft, library_id: str) -> str | None:
        """Why a library moves, where a draft moves it as recommended."""
        place = draft.places.get(library_id)
        follows = place is not None and place == self.draft.places.get(library_id)
        return self.reasons.get(library_id) if follows else None

    def why_kept(self, draft: Draft, library_id: str) -> str | None:
        """Why a library stays, where a draft follows the recommendation."""
        kept = self.kept.get(library_id) if self.is_followed_by(draft) else None
        return None if kept is None else kept.reason


def recommend(snapshot: Snapshot, wishes: Wishes, time_limit_s: float = TIME_LIMIT_S) -> Recommendation:
    """The best placement, in an order that works, with reasons. What no order allows is left out of the draft."""
    parted = snapshot if wishes.whole else split(snapshot, worth_splitting(snapshot))
    proposal = propose(parted, wishes, time_limit_s)
    snapshot, places = _rejoined(snapshot, parted, proposal.places)
    headroom = {drive.id: headroom_wanted(drive, wishes) for drive in snapshot.drives}
    headroom = {drive.id: headroom[drive.id] for drive in snapshot.drives if headroom[drive.id] != drive.headroom_bytes}
    whole = Draft(snapshot, places=dict(places), headroom_bytes=headroom)
    stuck = {load.library.id for load in whole.arranged.stuck}
    stuck |= {part.id for load in whole.arranged.stuck for part in whole.parts_of(load.library)}
    draft = Draft(snapshot, headroom_bytes=headroom, places=_in_order(whole, stuck))
    met, gathers = _newly_met(draft), _gathered(draft)
    reasons = {
        load.library.id: why_moves(load.library, load.source, load.target, met, gathers.get(load.library.id, ""))
        for load in draft.loads
    }
    spare = spare_then(whole, wishes)
    kept = {
        library.id: Kept(library=library.name, reason=why_stays(library, snapshot, spare, wishes))
        for library in snapshot.libraries
        if library.id not in whole.places
    }
    return Recommendation(
        replace(draft, landings=propose_landings(draft)),
        proposal,
        whole.arranged,
        reasons,
        kept,
        tuple(contradictions(parted, wishes, proposal)),
    )


def _rejoined(whole: Snapshot, parted: Snapshot, places: Mapping[str, str]) -> tuple[Snapshot, dict[str, str]]:
    """The snapshot in which only those parts are parted from their library that go another way; and who goes where."""
    bodies = {library.id: library for library in parted.libraries if library.piece is not None and library.piece.body}
    apart: dict[str, list[str]] = {}
    for library in parted.libraries:
        if library.piece is not None and not library.piece.body:
            body = bodies[library.piece.whole]
            if places.get(library.id, library.drive) != places.get(body.id, body.drive):
                apart.setdefault(body.id, []).append(os.path.relpath(library.path, body.path))
    joined = split(whole, apart.keys(), apart)
    return joined, {library.id: places[library.id] for library in joined.libraries if library.id in places}


def _in_order(draft: Draft, without: set[str]) -> dict[str, str]:
    """The places in the order in which the moves are made, parts that go along behind their body."""
    places: dict[str, str] = {}
    for leg in draft.arranged.legs:
        places[leg.load.library.id] = leg.load.target.id
    places |= {library_id: place for library_id, place in draft.places.items() if library_id not in places}
    return {library_id: place for library_id, place in places.items() if library_id not in without}


def _gathered(draft: Draft) -> dict[str, str]:
    """By library id, the name of the collection that its move gathers on fewer drives."""
    gathered: dict[str, str] = {}
    for name, members in collections_of(draft.snapshot).items():
        if len({draft.place_of(member) for member in members}) < len({member.drive for member in members}):
            gathered |= {member.id: shown(name) for member in members}
    return gathered


def _newly_met(draft: Draft) -> list[Demand]:
    drives: tuple[Drive, ...] = draft.snapshot.drives
    libraries: dict[str, Library] = {library.id: library for library in draft.snapshot.libraries}
    return [
        demand
        for demand in demands_of(draft.snapshot, disks_of(drives))
        if not demand.met(lambda library: libraries[library].drive)
        and demand.met(lambda library: draft.place_of(libraries[library]))
    ]
