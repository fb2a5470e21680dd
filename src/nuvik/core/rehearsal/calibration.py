"""Calibration: what moves took beside what was reckoned, and what that tells of the next ones.

For each pair of drives the factor is the middle (median) of measured over reckoned, drawn towards 1 while there are few
moves: a single slow evening must not spoil the next figure. What the middle half of the moves were off, and never less
than a tenth, are the bounds.
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


@dataclass(frozen=True, slots=True)
class Sample:
    """One move that was carried to its end."""

    pair: tuple[str, str]
    """From drive, to drive."""
    reckoned_s: float
    """What the model says of it without any calibration."""
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
    told: str = ""

    def of(self, source: str, target: str) -> Factor:
        return self.pairs.get((source, target), self.overall)


NOTHING_LEARNT = Calibration()
_TOO_SHORT_S = 0.5
"""Moves that took less tell of the clock, not of drives."""


def calibrate(samples: Sequence[Sample]) -> Calibration:
    """What these moves tell, oldest first."""
    samples = [one for one in samples if min(one.reckoned_s, one.actual_s) > _TOO_SHORT_S]
    if not samples:
        return NOTHING_LEARNT
    by_pair: dict[tuple[str, str], list[float]] = {}
    for one in samples:
        by_pair.setdefault(one.pair, []).append(math.log(one.actual_s / one.reckoned_s))
    pairs = {pair: _factor(found[-LAST_MOVES:]) for pair, found in by_pair.items()}
    middle = statistics.median(factor.likely for factor in pairs.values())
    return Calibration(pairs, Factor(middle, _UNTRIED_OFF), _told(samples))


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
