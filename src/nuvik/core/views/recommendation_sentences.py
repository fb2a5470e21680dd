"""A recommendation in words: what it saves, how good it is, and what cannot be had."""

from __future__ import annotations

from collections.abc import Mapping

from nuvik.core.model.estimate import Estimate
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count, format_duration, from_to
from nuvik.core.planning.drafting.recommendation import Recommendation

_FAR = 0.1
"""Further from the bound than this, a share says nothing that anybody understands."""
_MOST_SHORT = 2
"""More drives that are short are listed, not told one by one."""
_MATTERS = frozenset([Kind.DOCUMENT, Kind.PHOTO, Kind.PROJECT])


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
    short_bytes = recommendation.proposal.short_bytes
    short = [_short_sentence(recommendation, labels, space) for space in short_bytes]
    if len(short) > _MOST_SHORT and not recommendation.trades:
        listed = ", ".join(f"{labels[space]} {format_bytes(missing)}" for space, missing in short_bytes.items())
        short = [f"Short of their headroom: {listed}."]
    contradictions = [contradiction.in_words() for contradiction in recommendation.contradictions]
    alone, more = _alone_on_portable(recommendation), more_moves(recommendation)
    if recommendation.limits_cost_s >= 1:
        limits_cost = format_duration(recommendation.limits_cost_s)
        more = f"Without limits on the moving, up to {limits_cost} a week more could be saved. {more}".strip()
    return " ".join(filter(None, (_main_sentence(recommendation), more, *short, *contradictions, alone)))


def more_moves(recommendation: Recommendation) -> str:
    """What the last moves would bring, which are left out; empty when none are."""
    draft, whole = recommendation.draft, recommendation.whole
    left = len(whole.loads) - len(draft.loads)
    if left <= 0:
        return ""
    seconds = max(0.0, whole.saved.likely - draft.saved.likely)
    return f"{format_count(left, 'more move')} would save {format_duration(seconds)} a week more (--every-move)."


def _short_sentence(recommendation: Recommendation, labels: Mapping[str, str], space: str) -> str:
    """That a drive stays short, and what ending that would take."""
    short = recommendation.proposal.short_bytes[space]
    words = f"{labels[space]} is still {format_bytes(short)} short of its headroom"
    if (seconds := recommendation.trades.get(space)) is not None:
        drive = recommendation.draft.drive(space)
        share = short / max(1, drive.headroom_bytes)
        return f"{words} ({share:.1%} of it): ending that would take {format_duration(seconds)} of moving in all."
    return f"{words}."


def _alone_on_portable(recommendation: Recommendation) -> str:
    """What matters, of which no copy is known, and which is going to be on a drive that can be carried away."""
    draft = recommendation.draft
    copied = {path for library in draft.snapshot.libraries for path in library.apart_from}
    names = [
        shown(load.library.name)
        for load in draft.loads
        if load.target.portable
        and not load.source.portable
        and load.library.kind in _MATTERS
        # What a card keeps apart from another is a copy, or has one.
        and not load.library.apart_from
        and not {load.library.path, load.library.tether} & copied
    ]
    if not names:
        return ""
    listed = " and ".join((*names[:2], *([f"{len(names) - 2} more"] if len(names) > 2 else [])))
    is_are = "is" if len(names) == 1 else "are"
    return f"{listed} {is_are} going to be on a portable drive, and no copy is known: make a backup."


def _main_sentence(recommendation: Recommendation) -> str:
    draft, proposal = recommendation.draft, recommendation.proposal
    if not draft.places:
        if recommendation.none_may_take:
            return (
                "Nothing moves: every drive has less free than its headroom, and none may go lower than it is now. "
                "Remove something, lower a headroom, or add a drive."
            )
        if recommendation.ideal.places:
            return f"Nothing moves: {_no_room(recommendation)}."
        if not proposal.in_time:
            return "Nothing moves: no better placement was found."
        return "Nothing moves." if proposal.short_bytes else "Nothing moves: no move is worth its time."
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
    if not recommendation.is_best:
        close = proposal.gap < _FAR
        proof = f"this is within {max(0.001, proposal.gap):.1%} of what would be possible" if close else ""
        if recommendation.reachable.proposal.cost_s - recommendation.ideal.cost_s > 1:
            proof += f"{', but' if close else 'for more,'} {_no_room(recommendation)}"
        elif not close:
            proof = "whether a better one exists is not known"
    elif proposal.gap > 1e-6:
        proof = f"this is proven to be within {proposal.gap:.2%} of the best possible"
    else:
        limited = recommendation.limits_cost_s >= 1
        proof = "nothing better exists within your limits" if limited else "nothing better exists"
    if staged := recommendation.draft.arranged.staged_bytes:
        proof += f"; {format_bytes(staged)} go via a third drive, because each needs the place of another"
    return proof


def _no_room(recommendation: Recommendation) -> str:
    """That drives are too full to turn around, and what would help."""
    reachable = recommendation.reachable
    if not reachable.missing_bytes:
        return "the drives have no room to make way for each other"
    label = shown(recommendation.draft.drive(reachable.missing_on).label)
    needed = f"{format_bytes(reachable.missing_bytes)} more free on {label} would be needed to make room along the way"
    could_save_s = recommendation.could_save_s
    return f"{needed}, for up to {format_duration(could_save_s)} less waiting a week" if could_save_s >= 1 else needed


def _effect(saved: Estimate, several: bool) -> str:
    if saved.likely >= 1:
        return f"save{'' if several else 's'} {saved.in_words()} of waiting a week"
    if saved.likely <= -1:
        cost = Estimate(-saved.high, -saved.likely, -saved.low)
        return f"cost{'' if several else 's'} {cost.in_words()} of waiting a week, to free up space"
    return "do not change the waiting" if several else "does not change the waiting"
