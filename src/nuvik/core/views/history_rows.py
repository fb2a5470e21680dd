"""Free space and waiting over time, in rows that a screen and a command both show."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from nuvik.core.model.clock import ago, moment_text
from nuvik.core.model.free_history import FreeHistory, History, curve, marks
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count, format_duration

_FEWEST_POINTS = 3
"""A curve of fewer says nothing."""
LEGEND = "▲ something was moved"


@dataclass(frozen=True, slots=True, kw_only=True)
class HistoryRow:
    """A curve over time."""

    name: str
    curve: str
    marks: str
    """A line below the curve; blank where nothing was moved."""
    words: str


def history_rows(history: History, cells: int) -> Iterator[HistoryRow]:
    """The drives one after the other, then the waiting; what was seen too rarely is left out."""
    for row in history.drives:
        if len(row.points) >= _FEWEST_POINTS:
            words = _from_to(row.points[0][0], format_bytes(row.points[0][1]), format_bytes(row.points[-1][1]), "free")
            yield HistoryRow(
                name=shown(row.drive.label),
                curve=row.curve(cells),
                marks=row.marks(cells),
                words=f"{words}{bought_words(row)}",
            )
    points = history.waiting
    if len(points) >= _FEWEST_POINTS:
        first, last = (format_duration(seconds) for seconds in (points[0][1], points[-1][1]))
        moved = {at_s for row in history.drives for at_s, _ in row.moves}
        yield HistoryRow(
            name="Waiting",
            curve=curve(points, cells),
            marks=marks(moved, points[0][0], points[-1][0], cells),
            words=_from_to(points[0][0], first, last, "a week"),
        )


def bought_words(row: FreeHistory) -> str:
    """How much time the last plan bought; empty where it bought none."""
    if (weeks := row.weeks_bought) is None or weeks < 1:
        return ""
    many = format_count(round(weeks), "week")
    return f"; the last plan made room for {many}" if weeks < 104 else "; the last plan made room for years"


def _from_to(since_s: float, before: str, now: str, what: str) -> str:
    when = ago(moment_text(since_s))
    return f"{before} {what} {when if when == 'today' else f'{when} ago'}, {now} now"
