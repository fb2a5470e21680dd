"""Free space over the weeks: each drive with its headroom, the moves in between, and what is to come."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from nuvik.core.model.free_history import FreeHistory
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.sheet import plain_axes, sheet

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_INCHES_A_DRIVE = 1.15
_FAR_WEEKS = 104
"""What lies further ahead is no forecast."""
_AHEAD = 0.25
"""So much of the sheet is for what is to come."""


def draw_history(rows: list[FreeHistory], path: str) -> None:
    """Draw drives that were surveyed before. Raises BadInput for another ending, Refused when it cannot be written."""
    height = _INCHES_A_DRIVE * max(1, len(rows)) + 1.2
    begin_s = min((row.points[0][0] for row in rows), default=0.0)
    now_s = max((row.points[-1][0] for row in rows), default=1.0)
    end_s = now_s + max(1.0, (now_s - begin_s) * _AHEAD / (1 - _AHEAD))
    title = f"Free space on {format_count(len(rows), 'drive')} over time; dashed: its headroom, dotted: as it has grown"
    with sheet(path, height, title) as figure:
        for number, row in enumerate(rows):
            bottom = (height - 0.75 - _INCHES_A_DRIVE * (number + 1)) / height
            axes = plain_axes(figure, (0.12, bottom, 0.74, 0.8 * _INCHES_A_DRIVE / height))
            _drive(axes, row, begin_s, now_s, end_s)
            axes.set_xticks([begin_s, now_s], [_day(begin_s), "now"] if number == len(rows) - 1 else ["", ""])


def _drive(axes: Any, row: FreeHistory, begin_s: float, now_s: float, end_s: float) -> None:
    times, free = zip(*row.points, strict=True)
    most = max(*free, row.drive.headroom_bytes, 1) * 1.15
    axes.set_xlim(begin_s, end_s)
    axes.set_ylim(0, most)
    axes.fill_between(times, free, step="post", color=DAY.free)
    axes.step(times, free, where="post", color=DAY.text, linewidth=1)
    axes.axhline(row.drive.headroom_bytes, linestyle="--", color=DAY.look, linewidth=0.8)
    axes.axvline(now_s, color=DAY.quiet, linewidth=0.6)
    for at_s, _ in row.moves:
        axes.plot([at_s], [row.free_at(at_s)], marker="v", color=DAY.text, markersize=4)
    if row.bytes_per_week:
        then = row.points[-1][1] - row.bytes_per_week * (end_s - now_s) / (7 * 86_400)
        axes.plot([now_s, end_s], [row.points[-1][1], then], ":", color=DAY.text, linewidth=1)
    axes.set_yticks([row.drive.headroom_bytes], [format_bytes(row.drive.headroom_bytes)])
    words = f"{shown(row.drive.label)}: {format_bytes(row.points[-1][1])} free{_when_short(row, now_s)}"
    axes.set_title(words, loc="left", fontsize=8, color=DAY.text, pad=2)


def _when_short(row: FreeHistory, now_s: float) -> str:
    if row.points[-1][1] < row.drive.headroom_bytes:
        return ", less than should stay free"
    short_s = row.short_at_s()
    weeks = (short_s - now_s) / (7 * 86_400) if short_s is not None else _FAR_WEEKS
    return f", under its headroom in {format_count(max(1, round(weeks)), 'week')}" if weeks < _FAR_WEEKS else ""


def _day(moment_s: float) -> str:
    return datetime.fromtimestamp(moment_s, UTC).date().isoformat()


@register("history", "free space over the weeks, moves and forecast")
def _draw(workspace: Workspace, path: str) -> None:
    draw_history(workspace.watching.history(), path)
