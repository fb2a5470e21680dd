"""How much was free on each drive at the surveys so far, with the moves in between and what is to come."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TypeVar

from nuvik.core.model.drive import Drive

_WEEK_S = 7 * 86_400
_LEVELS = "▁▂▃▄▅▆▇"


Figure = TypeVar("Figure", int, float)


def curve(points: Sequence[tuple[float, Figure]], cells: int) -> str:
    """Figures over time in so many cells: a full one is the highest there ever was."""
    begin_s, end_s = points[0][0], points[-1][0]
    most = max(figure for _, figure in points) or 1
    times = [begin_s + (end_s - begin_s) * (cell + 1) / cells for cell in range(cells)]
    return "".join(_LEVELS[min(len(_LEVELS) - 1, int(len(_LEVELS) * _at(points, at_s) / most))] for at_s in times)


def marks(moments: Iterable[float], begin_s: float, end_s: float, cells: int) -> str:
    """A line of so many cells with a mark at each of the moments, as far as they are within."""
    line, span_s = [" "] * cells, max(1.0, end_s - begin_s)
    for at_s in moments:
        if begin_s <= at_s <= end_s:
            line[min(cells - 1, int(cells * (at_s - begin_s) / span_s))] = "▲"
    return "".join(line)


def _at(points: Sequence[tuple[float, Figure]], moment_s: float) -> Figure:
    figure = points[0][1]
    for at_s, then in points:
        if at_s > moment_s:
            break
        figure = then
    return figure


@dataclass(frozen=True, slots=True, kw_only=True)
class History:
    """Free space and waiting over time."""

    drives: tuple[FreeHistory, ...]
    waiting: tuple[tuple[float, float], ...] = ()
    """When, and for how many seconds a week was waited then, with the speeds known now; the oldest first."""


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
    gained_bytes: int = 0
    """What the last plan that was carried took off it, less what that put on it."""

    @property
    def weeks_bought(self) -> float | None:
        """How many weeks of growth the last plan made room for; None where it made none, or nothing grows."""
        if self.gained_bytes <= 0 or not self.bytes_per_week or self.bytes_per_week <= 0:
            return None
        return self.gained_bytes / self.bytes_per_week

    def free_at(self, moment_s: float) -> int:
        """How much was free at a moment: as at the latest survey before it, else as at the first."""
        return _at(self.points, moment_s)

    def curve(self, cells: int) -> str:
        """The past in so many cells: a full one is the most that was ever free."""
        return curve(self.points, cells)

    def marks(self, cells: int) -> str:
        """A line below the curve: a mark where something was moved to the drive or off it."""
        return marks([at_s for at_s, _ in self.moves], self.points[0][0], self.points[-1][0], cells)

    def short_at_s(self) -> float | None:
        """When it goes under its headroom, as it has grown so far; None when it does not, or already is."""
        room = self.points[-1][1] - self.drive.headroom_bytes
        if not self.bytes_per_week or self.bytes_per_week <= 0 or room <= 0:
            return None
        return self.points[-1][0] + room / self.bytes_per_week * _WEEK_S
