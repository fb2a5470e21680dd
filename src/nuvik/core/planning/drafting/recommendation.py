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
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.landing import propose_landings
from nuvik.core.planning.drafting.library_parts import split, worth_splitting
from nuvik.core.planning.drafting.reasons import spare_then, why_moves, why_stays
from nuvik.core.planning.ordering.arrange import Load, transfers_of, works_in_order
from nuvik.core.planning.ordering.best_first import best_first
from nuvik.core.planning.placement.collections import collections_of
from nuvik.core.planning.placement.contradictions import Contradiction, contradictions
from nuvik.core.planning.placement.costs import moving_s
from nuvik.core.planning.placement.demands import Demand, demands_of
from nuvik.core.planning.placement.limits import disks_of
from nuvik.core.planning.placement.proposal import LEAST_GAP_S, PROVEN_GAP, Proposal
from nuvik.core.planning.placement.solver import Effort
from nuvik.core.planning.placement.spaces import Space, headroom_wanted, spaces_of
from nuvik.core.planning.search.ideal import MOST_AT_ONCE, at_any_price, ideal_placement, seen_as_ideal
from nuvik.core.planning.search.reach import Reachable, reach

_LAST_SHARE, _FEW_MOVES = 0.1, 4


@dataclass(frozen=True, slots=True)
class Recommendation:
    """A placement that is recommended; beside it why, how good it is, and what cannot be had."""

    draft: Draft
    """The moves, in an order that works."""
    proposal: Proposal
    """What they come to, with its proof."""
    ideal: Proposal
    """What would be best if drives had all the room to turn around."""
    reachable: Reachable
    """What was reached of it, and where room is missing for more."""
    whole: Draft
    """With the last moves, which bring little for their trouble and are left out of the draft."""
    trades: Mapping[str, float]
    """Drives, by id, that stay short although moving could end that, and the seconds that all the moving would take."""
    reasons: Mapping[str, str]
    """Why libraries move, by their id."""
    kept: Mapping[str, Kept]
    """Why libraries stay, by their id."""
    contradictions: tuple[Contradiction, ...] = ()
    """Why wishes are not met."""
    none_may_take: bool = False
    """Every attached drive is short of its headroom: none may go lower than it is now, so that nothing can move."""
    limits_cost_s: float = 0.0
    """By how many seconds a week less one would wait at best without the limits on moves and on moving time."""

    @property
    def unplaced(self) -> tuple[str, ...]:
        """The names of libraries that would move if the drives had all the room to turn around."""
        places = self.ideal.places.keys() - self.draft.places.keys()
        return tuple(library.name for library in self.draft.snapshot.libraries if library.id in places)

    @property
    def could_save_s(self) -> float:
        """By how many seconds a week less one would wait, beyond all that is reached, if the drives had all the room to
        turn around.
        """
        ideal = replace(self.whole, places=dict(self.ideal.places), staged={}, order=())
        return max(0.0, ideal.saved.likely - self.whole.saved.likely)

    @property
    def is_best(self) -> bool:
        """Whether nothing better exists, proven, whatever the order."""
        close_s = max(LEAST_GAP_S, PROVEN_GAP * self.ideal.cost_s)
        return self.ideal.in_time and self.proposal.cost_s - self.ideal.cost_s <= close_s

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


def recommend(snapshot: Snapshot, wishes: Wishes) -> Recommendation:
    """The best placement that some order of moves leads to, in that order, with reasons."""
    parted = snapshot if wishes.whole else split(snapshot, worth_splitting(snapshot))
    spaces = spaces_of(snapshot.drives, wishes)
    none_may_take = bool(spaces) and all(space.free_bytes <= space.floor_bytes for space in spaces)
    ideal = ideal_placement(parted, wishes, effort=Effort.LITTLE if none_may_take else None)
    joined, places = _rejoined(snapshot, parted, ideal.proposal.places)
    if [library.id for library in joined.libraries] != [library.id for library in parted.libraries]:
        ideal = seen_as_ideal(joined, wishes, replace(ideal.proposal, places=places))
    reachable = reach(joined, wishes, ideal)
    if reachable.proposal.cost_s < ideal.proposal.cost_s:  # the search for it ended early
        ideal = replace(ideal, proposal=reachable.proposal)
    headroom = {drive.id: headroom_wanted(drive, wishes) for drive in snapshot.drives}
    headroom = {drive.id: headroom[drive.id] for drive in snapshot.drives if headroom[drive.id] != drive.headroom_bytes}
    draft = Draft(
        joined,
        places=dict(sorted(reachable.proposal.places.items(), key=lambda place: reachable.reached.layers[place[0]])),
        headroom_bytes=headroom,
        keep_headroom=wishes.keep_headroom,
        on_trial=wishes.on_trial,
        staged={library_id: drive_id for library_id, (drive_id, _) in reachable.reached.via.items()},
        order=reachable.reached.order if reachable.reached.via else (),
    )
    whole = replace(draft, places=_in_order(draft, wishes))
    draft, proposal = _without_the_last(whole, wishes), reachable.proposal
    if draft is not whole:
        proposal = ideal.valued(draft.places)
    met, gathers = _newly_met(draft), _gathered(draft)
    reasons = {
        load.library.id: why_moves(load.library, load.source, load.target, met, gathers.get(load.library.id, ""))
        for load in draft.loads
    }
    trades, impossible = _trades(joined, wishes, proposal)
    limits_cost_s = _limits_cost_s(parted, wishes, whole)
    spare = spare_then(draft, wishes)
    kept = {
        library.id: Kept(
            library=library.name,
            reason=_why_not_made(library, whole, ideal.proposal) or why_stays(library, snapshot, spare, wishes),
        )
        for library in joined.libraries
        if library.id not in draft.places
    }
    return Recommendation(
        replace(draft, landings=propose_landings(draft)),
        proposal,
        ideal.proposal,
        reachable,
        whole,
        trades,
        reasons,
        kept,
        tuple(contradictions(joined, wishes, proposal, impossible)),
        none_may_take,
        limits_cost_s,
    )


