"""The drawing of what was done: the last plan that was carried, expected beside what it really took."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from nuvik.core.model.drive import Drive
from nuvik.core.model.journal import Move
from nuvik.core.model.units import format_bytes, format_count, format_duration
from nuvik.core.views.move_rows import move_row
from nuvik.drawing import fonts
from nuvik.drawing.headed import ROOM, headed
from nuvik.drawing.page import MARGIN, SMALL, TEXT, Box, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.scales import Scale
from nuvik.drawing.tables import draw_table

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_NAME, _VALUE, _BAR = 92.0, 190.0, 11.0


def done_page(moves: Sequence[Move], drives: Sequence[Drive], host: str) -> Page:
    """The moves of the last plan."""
    last = last_run(moves)
    took = format_duration(sum(move.actual_s for move in last))
    expected = format_duration(sum(move.expected_s for move in last))
    sentence = f"{format_count(len(last), 'move')}: {expected} expected, {took} taken."
    page, y = headed(f"The last plan carried on {host}", sentence if last else "Nothing has been moved yet.")
    if last:
        y = draw_before_after(page, last, drives, MARGIN, y, ROOM)
        y = draw_done(page, last, {drive.id: drive.label for drive in drives}, MARGIN, y + 10, ROOM)
    return page.ends_at(y + MARGIN)


def last_run(moves: Sequence[Move]) -> list[Move]:
    """The moves of the plan that was carried last; ways back do not count."""
    own = [move for move in moves if move.undoes is None]
    return [move for move in own if move.run == own[-1].run] if own else []


def draw_before_after(
    page: Page, moves: Sequence[Move], drives: Sequence[Drive], x: float, y: float, room: float
) -> float:
    """Free space before and after, drive by drive, as these moves changed it; where it ends."""
    touched = {drive for move in moves for drive in (move.source_drive, move.target_drive)}
    rows = [drive for drive in drives if drive.id in touched and drive.attached]
    if not rows:
        return y
    page.text("Free space before and after", x, y, TEXT, bold=True)
    y += 18
    most = max(drive.usable_bytes for drive in rows)
    space = Scale(0.0, float(most), x + _NAME, x + room - _VALUE)
    for drive in rows:
        change = sum(_change(move, drive.id) for move in moves)
        page.text(drive.label, x, y + 6, TEXT, bold=True, room=_NAME - 8)
        for words, free in (("before", drive.free_bytes - change), ("after", drive.free_bytes)):
            page.area(Box(space.begin, y, space.at(drive.usable_bytes), y + _BAR), DAY.free, edge=DAY.quiet)
            page.area(Box(space.begin, y, space.at(drive.usable_bytes - free), y + _BAR), DAY.other)
            tall = (_BAR - fonts.height(SMALL)) / 2
            page.text(f"{format_bytes(max(0, free))} free {words}", space.end + 10, y + tall, SMALL)
            y += _BAR + 2
        y += 7
    return y


def draw_done(page: Page, moves: Sequence[Move], labels: Mapping[str, str], x: float, y: float, room: float) -> float:
    """The moves as a table; where it ends."""
    rows = []
    for move in moves:
        row = move_row(move, labels)
        freed = format_bytes(move.freed_bytes) if move.freed_bytes is not None else "–"
        rows.append((str(move.id), row.library, row.size, row.way, row.expected, row.took, freed, row.state))
    head = ("", "library", "size", "from → to", "expected", "took", "freed", "how it stands")
    return draw_table(page, rows, head, x, y, room, right=(0, 2, 4, 5, 6))


def _change(move: Move, drive: str) -> int:
    """By how much a move changed what is free on a drive."""
    if not move.state.at_target:
        return 0
    if drive == move.target_drive:
        return -move.bytes
    return (move.freed_bytes or 0) if drive == move.source_drive else 0


@register("done", "the last plan that was carried: before and after, expected and taken")
def _draw(workspace: Workspace) -> Page:
    return done_page(workspace.logbook.moves(), workspace.drives.all(), workspace.host_name)
