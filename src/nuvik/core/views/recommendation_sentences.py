"""A recommendation in words: what it saves, how good it is, and what cannot be had."""

from __future__ import annotations

from collections.abc import Sequence

from nuvik.core.model.drive import Drive
from nuvik.core.model.estimate import Estimate
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count, from_to
from nuvik.core.planning.drafting.recommendation import Recommendation
from nuvik.core.planning.ordering.arrange import Arranged


def recommendation_summary(recommendation: Recommendation) -> str:
    """For example “4 moves, 95.7 GB, waiting 6 min 30 s → 2 min 40 s a week”."""
    draft = recommendation.draft
    if not draft.places:
        return "nothing moves"
    now, then = draft.waiting
    size = format_bytes(sum(load.library.on_disk_bytes for load in draft.loads))
    waits = f"waiting {from_to(now.in_words(), then.in_words())}"
    return f"{format_count(len(draft.loads), 'move')}, {size}, {waits} a week"


def recommendation_sentences(recommendation: Recommendation) -> str:
    """What matters most: what it saves and how good it is; then what cannot be had, and why."""
    labels = {drive.id: shown(drive.label) for drive in recommendation.draft.drives}
    short = [
        f"{labels[drive_id]} is still {format_bytes(count)} short of its headroom."
        for drive_id, count in recommendation.proposal.short_bytes.items()
    ]
    contradictions = [contradiction.in_words() for contradiction in recommendation.contradictions]
    stuck = stuck_sentence(recommendation.arranged, recommendation.draft.drives)
    return " ".join(filter(None, (_main_sentence(recommendation), *short, *contradictions, stuck)))


def _main_sentence(recommendation: Recommendation) -> str:
    draft, proposal = recommendation.draft, recommendation.proposal
    if not draft.places:
        if not proposal.in_time:
            return "Nothing moves: no better placement was found in time."
        why = "" if proposal.short_bytes or recommendation.arranged.stuck else ": no move is worth its time"
        return f"Nothing moves{why}."
    several = len(draft.loads) > 1
    effect = f"{format_count(len(draft.loads), 'move')} {_effect(draft.saved, several)}"
    return f"{effect}{_relief(recommendation)}; {_proof(recommendation)}."


def _relief(recommendation: Recommendation) -> str:
    """Which drives get their headroom back."""
    draft = recommendation.draft
    relieved = [
        shown(drive.label)
        for drive in draft.drives
        if drive.attached and drive.short_of_headroom_bytes and draft.free_then_bytes(drive.id) >= drive.headroom_bytes
    ]
    if not relieved:
        return ""
    return f", and {' and '.join(relieved)} {'have' if len(relieved) > 1 else 'has'} enough free space again"


def _proof(recommendation: Recommendation) -> str:
    proposal = recommendation.proposal
    proof = "nothing better exists"
    if not proposal.in_time:
        proof = f"this is the best found in time, at most {proposal.gap:.1%} from the best possible"
    elif proposal.gap > 1e-6:
        proof = f"this is proven to be within {proposal.gap:.2%} of the best possible"
    if staged := recommendation.arranged.staged_bytes:
        proof += f"; {format_bytes(staged)} go via a third drive, because each needs the place of another"
    return proof


def _effect(saved: Estimate, several: bool) -> str:
    if saved.likely >= 1:
        return f"save{'' if several else 's'} {saved.in_words()} of waiting a week"
    if saved.likely <= -1:
        cost = Estimate(-saved.high, -saved.likely, -saved.low)
        return f"cost{'' if several else 's'} {cost.in_words()} of waiting a week, to free up space"
    return "do not change the waiting" if several else "does not change the waiting"


def stuck_sentence(arranged: Arranged, drives: Sequence[Drive]) -> str:
    """What cannot be made in any order, and what is missing for it; empty when all can."""
    if not arranged.stuck:
        return ""
    stuck = format_count(len(arranged.stuck), "move")
    if arranged.ordered.given_up:
        return f"{stuck} did not fit into any order that was tried."
    label = next(shown(drive.label) for drive in drives if drive.id == arranged.ordered.missing_on)
    missing = format_bytes(arranged.ordered.missing_bytes)
    return (
        f"{stuck} cannot be carried without going below the headroom, whatever the order and the detour: at some "
        f"moment {label} would be {missing} short."
    )
