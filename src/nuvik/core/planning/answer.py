"""The answer to “what belongs where?”: a proposal, in an order that works, as a draft with reasons."""

from __future__ import annotations

from dataclasses import dataclass, replace

from nuvik.core.model.names import shown
from nuvik.core.model.plan import Kept
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count, format_duration
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.draft import Draft
from nuvik.core.planning.order import Move, Ordered, order_moves
from nuvik.core.planning.proposal import TIME_LIMIT_S, Proposal, RoomOf, propose, spaces_of
from nuvik.core.planning.reasons import spare_then, why_moves, why_stays
from nuvik.core.planning.waiting import waiting_s_per_week


@dataclass(frozen=True, slots=True)
class Answer:
    """A proposal, and what it comes to."""

    draft: Draft
    proposal: Proposal
    ordered: Ordered

    def in_short(self) -> str:
        """For example “4 moves, 95.7 GB, waiting 6 min 30 s → 2 min 40 s a week”."""
        draft = self.draft
        if not draft.places:
            return "nothing moves"
        before, after = draft.waiting_s_per_week()
        size = format_bytes(sum(one.bytes for one in draft.moving()))
        moves = format_count(len(draft.places), "move")
        return f"{moves}, {size}, waiting {format_duration(before)} → {format_duration(after)} a week"

    def in_words(self) -> str:
        """The sentence that matters most: what it saves, and how good it is."""
        draft, labels = self.draft, {drive.id: drive.label for drive in self.draft.drives}
        short = "".join(
            f" {shown(labels[drive])} still misses its headroom by {format_bytes(count)}: too little may move."
            for drive, count in self.proposal.short_bytes.items()
        )
        if not draft.places:
            why = "" if short or self.ordered.stuck else ": no move is worth its time"
            if not self.proposal.in_time:
                why = ": no better placement was found in time"
            return f"Nothing moves{why}.{short}{self._stuck_in_words(labels)}"
        before, after = draft.waiting_s_per_week()
        change = before - after
        several = len(draft.places) > 1
        saves = "leave the waiting as it is" if several else "leaves the waiting as it is"
        if change >= 1:
            saves = f"save{'' if several else 's'} {format_duration(change)} of waiting a week"
        elif change <= -1:
            saves = f"cost{'' if several else 's'} {format_duration(-change)} of waiting a week, for the space"
        relieved = [
            shown(drive.label)
            for drive in draft.drives
            if drive.attached and drive.short_of_headroom_bytes
            and draft.free_then_bytes(drive.id) >= drive.headroom_bytes
        ]  # fmt: skip
        if relieved:
            keep = "keep their" if len(relieved) > 1 else "keeps its"
            saves += f", and {' and '.join(relieved)} {keep} headroom then"
        proof = "nothing better exists"
        if not self.proposal.in_time:
            proof = f"the best found in time, at most {self.proposal.gap:.1%} from the best possible"
        elif self.proposal.gap > 1e-6:
            proof = f"proven to be within {self.proposal.gap:.2%} of the best possible"
        moves = format_count(len(draft.places), "move")
        return f"{moves} {saves}; {proof}.{short}{self._stuck_in_words(labels)}"

    def _stuck_in_words(self, labels: dict[str, str]) -> str:
        """What is proposed and cannot be made, as a sentence with a blank before it."""
        if not self.ordered.stuck:
            return ""
        stuck = format_count(len(self.ordered.stuck), "move")
        if self.ordered.given_up:
            return f" {stuck} more fitted into no order that was tried."
        lacks = f"{shown(labels[self.ordered.missing_on])} lacks {format_bytes(self.ordered.missing_bytes)}"
        return f" {stuck} cannot be made within the headroom, whatever the order: {lacks} for a moment."


def answer(snapshot: Snapshot, wishes: Wishes, room_of: RoomOf, time_limit_s: float = TIME_LIMIT_S) -> Answer:
    """Propose, order, and give reasons. Moves that no order allows are left out of the draft and told."""
    proposal = propose(snapshot, wishes, room_of, time_limit_s)
    ordered = _ordered(snapshot, proposal, wishes, room_of)
    drives = {drive.id: drive for drive in snapshot.drives}
    libraries = {one.id: one for one in snapshot.libraries}
    draft = Draft(snapshot, headroom_bytes=dict(wishes.headroom_bytes))
    reasons = {}
    for move in ordered.done:
        library, there = libraries[move.key], drives[proposal.places[move.key]]
        draft = draft.set_down(move.key, there.id)
        reasons[move.key] = why_moves(library, drives[library.drive], there)
    spare = spare_then(snapshot, proposal, wishes, room_of)
    kept = {
        one.id: Kept(library=one.name, reason=why_stays(one, snapshot, spare, wishes, room_of))
        for one in snapshot.libraries
        if one.id not in proposal.places
    }
    unplaced = tuple(libraries[move.key].name for move in ordered.stuck)
    draft = replace(draft, proven_gap=proposal.gap, reasons=reasons, kept=kept, unplaced=unplaced)
    found = Answer(draft, proposal, ordered)
    return replace(found, draft=replace(draft, said=found.in_words()))


def _ordered(snapshot: Snapshot, proposal: Proposal, wishes: Wishes, room_of: RoomOf) -> Ordered:
    spaces = spaces_of(snapshot.drives, wishes)
    space_of = {drive.id: space.drives[0].id for space in spaces for drive in space.drives}
    drives = {drive.id: drive for drive in snapshot.drives}
    moves = []
    for library in snapshot.libraries:
        if (goes_to := proposal.places.get(library.id)) is not None:
            here, there = drives[library.drive], drives[goes_to]
            moves.append(Move(
                library.id, space_of[here.id], space_of[there.id], room_of(library, there), library.on_disk_bytes,
                waiting_s_per_week(library, here) - waiting_s_per_week(library, there),
            ))  # fmt: skip
    free = {space.drives[0].id: space.free_bytes for space in spaces}
    floors = {space.drives[0].id: space.headroom_bytes for space in spaces}
    return order_moves(moves, free, floors)