def _limits_cost_s(snapshot: Snapshot, wishes: Wishes, whole: Draft) -> float:
    if wishes.most_moves is None and wishes.most_moving_s is None:
        return 0.0
    free = ideal_placement(snapshot, replace(wishes, most_moves=None, most_moving_s=None), effort=Effort.LITTLE)
    return max(0.0, Draft(snapshot, places=dict(free.proposal.places)).saved.likely - whole.saved.likely)


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


def _trades(snapshot: Snapshot, wishes: Wishes, proposal: Proposal) -> tuple[dict[str, float], dict[str, int]]:
    """Of the headroom that a proposal does not mend: what could be mended, and the seconds that all the moving would
    take then; and what could not, in bytes.
    """
    if not proposal.short_bytes:
        return {}, {}
    if len(snapshot.libraries) * len(snapshot.drives) > MOST_AT_ONCE:
        return {}, {}  # there is not the time for another search
    mended = at_any_price(snapshot, wishes, proposal.places)
    drives = {drive.id: drive for drive in snapshot.drives}
    by_id = {library.id: library for library in snapshot.libraries}
    seconds = sum(
        moving_s(by_id[library_id], drives[by_id[library_id].drive], drives[goal])
        for library_id, goal in mended.places.items()
    )
    left = mended.short_bytes
    return (
        {space: seconds for space in proposal.short_bytes if space not in left},
        {space: short for space, short in proposal.short_bytes.items() if space in left},
    )


def _in_order(draft: Draft, wishes: Wishes) -> dict[str, str]:
    """The places in the order in which the moves are best made, parts that go along behind their body."""
    legs = draft.arranged.legs
    order = [leg.load for leg in legs]
    if not draft.arranged.staged_bytes:
        spaces = spaces_of(draft.drives, wishes)
        space_of = {drive.id: space.id for space in spaces for drive in space.drives}
        by_id = {load.library.id: load for load in order}
        moves = [
            replace(transfer, benefit_s=_brings_s(by_id[transfer.key], wishes, spaces))
            for transfer in transfers_of(order, space_of)
        ]
        seconds = {load.library.id: moving_s(load.library, load.source, load.target) for load in order}
        free = {space.id: space.free_bytes for space in spaces}
        floors = {space.id: space.floor_bytes for space in spaces}
        order = [by_id[move.key] for move in best_first(moves, seconds, free, floors)]
    places: dict[str, str] = {}
    for load in order:
        places[load.library.id] = load.target.id
    places |= {library_id: place for library_id, place in draft.places.items() if library_id not in places}
    return places


def _without_the_last(draft: Draft, wishes: Wishes) -> Draft:
    """The draft without the moves that bring least for their trouble: all together less than a tenth of the waiting
    that is saved, and nothing else.
    """
    if wishes.every_move or wishes.style is not Style.BALANCED or draft.staged or len(draft.loads) < _FEW_MOVES:
        return draft
    tied = {
        library_id for demand in demands_of(draft.snapshot, disks_of(draft.drives)) for library_id in demand.libraries
    }
    tied |= {member.id for members in collections_of(draft.snapshot).values() for member in members}
    spaces = spaces_of(draft.drives, wishes)
    relieved = {drive.id for space in spaces if space.short_bytes for drive in space.drives}
    left_s = _LAST_SHARE * sum(max(0.0, load.benefit_s) for load in draft.loads)
    for load in sorted(draft.loads, key=lambda load: load.benefit_s):
        library = load.library
        if load.benefit_s <= 0 or library.id in tied or library.piece is not None or load.source.id in relieved:
            continue
        if load.benefit_s > left_s:
            break
        places = {library_id: place for library_id, place in draft.places.items() if library_id != library.id}
        fewer = replace(draft, places=places)
        if works_in_order(fewer.loads, fewer.drives, wishes) and not _is_shorter(fewer, draft):
            draft, left_s = fewer, left_s - load.benefit_s
    return draft


def _is_shorter(draft: Draft, other: Draft) -> bool:
    """Whether any drive is left with more of its headroom missing."""
    return any(
        draft.free_then_bytes(drive.id) < min(drive.headroom_bytes, other.free_then_bytes(drive.id))
        for drive in draft.drives
    )


def _why_not_made(library: Library, whole: Draft, ideal: Proposal) -> str:
    """Why a move is left out that would be good; empty where none is."""
    if library.id in whole.places:
        return "it is one of the last moves, which bring little for their trouble"
    return "the drives have no room to make way for each other" if library.id in ideal.places else ""


def _brings_s(load: Load, wishes: Wishes, spaces: list[Space]) -> float:
    """What a move brings, in seconds: less waiting, and its share in ending the shortage of the drive it leaves."""
    brings = wishes.weeks * load.benefit_s
    for space in spaces:
        if load.source in space.drives and space.short_bytes:
            share = min(1.0, load.library.on_disk_bytes / space.short_bytes)
            brings += wishes.weighed.headroom_s * share * space.short_bytes / space.headroom_bytes
    return brings


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
