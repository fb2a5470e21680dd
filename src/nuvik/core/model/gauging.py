"""Gauging: what a speed test may cost, what it found, and how sure it is."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.units import format_bytes, format_duration

GETS_SLOWER_SHARE = 0.75
"""Assumed: below this share of what it once did, a drive got slower; less is noise of the day."""


@dataclass(frozen=True, slots=True, kw_only=True)
class GaugeBudget:
    """What measuring one drive will cost at most, told before it begins."""

    drive: str
    write_bytes: int
    """Written to a test file in all; 0 where the drive is only read."""
    time_s: float
    passes: int
    sustained_bytes: int = 0
    """Written on after the passes, to see whether writing slows down; 0: not tried."""
    reads_only_because: str | None = None
    """Why nothing is written, as the end of a sentence."""

    def in_words(self) -> str:
        """For example `writes up to 1.5 GB to a test file and reads it back, up to 26 s; the file is removed`."""
        time = f"up to {format_duration(self.time_s)}"
        if self.reads_only_because is not None:
            return f"reads large files that are there, {time}, and writes nothing, since {self.reads_only_because}"
        written = format_bytes(self.write_bytes + self.sustained_bytes)
        return f"writes up to {written} to a test file and reads it back, {time}; the file is removed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Figure:
    """One measured speed: the middle of its passes. Bytes per second, or reads per second."""

    per_s: float
    passes: tuple[float, ...]

    @property
    def spread(self) -> float:
        """(highest - lowest) / middle of the passes; 0 for a single one."""
        return (max(self.passes) - min(self.passes)) / self.per_s if self.per_s else 0.0

    @classmethod
    def of(cls, passes: list[float]) -> Figure:
        import statistics  # slow to load, and only measuring needs it

        return cls(per_s=statistics.median(passes), passes=tuple(passes))


@dataclass(frozen=True, slots=True, kw_only=True)
class GaugeResult:
    """What one gauging of one drive found."""

    drive: str
    identity: str
    taken_at: str
    read: Figure
    small_reads: Figure
    write: Figure | None
    """None where nothing was written."""
    sustained_write_bytes_per_s: float | None = None
    """The write speed after it dropped; None when it did not, or was not tried long enough."""
    burst_bytes: int | None = None
    """What was written before it dropped."""
    tried_bytes: int = 0
    """What was written in one go to find that out."""
    method: str = "direct"
    """direct: past the cache; dropped: the cache was emptied first; cached: through the cache."""
    temperature_c: float | None = None
    """The warmest seen while gauging, where the drive tells it."""
    written_bytes: int = 0
    took_s: float = 0.0

    @property
    def spread(self) -> float:
        """That of the least steady figure."""
        return max(figure.spread for figure in (self.read, self.small_reads, self.write) if figure is not None)

    @property
    def through_cache(self) -> bool:
        return self.method == "cached"


@dataclass(frozen=True, slots=True)
class GaugeProgress:
    """Where a running gauge stands."""

    drive: str
    phase: str
    """writing, writing on, reading, small reads."""
    share: float
    """Of the whole gauging, 0 to 1."""
    per_s: float
    """Bytes per second, or reads per second in `small reads`, since the report before."""


@dataclass(frozen=True, slots=True, kw_only=True)
class GaugeOutcome:
    """How gauging one drive ended: a result, or the problem that prevented it."""

    drive: str
    result: GaugeResult | None = None
    problem: str | None = None


def slower_than_before(history: list[GaugeResult]) -> str | None:
    """Whether the latest result is clearly below the best earlier one, as one sentence; None when it is not.

    `history` is one drive's results, oldest first.
    """
    if len(history) < 2:
        return None
    latest = history[-1]
    best = max(history[:-1], key=lambda one: one.read.per_s)
    if latest.read.per_s < GETS_SLOWER_SHARE * best.read.per_s:
        return (
            f"reads {100 * (1 - latest.read.per_s / best.read.per_s):.0f} % slower than on {best.taken_at[:10]}: "
            "it may be nearly full, warm, on another port, or wearing out"
        )
    return None
