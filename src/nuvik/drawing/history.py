"""Free space and waiting over the weeks: each drive with its headroom, the moves in between, and what is to come."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from nuvik.core.model.free_history import FreeHistory, History
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count, format_duration
from nuvik.core.views.history_rows import bought_words
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.sheet import plain_axes, sheet

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_INCHES_A_ROW = 1.15
_FAR_WEEKS = 104
"""What lies further ahead is no forecast."""
_AHEAD = 0.25
"""So much of the sheet is for what is to come."""


def draw_history(history: History, path: str) -> None:
    """Draw drives that were surveyed before. Raises BadInput for another ending, Refused when it cannot be written."""
    drives, waiting = history.drives, history.waiting if len(history.waiting) > 1 else ()
    many = len(drives) + bool(waiting)
    height = _INCHES_A_ROW * max(1, many) + 1.2
    begin_s = min((row.points[0][0] for row in drives), default=0.0)
    now_s = max((row.points[-1][0] for row in drives), default=1.0)
    end_s = now_s + max(1.0, (now_s - begin_s) * _AHEAD / (1 - _AHEAD))
    title = (
        f"Free space on {format_count(len(drives), 'drive')} over time; dashed: its headroom, dotted: as it has grown"
    )
    with sheet(path, height, title) as figure:
        for number in range(many):
            bottom = (height - 0.75 - _INCHES_A_ROW * (number + 1)) / height
            axes = plain_axes(figure, (0.12, bottom, 0.74, 0.8 * _INCHES_A_ROW / height))
            axes.set_xlim(begin_s, end_s)
            axes.axvline(now_s, color=DAY.quiet, linewidth=0.6)
            if number < len(drives):
                _drive(axes, drives[number], now_s, end_s)
            else:
                _waiting(axes, waiting, now_s)
            axes.set_xticks([begin_s, now_s], [_day(begin_s), "now"] if number == many - 1 else ["", ""])


def _drive(axes: Any, row: FreeHistory, now_s: float, end_s: float) -> None:
    times, free = zip(*row.points, strict=True)
    most = max(*free, row.drive.headroom_bytes, 1) * 1.15
    axes.set_ylim(0, most)
    axes.fill_between(times, free, step="post", color=DAY.free)
    axes.step(times, free, where="post", color=DAY.text, linewidth=1)
    axes.axhline(row.drive.headroom_bytes, linestyle="--", color=DAY.look, linewidth=0.8)
    for at_s, _ in row.moves:
        axes.plot([at_s], [row.free_at(at_s)], marker="v", color=DAY.text, markersize=4)
    if row.bytes_per_week:
        then = row.points[-1][1] - row.bytes_per_week * (end_s - now_s) / (7 * 86_400)
        axes.plot([now_s, end_s], [row.points[-1][1], then], ":", color=DAY.text, linewidth=1)
    axes.set_yticks([row.drive.headroom_bytes], [format_bytes(row.drive.headroom_bytes)])
    free_now = format_bytes(row.points[-1][1])
    _title(axes, f"{shown(row.drive.label)}: {free_now} free{_when_short(row, now_s)}{bought_words(row)}")


def _waiting(axes: Any, points: Sequence[tuple[float, float]], now_s: float) -> None:
    """Seconds a week; they hold until now."""
    times, seconds = zip(*points, (now_s, points[-1][1]), strict=True)
    axes.set_ylim(0, max(*seconds, 1.0) * 1.15)
    axes.fill_between(times, seconds, step="post", color=DAY.free)
    axes.step(times, seconds, where="post", color=DAY.text, linewidth=1)
    axes.set_yticks([max(seconds)], [format_duration(max(seconds))])
    _title(axes, f"Waiting: {format_duration(seconds[-1])} a week, with the speeds known now")


def _title(axes: Any, words: str) -> None:
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
