"""What another drive would change, in words."""

from __future__ import annotations

from nuvik.core.model.names import shown
from nuvik.core.planning.buying.purchases import PurchaseVerdict


def verdict_sentence(verdict: PurchaseVerdict) -> str:
    """A line: what holds a candidate back, and what it would save."""
    candidate = verdict.candidate
    limit = f"{shown(candidate.label)}: held back by {candidate.held_back_by}"
    if not verdict.libraries or verdict.saves_s_per_week < 1:
        return f"{limit}; nothing of yours would open noticeably faster with it"
    first = shown(verdict.libraries[0])
    more = f" and {len(verdict.libraries) - 1} more" if len(verdict.libraries) > 1 else ""
    return f"{limit}; with {first}{more} on it you would wait {verdict.saves.in_words()} less a week"
