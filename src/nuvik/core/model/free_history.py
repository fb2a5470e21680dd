"""How much was free on each drive at the surveys so far, with the moves in between and what is to come."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.drive import Drive

_WEEK_S = 7 * 86_400
_LEVELS = "▁▂▃▄▅▆▇"


@dataclass(frozen=True, slots=True, kw_only=True)
class FreeHistory:
    """One drive over time; moments are seconds since 1970."""

    drive: Drive
    points: tuple[tuple[float, int], ...]
    """When, and how much was free then; the oldest first, and as it is now at the end."""
    moves: tuple[tuple[float, str], ...] = ()
    """When something was moved to it or off it, and what."""
    bytes_per_week: float | None = None
    """How fast it fills; None where that is not known."""

    def free_at(self, moment_s: float) -> int:
        """How much was free at a moment: as at the latest survey before it, else as at the first."""
        free = self.points[0][1]
        for at_s, bytes_free in self.points:
            if at_s > moment_s:
                break
            free = bytes_free
        return free

    def curve(self, cells: int) -> str:
        """The past in so many cells: a full one is the most that was ever free."""
        begin_s, end_s = self.points[0][0], self.points[-1][0]
        most = max(free for _, free in self.points) or 1
        times = [begin_s + (end_s - begin_s) * (cell + 1) / cells for cell in range(cells)]
        return "".join(_LEVELS[len(_LEVELS) * self.free_at(at_s) // (most + 1)] for at_s in times)

    def short_at_s(self) -> float | None:
        """When it goes under its headroom, as it has grown so far; None when it does not, or already is."""
        room = self.points[-1][1] - self.drive.headroom_bytes
        if not self.bytes_per_week or self.bytes_per_week <= 0 or room <= 0:
            return None
        return self.points[-1][0] + room / self.bytes_per_week * _WEEK_S
