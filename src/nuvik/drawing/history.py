"""The drawing of history: free space and waiting over the weeks, the moves in between, and what is to come."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from nuvik.core.model.free_history import FreeHistory, History
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count, format_duration
from nuvik.core.views.history_rows import bought_words
from nuvik.drawing.fonts import width
from nuvik.drawing.headed import ROOM, headed
from nuvik.drawing.page import MARGIN, SMALL, TEXT, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.scales import Scale

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_TALL, _HEAD, _BELOW, _NAME = 46.0, 16.0, 14.0, 70.0
"""Of a chart, of the line above it, and of the room below it; and the room left of it."""
_FAR_WEEKS = 104
"""What lies further ahead is no forecast."""
_AHEAD = 0.25
"""So much of the page is for what is to come."""
_WEEK_S = 7 * 86_400


def history_page(history: History, host: str) -> Page:
    """Drives that were surveyed before, and the waiting."""
    sentence = "Dashed: what should stay free. Dotted: as it has grown so far. ▼ something was moved."
    page, y = headed(f"Free space over time, {host}", sentence if history.drives else "Nothing was surveyed before.")
    y = draw_history(page, history, MARGIN, y, ROOM)
    return page.ends_at(y + MARGIN)


def draw_history(page: Page, history: History, x: float, y: float, room: float, tall: float = _TALL) -> float:
    """A chart a drive, so tall, below each other; where they end."""
    if not history.drives:
        return y
    begin_s = min(row.points[0][0] for row in history.drives)
    now_s = max(row.points[-1][0] for row in history.drives)
    end_s = now_s + max(1.0, (now_s - begin_s) * _AHEAD / (1 - _AHEAD))
    time = Scale(begin_s, end_s, x + _NAME, x + room - 10)
    top = y
    for row in history.drives:
        _drive(page, row, time, now_s, y, tall)
        y += _HEAD + tall + _BELOW
    if len(history.waiting) > 1:
        _waiting(page, history.waiting, time, now_s, y, tall)
        y += _HEAD + tall + _BELOW
    bottom = y - _BELOW
    now_x = time.at(now_s)
    page.line([(now_x, top + _HEAD), (now_x, bottom)], DAY.quiet, 0.6)
    page.text(_day(begin_s), time.begin, bottom + 4, SMALL, color=DAY.quiet)
    page.text("now", now_x, bottom + 4, SMALL, color=DAY.quiet, align="center")
    page.text(_day(end_s), time.end, bottom + 4, SMALL, color=DAY.quiet, align="right")
    return bottom + 18


def _drive(page: Page, row: FreeHistory, time: Scale, now_s: float, y: float, tall: float) -> None:
    free_now, headroom = row.points[-1][1], row.drive.headroom_bytes
    words, room = f"{shown(row.drive.label)}: {format_bytes(free_now)} free", time.end - time.begin
    for more in (_when_short(row, now_s), bought_words(row)):
        if width(words + more, TEXT, bold=True) <= room:
            words += more
    page.text(words, time.begin, y, TEXT, bold=True, room=room)
    most = max(max(free for _, free in row.points), headroom, 1) * 1.1
    space = Scale(0.0, most, y + _HEAD + tall, y + _HEAD)
    _steps(page, row.points, time, space)
    page.line([(time.begin, space.at(headroom)), (time.end, space.at(headroom))], DAY.look, 0.9, "--")
    if row.bytes_per_week:
        then = free_now - row.bytes_per_week * (time.high - now_s) / _WEEK_S
        at = time.high
        if then < 0:  # it is full before the page ends
            at, then = now_s + free_now / row.bytes_per_week * _WEEK_S, 0.0
        page.line([(time.at(now_s), space.at(free_now)), (time.at(at), space.at(then))], DAY.text, 1.2, ":")
    for at_s, _ in row.moves:
        _mark(page, time.at(at_s), space.at(row.free_at(at_s)))
    page.text(format_bytes(round(most / 1.1)), time.begin - 6, y + 18, SMALL, color=DAY.quiet, align="right")
    page.text("0", time.begin - 6, y + _HEAD + tall - 9, SMALL, color=DAY.quiet, align="right")


def _waiting(
    page: Page, points: Sequence[tuple[float, float]], time: Scale, now_s: float, y: float, tall: float
) -> None:
    """Seconds a week; they hold until now."""
    last_s = points[-1][1]
    words = f"Waiting: {format_duration(last_s)} a week, with the speeds known now"
    page.text(words, time.begin, y, TEXT, bold=True, room=time.end - time.begin)
    most = max(max(seconds for _, seconds in points), 1.0)
    seconds = Scale(0.0, most * 1.1, y + _HEAD + tall, y + _HEAD)
    _steps(page, [*points, (now_s, last_s)], time, seconds)
    page.text(format_duration(most), time.begin - 6, y + 18, SMALL, color=DAY.quiet, align="right")
    page.text("0", time.begin - 6, y + _HEAD + tall - 9, SMALL, color=DAY.quiet, align="right")


def _steps(page: Page, points: Sequence[tuple[float, float]], time: Scale, scale: Scale) -> None:
    path: list[tuple[float, float]] = []
    for at_s, value in points:
        if path:
            path.append((time.at(at_s), path[-1][1]))
        path.append((time.at(at_s), scale.at(value)))
    page.shape([(path[0][0], scale.at(0)), *path, (path[-1][0], scale.at(0))], DAY.free)
    page.line(path, DAY.text, 1.2)


def _mark(page: Page, x: float, y: float) -> None:
    page.shape([(x - 4, y - 9), (x + 4, y - 9), (x, y - 2)], DAY.text)


def _when_short(row: FreeHistory, now_s: float) -> str:
    if row.points[-1][1] < row.drive.headroom_bytes:
        return ", less than should stay free"
    short_s = row.short_at_s()
    weeks = (short_s - now_s) / _WEEK_S if short_s is not None else _FAR_WEEKS
    return f", under its headroom in {format_count(max(1, round(weeks)), 'week')}" if weeks < _FAR_WEEKS else ""


def _day(moment_s: float) -> str:
    return datetime.fromtimestamp(moment_s, UTC).date().isoformat()


@register("history", "free space and waiting over the weeks, moves and forecast")
def _draw(workspace: Workspace) -> Page:
    return history_page(workspace.watching.history(), workspace.host_name)
