"""Traffic: what a drive reads and writes while something runs on it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Counters:
    """Bytes that a drive has read and written since some moment that never changes."""

    read_bytes: int
    written_bytes: int


@dataclass(frozen=True, slots=True)
class Traffic:
    """Bytes per second between two looks."""

    read_bytes_per_s: float
    write_bytes_per_s: float


@dataclass(frozen=True, slots=True)
class Look:
    """The counters of all drives at one moment of the host's clock."""

    at_s: float
    counters: dict[str, Counters]

    def since(self, before: Look) -> dict[str, Traffic]:
        """The traffic of each drive between two looks; none when no time passed or a counter went back."""
        seconds = self.at_s - before.at_s
        traffic: dict[str, Traffic] = {}
        if seconds <= 0:
            return traffic
        for drive, now in self.counters.items():
            then = before.counters.get(drive)
            if then is None or now.read_bytes < then.read_bytes or now.written_bytes < then.written_bytes:
                continue  # it came back under a new counter
            traffic[drive] = Traffic(
                (now.read_bytes - then.read_bytes) / seconds, (now.written_bytes - then.written_bytes) / seconds
            )
        return traffic
