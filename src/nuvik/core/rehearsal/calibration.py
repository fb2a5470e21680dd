"""Calibration: what moves took beside what was reckoned, and what that tells of the next ones.

What the drives take has a factor for each pair of them, what the computer takes for each file one for all: a move tells
of that in which it spent most of its time. A factor is the middle (median) of measured over reckoned, drawn towards 1
while there are few moves: a single slow evening must not spoil the next figure. What the middle half of the moves were
off, and never less than a tenth, are the bounds.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from nuvik.core.model.units import format_count

LAST_MOVES = 12
"""So many moves tell how well the last ones were foreseen."""
_PRIOR_MOVES = 0.5
"""Assumed: what was never tried counts as half a move that took what was reckoned."""
_LEAST_OFF, _UNTRIED_OFF = 1.1, 1.25
"""Assumed: how far a foreseen time may be off on a pair that is known well, and on one that was never used."""
_FEWEST = 3
_ROUNDS = 3
_MOST_OFF = 50.0


@dataclass(frozen=True, slots=True)
class Sample:
    """One move that was carried to its end."""

    pair: tuple[str, str]
    """From drive, to drive."""
    drives_s: float
    """What the model says that the drives take, without any calibration …"""
    work_s: float
    """… and what the computer takes besides."""
    expected_s: float
    """What was foreseen before it began."""
    actual_s: float


@dataclass(frozen=True, slots=True)
class Factor:
    """By what the model's times are multiplied, and by what the bounds lie apart from that."""

    likely: float = 1.0
    off: float = _UNTRIED_OFF

    @property
    def bounds(self) -> tuple[float, float]:
        return self.likely / self.off, self.likely * self.off


@dataclass(frozen=True)
class Calibration:
    """What was learnt so far."""

    pairs: dict[tuple[str, str], Factor] = field(default_factory=dict)
    overall: Factor = Factor()
    """For pairs that were never used."""
    work: Factor = Factor()
    """For what the computer takes for each file."""
    told: str = ""

    def of(self, source: str, target: str) -> Factor:
        return self.pairs.get((source, target), self.overall)


NOTHING_LEARNT = Calibration()
_TOO_SHORT_S = 0.5
"""Moves that took less tell of the clock, not of drives."""


def calibrate(samples: Sequence[Sample]) -> Calibration:
    """What these moves tell, oldest first."""
    samples = [one for one in samples if min(one.drives_s + one.work_s, one.actual_s) > _TOO_SHORT_S]
    pairs: dict[tuple[str, str], Factor] = {}
    work = Factor()
    for _ in range(_ROUNDS):  # each of the two is told with what is known of the other
        logs: dict[tuple[str, str], list[float]] = {}
        worked = []
        for one in samples:
            drives_s = one.drives_s * pairs.get(one.pair, Factor()).likely
            if one.work_s > drives_s:
                worked.append(_log(one.actual_s - drives_s, one.work_s))
            elif one.drives_s:
                logs.setdefault(one.pair, []).append(_log(one.actual_s - one.work_s * work.likely, one.drives_s))
        pairs = {pair: _factor(found[-LAST_MOVES:]) for pair, found in logs.items()}
        work = _factor(worked[-LAST_MOVES:]) if worked else Factor()
    if not samples:
        return NOTHING_LEARNT
    middle = statistics.median(factor.likely for factor in pairs.values()) if pairs else 1.0
    return Calibration(pairs, Factor(middle), work, _told(samples))


def _log(actual_s: float, reckoned_s: float) -> float:
    """The logarithm of measured over reckoned, within what a sound computer can be off."""
    return math.log(min(_MOST_OFF, max(1 / _MOST_OFF, actual_s / reckoned_s)))


def _factor(logs: Sequence[float]) -> Factor:
    weight = len(logs) / (len(logs) + _PRIOR_MOVES)
    likely = weight * statistics.median(logs)
    if len(logs) < _FEWEST:
        return Factor(math.exp(likely), _UNTRIED_OFF ** (1 - 0.3 * len(logs)))
    lower, _, upper = statistics.quantiles(logs, n=4, method="inclusive")
    return Factor(math.exp(likely), max(_LEAST_OFF, math.exp(max(upper - likely, likely - lower))))


def _told(samples: Iterable[Sample]) -> str:
    """For example “the last 12 moves took 0.94 to 1.08 of what was foreseen”."""
    ratios = [one.actual_s / one.expected_s for one in samples if one.expected_s > _TOO_SHORT_S][-LAST_MOVES:]
    if not ratios:
        return ""
    if len(ratios) == 1:
        return f"the last move took {ratios[0]:.2f} of what was foreseen"
    return (
        f"the last {format_count(len(ratios), 'move')} took {min(ratios):.2f} to {max(ratios):.2f} of what was foreseen"
    )
