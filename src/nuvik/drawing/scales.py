"""Scales: where a value stands on a page."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Scale:
    """From values to points, evenly or by their logarithm."""

    low: float
    high: float
    begin: float
    end: float
    logarithmic: bool = False

    def at(self, value: float) -> float:
        """Where a value stands, within the ends."""
        low, high, value = self.low, self.high, min(max(value, self.low), self.high)
        if self.logarithmic:
            low, high, value = math.log(low), math.log(high), math.log(value)
        share = (value - low) / (high - low) if high > low else 0.0
        return self.begin + (self.end - self.begin) * share

    def decades(self) -> list[float]:
        """The powers of ten on it."""
        first, last = math.ceil(math.log10(self.low) - 1e-9), math.floor(math.log10(self.high) + 1e-9)
        return [10.0**power for power in range(first, last + 1)]


@dataclass(frozen=True, slots=True)
class Piece:
    """A piece of a strip, in points."""

    left: float
    width: float
    broken: bool
    """It is drawn shorter than its scale says."""


def strip_scale(lengths: Iterable[int], room: float, least_share: float = 0.04) -> float:
    """Bytes a point for strips side by side: the longest fits, unless the shortest could not be seen then."""
    every = [length for length in lengths if length > 0] or [1]
    return min(max(every) / room, min(every) / (least_share * room))


def pieces(lengths: Sequence[float], room: float) -> list[Piece]:
    """Lengths in points one after the other; where they do not fit, the longest are drawn shorter, all alike."""
    cap = math.inf
    if sum(lengths) > room:
        low, high = 0.0, max(lengths)
        for _ in range(60):
            cap = (low + high) / 2
            low, high = (cap, high) if sum(min(length, cap) for length in lengths) <= room else (low, cap)
        cap = low
    placed, left = [], 0.0
    for length in lengths:
        width = min(length, cap)
        placed.append(Piece(left, width, length > cap * 1.001))
        left += width
    return placed


def squares(sizes: Sequence[float], width: float, height: float) -> list[tuple[float, float, float, float]]:
    """A rectangle of the given size for each of these, the largest first, as square as rows of them can be: left, top,
    width, height. After Bruls, Huizing and van Wijk, “Squarified Treemaps” (2000).
    """
    total = sum(sizes)
    if not total:
        return []
    areas = [size / total * width * height for size in sizes]
    placed: list[tuple[float, float, float, float]] = []
    left, top, wide, tall, at = 0.0, 0.0, width, height, 0
    while at < len(areas):
        side = min(wide, tall)
        row = [areas[at]]
        while at + len(row) < len(areas) and _worst([*row, areas[at + len(row)]], side) <= _worst(row, side):
            row.append(areas[at + len(row)])
        thick, along = sum(row) / side if side else 0.0, 0.0
        for area in row:
            length = area / thick if thick else 0.0
            placed.append((left, top + along, thick, length) if wide >= tall else (left + along, top, length, thick))
            along += length
        at += len(row)
        if wide >= tall:
            left, wide = left + thick, wide - thick
        else:
            top, tall = top + thick, tall - thick
    return placed


def _worst(row: Sequence[float], side: float) -> float:
    """The longest shape of a row: how many times as long as wide."""
    total = sum(row)
    if not total or not side or not min(row):
        return math.inf
    return max(side**2 * max(row) / total**2, total**2 / (side**2 * min(row)))


_ROUND_S = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10_800, 21_600, 43_200, 86_400)


def round_times(total_s: float, most: int = 6) -> list[float]:
    """Round times from 0 to a total, at most so many steps of them."""
    step = next((each for each in _ROUND_S if total_s / each <= most), 86_400 * math.ceil(total_s / 86_400 / most))
    return [step * number for number in range(int(total_s / step) + 1)]


def round_bytes(most: float, unit: int) -> int:
    """The largest of 1, 2 and 5 times a power of ten of a unit that is not more than so many bytes."""
    power = unit * 10.0 ** math.floor(math.log10(max(most / unit, 1e-9)))
    return round(next(step for step in (5, 2, 1) if step * power <= most * 1.0001) * power)
