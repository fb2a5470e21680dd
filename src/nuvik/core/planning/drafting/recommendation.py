"""The answer to “what belongs where?”: a proposal, in an order that works, as a draft with reasons."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.estimate import Estimate
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Kept
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count
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
from nuvik.core.views.draft_sentences import stuck_in_words


@dataclass(frozen=True, slots=True)
class Answer:
    """A proposal, and what it comes to."""

    draft: Draft
    """Only what some order of moves allows."""
    proposal: Proposal
    arranged: Arranged
    """All that is proposed, and what no order allows."""
    contradictions: tuple[Contradiction, ...] = ()
    """Why wishes are not met."""
    stuck_says: str = ""

    def in_short(self) -> str:
        """For example “4 moves, 95.7 GB, waiting 6 min 30 s → 2 min 40 s a week”."""
        draft = self.draft
        if not draft.places:
            return "nothing moves"
        now, then = draft.waiting
        size = format_bytes(sum(load.library.bytes for load in draft.loads))
        moves = format_count(len(draft.loads), "move")
        return f"{moves}, {size}, waiting {now.in_words()} → {then.in_words()} a week"

    def in_words(self) -> str:
        """The sentence that matters most: what it saves, and how good it is; then what cannot be had, and why."""
        return " ".join(one for one in (self._main_sentence(), *self._cannot_be_had(), self.stuck_says) if one)

    def _main_sentence(self) -> str:
        draft = self.draft
        if not draft.places:
            why = "" if self.proposal.short_bytes or self.stuck_says else ": no move is worth its time"
            if not self.proposal.in_time:
                why = ": no better placement was found in time"
            return f"Nothing moves{why}."
        several = len(draft.loads) > 1
        saves = _saves(draft.saved, several)
        relieved = [
            shown(drive.label)
            for drive in draft.drives
            if drive.attached
            and drive.short_of_headroom_bytes
            and draft.free_then_bytes(drive.id) >= drive.headroom_bytes
        ]
        if relieved:
            keep = "keep their" if len(relieved) > 1 else "keeps its"
            saves += f", and {' and '.join(relieved)} {keep} headroom then"
        proof = "nothing better exists"
        if not self.proposal.in_time:
            proof = f"the best found in time, at most {self.proposal.gap:.1%} from the best possible"
        elif self.proposal.gap > 1e-6:
            proof = f"proven to be within {self.proposal.gap:.2%} of the best possible"
        staged = ""
        if waits := self.arranged.staged_bytes:
            staged = f"; {format_bytes(waits)} go by way of a third drive, since each wants the place of another"
        return f"{format_count(len(draft.loads), 'move')} {saves}; {proof}{staged}."

    def _cannot_be_had(self) -> list[str]:
        labels = {drive.id: shown(drive.label) for drive in self.draft.drives}
        said = [
            f"{labels[drive]} still misses its headroom by {format_bytes(count)}."
            for drive, count in self.proposal.short_bytes.items()
        ]
        return said + [one.in_words() for one in self.contradictions]


def _saves(saved: Estimate, several: bool) -> str:
    if saved.likely >= 1:
        return f"save{'' if several else 's'} {saved.in_words()} of waiting a week"
    if saved.likely <= -1:
        cost = Estimate(-saved.high, -saved.likely, -saved.low)
        return f"cost{'' if several else 's'} {cost.in_words()} of waiting a week, for the space"
    return "leave the waiting as it is" if several else "leaves the waiting as it is"


def answer(snapshot: Snapshot, wishes: Wishes, time_limit_s: float = TIME_LIMIT_S) -> Answer:
    """Propose, order, and give reasons. Moves that no order allows are left out of the draft and told."""
    parted = snapshot if wishes.whole else split(snapshot, worth_splitting(snapshot))
    proposal = propose(parted, wishes, time_limit_s)
    snapshot, places = _rejoined(snapshot, parted, proposal.places)
    headroom = {one.id: headroom_wanted(one, wishes) for one in snapshot.drives}
    headroom = {one.id: headroom[one.id] for one in snapshot.drives if headroom[one.id] != one.headroom_bytes}
    whole = Draft(snapshot, places=dict(places), headroom_bytes=headroom)
    stuck = {load.library.id for load in whole.arranged.stuck}
    stuck |= {one.id for load in whole.arranged.stuck for one in whole.parts_of(load.library)}
    draft = Draft(snapshot, headroom_bytes=headroom, places=_in_order(whole, stuck))
    met = _newly_met(draft)
    gathers = _gathered(draft)
    reasons = {}
    for load in draft.loads:
        here, there, key = load.source, load.target, load.library.id
        reasons[key] = why_moves(load.library, here, there, met, gathers.get(key, ""))
    spare = spare_then(whole, wishes)
    kept = {
        one.id: Kept(library=one.name, reason=why_stays(one, snapshot, spare, wishes))
        for one in snapshot.libraries
        if one.id not in whole.places
    }
    draft = replace(
        draft,
        proven_gap=proposal.gap,
        reasons=reasons,
        kept=kept,
        landings=propose_landings(draft),
        unplaced=tuple(load.library.name for load in whole.arranged.stuck),
    )
    found = Answer(
        draft, proposal, whole.arranged, tuple(contradictions(parted, wishes, proposal)), stuck_in_words(whole)
    )
    return replace(found, draft=replace(draft, said=found.in_words()))


def _rejoined(whole: Snapshot, parted: Snapshot, places: Mapping[str, str]) -> tuple[Snapshot, dict[str, str]]:
    """The snapshot in which only those parts are parted from their library that go another way; and who goes where."""
    bodies = {one.id: one for one in parted.libraries if one.piece is not None and one.piece.body}
    apart: dict[str, list[str]] = {}
    for one in parted.libraries:
        if one.piece is not None and not one.piece.body:
            body = bodies[one.piece.whole]
            if places.get(one.id, one.drive) != places.get(body.id, body.drive):
                apart.setdefault(body.id, []).append(os.path.relpath(one.path, body.path))
    joined = split(whole, apart.keys(), apart)
    return joined, {one.id: places[one.id] for one in joined.libraries if one.id in places}


def _in_order(draft: Draft, without: set[str]) -> dict[str, str]:
    """The places in the order in which the moves are made, parts that go along behind their body."""
    places: dict[str, str] = {}
    for leg in draft.arranged.legs:
        places[leg.load.library.id] = leg.load.target.id
    places |= {one: place for one, place in draft.places.items() if one not in places}
    return {one: place for one, place in places.items() if one not in without}


def _gathered(draft: Draft) -> dict[str, str]:
    """By library id, the name of the collection that its move gathers on fewer drives."""
    found: dict[str, str] = {}
    for name, members in collections_of(draft.snapshot).items():
        if len({draft.place_of(one) for one in members}) < len({one.drive for one in members}):
            found |= {one.id: shown(name) for one in members}
    return found


def _newly_met(draft: Draft) -> list[Demand]:
    drives: tuple[Drive, ...] = draft.snapshot.drives
    libraries: dict[str, Library] = {one.id: one for one in draft.snapshot.libraries}
    return [
        one
        for one in demands_of(draft.snapshot, disks_of(drives))
        if not one.met(lambda library: libraries[library].drive)
        and one.met(lambda library: draft.place_of(libraries[library]))
    ]
