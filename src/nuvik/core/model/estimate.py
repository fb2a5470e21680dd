"""An estimate: a figure and the bounds between which the truth lies, as far as is known."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.units import format_duration

_WORTH_SHOWING = 1.15
"""Bounds nearer to each other than this are shown as one figure."""


@dataclass(frozen=True, slots=True)
class Estimate:
    """Seconds. `low` ≤ `likely` ≤ `high`."""

    low: float
    likely: float
    high: float

    def __add__(self, other: Estimate) -> Estimate:
        """Of two figures that are wrong together, as everything read from one drive is."""
        return Estimate(self.low + other.low, self.likely + other.likely, self.high + other.high)

    @property
    def bounds(self) -> tuple[float, float]:
        return self.low, self.high

    @property
    def unsure(self) -> bool:
        """Whether the bounds lie so far apart that both are to be shown."""
        return self.high - self.low >= 1 and self.high > self.low * _WORTH_SHOWING

    def in_words(self) -> str:
        """A duration, or two with “to” between them where one would claim too much."""
        return (
            f"{format_duration(self.low)} to {format_duration(self.high)}"
            if self.unsure
            else format_duration(self.likely)
        )


NOTHING = Estimate(0.0, 0.0, 0.0)
