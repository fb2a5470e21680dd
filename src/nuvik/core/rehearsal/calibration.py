"""Calibration: what moves took beside what was reckoned, and what that tells of the next ones.

What the drives take for the bytes has a factor for each pair of them, what every file takes, there and in the
computer, one for all. The factors are those with which the sum of how far the moves are off, in logarithms, is least
(least absolute deviations: one slow evening among several does not matter), where that nothing differs from what was
reckoned counts as half a move. What the middle half of the moves are off then, and never less than a tenth, are the
bounds.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from nuvik.core.model.units import format_count

LAST_MOVES, _FITTED_MOVES = 12, 30
"""So many moves tell how well the last ones were foreseen, and so many of each pair of drives are reckoned with."""
_PRIOR_MOVES = 0.5
"""Assumed: what was never tried counts as half a move that took what was reckoned."""
_LEAST_OFF, _UNTRIED_OFF = 1.1, 1.25
"""Assumed: how far a foreseen time may be off on a pair that is known well, and on one that was never used."""
_AS_EXPECTED_PERCENT = 5
_FEWEST = 3
_MOST_OFF = 50.0
_WORK_FACTORS = tuple(math.exp(step / 20) for step in range(-40, 41))
"""What is tried for the work on each file: from a seventh to seven times, in steps of a twentieth."""


@dataclass(frozen=True, slots=True)
class Sample:
    """A move that was carried to its end."""

    pair: tuple[str, str]
    """From drive, to drive."""
    drives_s: float
    """What the model says that the drives take for the bytes, without any calibration …"""
    work_s: float
    """… and what the files take besides, however large they are."""
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
    """For what every file takes."""
    sentence: str = ""

    def of(self, source: str, target: str) -> Factor:
        return self.pairs.get((source, target), self.overall)


NOTHING_LEARNT = Calibration()
_TOO_SHORT_S = 0.5
"""Moves that took less tell of the clock, not of drives."""


def calibrate(samples: Sequence[Sample]) -> Calibration:
    """What these moves tell, oldest first."""
    samples = [sample for sample in samples if min(sample.drives_s + sample.work_s, sample.actual_s) > _TOO_SHORT_S]
    if not samples:
        return NOTHING_LEARNT
    by_pair: dict[tuple[str, str], list[Sample]] = {}
    for sample in samples:
        by_pair.setdefault(sample.pair, []).append(sample)
    by_pair = {pair: pair_samples[-_FITTED_MOVES:] for pair, pair_samples in by_pair.items()}
    work = min(_WORK_FACTORS, key=lambda tried: (_badness(by_pair, tried), abs(math.log(tried))))
    factors = {pair: _best(pair_samples, work)[1] for pair, pair_samples in by_pair.items()}
    off = {
        pair: [_off(sample, factors[pair], work) for sample in pair_samples] for pair, pair_samples in by_pair.items()
    }
    worked = [_off(sample, factors[sample.pair], work) for sample in samples if sample.work_s > sample.drives_s][
        -LAST_MOVES:
    ]
    pairs = {pair: Factor(factors[pair], _bound(off[pair])) for pair in by_pair}
    return Calibration(
        pairs, Factor(statistics.median(factors.values())), Factor(work, _bound(worked)), _sentence(samples)
    )


def _badness(by_pair: Mapping[tuple[str, str], Sequence[Sample]], work: float) -> float:
    """How far all moves are off with this factor for the work, and the best ones for the drives."""
    return _PRIOR_MOVES * abs(math.log(work)) + sum(_best(pair_samples, work)[0] for pair_samples in by_pair.values())


def _best(samples: Sequence[Sample], work: float) -> tuple[float, float]:
    """How far moves between one pair of drives are off with the best factor, and that factor. The best of such a sum is
    one with which some move is not off at all, or 1.
    """
    exact = ((sample.actual_s - sample.work_s * work) / sample.drives_s for sample in samples if sample.drives_s > 0)
    tried = [1.0, *(min(_MOST_OFF, max(1 / _MOST_OFF, sample)) for sample in exact)]
    return min(
        (sum(abs(_off(sample, factor, work)) for sample in samples) + _PRIOR_MOVES * abs(math.log(factor)), factor)
        for factor in tried
    )


def _off(sample: Sample, factor: float, work: float) -> float:
    """The logarithm of measured over reckoned with these factors."""
    return math.log(sample.actual_s / (sample.drives_s * factor + sample.work_s * work))


def _bound(off: Sequence[float]) -> float:
    """By how many times the next one may be off, from how far the last ones were."""
    if len(off) < _FEWEST:
        return float(_UNTRIED_OFF ** (1 - 0.3 * len(off)))
    return max(_LEAST_OFF, math.exp(statistics.quantiles(map(abs, off), n=4, method="inclusive")[2]))


def _sentence(samples: Iterable[Sample]) -> str:
    """For example “the last 12 moves took between 6 % less and 8 % more time than expected”."""
    ratios = [sample.actual_s / sample.expected_s for sample in samples if sample.expected_s > _TOO_SHORT_S][
        -LAST_MOVES:
    ]
    if not ratios:
        return ""
    if len(ratios) == 1:
        return f"the last move took {_against(ratios[0], alone=True)}"
    low, high = min(ratios), max(ratios)
    moves = f"the last {format_count(len(ratios), 'move')} took"
    if _against(low) == _against(high):
        return f"{moves} {_against(low, alone=True)}"
    return f"{moves} between {_against(low)} and {_against(high)} time than expected"


def _against(ratio: float, alone: bool = False) -> str:
    """A time beside the expected one, such as “8 % more”; on its own as the end of a sentence."""
    percent = round(100 * (ratio - 1))
    if abs(percent) < _AS_EXPECTED_PERCENT:
        return "as long as expected" if alone else "as much"
    words = f"{abs(percent)} % {'more' if percent > 0 else 'less'}"
    return f"{words} time than expected" if alone else words
