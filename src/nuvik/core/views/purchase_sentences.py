"""What another drive would change, in words."""

from __future__ import annotations

from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count, format_duration
from nuvik.core.planning.buying.purchases import PurchaseVerdict

_FELT_S_PER_WEEK = 1.0
_FELT_BYTES = 1_000_000_000


def verdict_sentence(verdict: PurchaseVerdict) -> str:
    """A line: what holds a candidate back, and what it would change. For example “Lanner: held back by USB 3.2 Gen 2;
    ends the shortage on 2 drives; with Ferry and 3 more on it you would wait 2 min less a week (6 min → 4 min)”.
    """
    candidate = verdict.candidate
    words = [f"{shown(candidate.label)}: held back by {candidate.held_back_by}"]
    if relief := _relief(verdict):
        words.append(relief)
    if verdict.libraries and verdict.saves_s_per_week >= _FELT_S_PER_WEEK:
        first = shown(verdict.libraries[0])
        more = f" and {len(verdict.libraries) - 1} more" if len(verdict.libraries) > 1 else ""
        without, by_it = map(format_duration, verdict.waiting_s_per_week)
        saves = verdict.saves.in_words()
        words.append(f"with {first}{more} on it you would wait {saves} less a week ({without} → {by_it})")
    if len(words) == 1:
        words.append("nothing of yours would open noticeably faster with it")
    return "; ".join(words)


def _relief(verdict: PurchaseVerdict) -> str:
    """What it would change about the headroom that is missed; empty when nothing that matters."""
    drives = verdict.relieves
    if drives:
        names = " and ".join(map(shown, drives)) if len(drives) < 3 else format_count(len(drives), "drive")
        return f"ends the shortage on {names}"
    return f"{format_bytes(verdict.frees_bytes)} less headroom is missed" if verdict.frees_bytes > _FELT_BYTES else ""
