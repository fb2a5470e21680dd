"""Gauging: what a speed test may cost, what it found, and how sure it is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.units import format_bytes, format_duration

GETS_SLOWER_SHARE = 0.75
"""Assumed: below this share of what it once did, a drive got slower; less is noise of the day."""


@dataclass(frozen=True, slots=True, kw_only=True)
class GaugeBudget:
    """What measuring a drive will cost at most, shown before it begins."""

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
            return f"reads existing large files, {time}, and writes nothing, because {self.reads_only_because}"
        written = format_bytes(self.write_bytes + self.sustained_bytes)
        return f"writes up to {written} to a test file and reads it back, {time}; the file is removed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Throughput:
    """How fast a drive reads or writes in sequence: the middle of its passes."""

    bytes_per_s: float
    passes_bytes_per_s: tuple[float, ...]
    """Pass by pass."""

    @property
    def spread(self) -> float:
        """(highest - lowest) / middle of the passes; 0 for a single one."""
        return _spread(self.passes_bytes_per_s, self.bytes_per_s)

    @classmethod
    def of(cls, passes_bytes_per_s: Sequence[float]) -> Throughput:
        return cls(bytes_per_s=_middle(passes_bytes_per_s), passes_bytes_per_s=tuple(passes_bytes_per_s))


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadRate:
    """How many small reads anywhere a drive does: the middle of its passes."""

    reads_per_s: float
    """How many small reads it does."""
    passes_reads_per_s: tuple[float, ...]
    """Pass by pass."""

    @property
    def spread(self) -> float:
        """(highest - lowest) / middle of the passes; 0 for a single one."""
        return _spread(self.passes_reads_per_s, self.reads_per_s)

    @classmethod
    def of(cls, passes_reads_per_s: Sequence[float]) -> ReadRate:
        return cls(reads_per_s=_middle(passes_reads_per_s), passes_reads_per_s=tuple(passes_reads_per_s))


def _middle(passes: Sequence[float]) -> float:
    import statistics  # slow to load, and only measuring needs it

    return statistics.median(passes)


def _spread(passes: Sequence[float], middle: float) -> float:
    return (max(passes) - min(passes)) / middle if middle else 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class GaugeResult:
    """What one gauging of one drive found."""

    drive: str
    identity: str
    """The file system's own identity."""
    taken_at: str
    read: Throughput
    """Reading one long file."""
    small_reads: ReadRate
    """Small reads anywhere."""
    write: Throughput | None
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
    """Written to the test file in all."""
    took_s: float = 0.0
    """How long the gauging took."""

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


def slower_than_before(history: Sequence[GaugeResult]) -> str | None:
    """Whether the latest result is clearly below the best earlier one, as one sentence; None when it is not.

    `history` is one drive's results, oldest first.
    """
    if len(history) < 2:
        return None
    latest = history[-1]
    best = max(history[:-1], key=lambda result: result.read.bytes_per_s)
    share = latest.read.bytes_per_s / best.read.bytes_per_s
    if share < GETS_SLOWER_SHARE:
        return (
            f"reads {100 * (1 - share):.0f} % slower than on {best.taken_at[:10]}: "
            "it may be almost full, warm, on another port, or wearing out"
        )
    return None
