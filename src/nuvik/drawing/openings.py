"""The drawing of openings: how long the libraries that you wait for take to open, from where they are and elsewhere."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_count, format_duration
from nuvik.core.views.waiting_rows import NOT_KNOWN_YET, WaitingRow, longest_waits, rows_to_compare
from nuvik.drawing.headed import ROOM, headed
from nuvik.drawing.legend import draw_legend, of_area, of_dot
from nuvik.drawing.page import MARGIN, SMALL, Box, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.scales import Scale

if TYPE_CHECKING:
    from nuvik.core.model.library import Library
    from nuvik.core.stages.workspace import Workspace

_MOST, _BAR, _NAME, _DRIVE, _VALUE = 10, 11.0, 170.0, 76.0, 96.0
_PARTS = (
    ("computing_s", "computing", DAY.quiet, ""),
    ("sequence_s", "reading in sequence", DAY.other, ""),
    ("small_reads_s", "small reads", DAY.free, "////"),
)
_KNOWN = (of_dot("recorded", True), of_dot("timed or tasted", False))


def openings_page(snapshot: Snapshot) -> Page:
    """The libraries that are waited for most."""
    waits = longest_waits(snapshot.libraries, snapshot.drives)
    total = format_duration(sum(wait.s_per_week for wait in waits))
    count = format_count(len(waits), "library", "libraries")
    sentence = f"You wait {total} a week for {count}; the longest waits come first."
    title = f"How long libraries take to open, {snapshot.host}"
    page, y = headed(title, sentence if waits else NOT_KNOWN_YET)
    y = draw_openings(page, snapshot, MARGIN, y, ROOM)
    return page.ends_at(y + MARGIN)


def draw_openings(page: Page, snapshot: Snapshot, x: float, y: float, room: float, most: int = _MOST) -> float:
    """A group of bars a library: where it is now, then the drives that could hold it; where they end."""
    waits = longest_waits(snapshot.libraries, snapshot.drives)[:most]
    groups = [(wait.library, rows_to_compare(wait.library, snapshot.drives)) for wait in waits]
    longest_s = max((row.opening.total_s for _, rows in groups for row in rows), default=1.0)
    time = Scale(0.0, longest_s or 1.0, x + _NAME + _DRIVE, x + room - _VALUE)
    entries = [of_area(words, fill, hatch, 14.0, None) for _, words, fill, hatch in _PARTS]
    y = draw_legend(page, [*entries, *_KNOWN], x, y, room) + 6
    for library, rows in groups:
        page.badge(library.kind, x + 5, y + 6)
        page.text(library.name, x + 14, y + 1, SMALL, bold=True, room=_NAME - 20)
        for row in rows:
            _bar(page, row, library, time, y)
            y += _BAR + 2
        y += 6
    return y


def _bar(page: Page, row: WaitingRow, library: Library, time: Scale, y: float) -> None:
    page.text(row.drive.label, time.begin - 8, y + 1, SMALL, bold=row.here, align="right", room=_DRIVE - 10)
    at_s = 0.0
    for field, _, fill, hatch in _PARTS:
        takes = getattr(row.opening, field)
        if takes > 0:
            box = Box(time.at(at_s), y, time.at(at_s + takes), y + _BAR)
            page.area(box, fill, edge=DAY.quiet if hatch else None)
            if hatch and box.width > 1:
                page.area(box, None, edge=DAY.quiet, hatch=hatch)
        at_s += takes
    known = next((timing for timing in library.timings if timing.drive == row.drive.id), None)
    if known is not None:
        page.dot(time.at(known.seconds), y + _BAR / 2, full=known.recorded)
    here = " (now)" if row.here else ""
    page.text(f"{format_duration(row.opening.total_s)}{here}", time.end + 10, y + 1, SMALL, bold=row.here)


@register("openings", "how long libraries take to open, and how that is known")
def _draw(workspace: Workspace) -> Page:
    return openings_page(workspace.survey.latest())
