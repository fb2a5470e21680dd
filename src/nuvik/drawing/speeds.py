"""The drawing of speeds: reading, writing and small reads of all drives on log scales, with the links' ceilings."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING

from nuvik.core.model.drive import Drive
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_duration, format_speed
from nuvik.drawing import fonts
from nuvik.drawing.headed import ROOM, headed
from nuvik.drawing.legend import Entry, draw_legend
from nuvik.drawing.page import MARGIN, SMALL, TEXT, Box, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.scales import Scale

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_ROW, _NAME, _VALUE, _GAP = 40.0, 118.0, 62.0, 26.0
_DASH = {"measured": "-", "declared": "--", "typical": ":"}
"""Line by how a figure is known, as on the screen: nothing rests on colour."""


def speeds_page(snapshot: Snapshot) -> Page:
    """The speeds of every drive."""
    page, y = headed(f"How fast the drives of {snapshot.host} are", _sentence(snapshot.drives))
    y = draw_speeds(page, snapshot.drives, MARGIN, y, ROOM)
    return page.ends_at(y + MARGIN)


def draw_speeds(page: Page, drives: Sequence[Drive], x: float, y: float, room: float) -> float:
    """A row a drive; where they end."""
    if not drives:
        return y
    left = x + _NAME
    wide = (room - _NAME - 2 * _VALUE - _GAP) * 0.66
    small_left = left + wide + _VALUE + _GAP
    figures = [figure for drive in drives for figure in (drive.read_bytes_per_s, drive.write_bytes_per_s)]
    figures += [drive.link_standard.payload_bytes_per_s for drive in drives if drive.link_standard is not None]
    speeds = Scale(min([1e6, *figures]), max(figures) * 1.05, left, left + wide, True)
    counts = [drive.small_reads_per_s for drive in drives]
    small = Scale(min([10.0, *counts]), max(counts) * 1.05, small_left, x + room - _VALUE, True)
    page.text("reads, and below it writes", left, y, SMALL, color=DAY.quiet)
    page.text("small reads a second", small_left, y, SMALL, color=DAY.quiet)
    top, bottom = y + 16, y + 16 + _ROW * len(drives)
    ticks = [(speeds.at(at), format_speed(round(at))) for at in speeds.decades()]
    ticks += [(small.at(at), f"{at:,.0f}") for at in small.decades()]
    for at, words in ticks:
        page.line([(at, y + 12), (at, bottom - 6)], DAY.free, 0.7)
        half = fonts.width(words, SMALL) / 2
        if page.is_free(Box(at - half, bottom - 4, at + half, bottom + 5)):  # else too close to the one before
            page.text(words, at, bottom - 4, SMALL, color=DAY.quiet, align="center")
    for number, drive in enumerate(drives):
        _row(page, drive, top + number * _ROW, x, speeds, small)
    return _legend(page, x, bottom + 14, room)


def _sentence(drives: Sequence[Drive]) -> str:
    measured = [drive for drive in drives if drive.speed_source == "measured"]
    if not measured:
        return "What the drives are said to do; none has been measured."
    return f"{len(measured)} of {len(drives)} were measured; scales are logarithmic."


def _row(page: Page, drive: Drive, y: float, x: float, speeds: Scale, small: Scale) -> None:
    link = drive.link_standard
    page.text(drive.label, x, y, TEXT, bold=True, room=_NAME - 8)
    page.text(link.name.split(" (")[0] if link is not None else "", x, y + 12, SMALL, color=DAY.quiet, room=_NAME - 8)
    for value, source, at in (
        (drive.read_bytes_per_s, drive.speed_source, y + 6),
        (drive.write_bytes_per_s, drive.write_source, y + 18),
    ):
        _bar(page, speeds, value, source, at)
        page.text(format_speed(value), speeds.end + 8, at - fonts.height(SMALL) / 2, SMALL)
    if link is not None:
        held = link.holds_back(drive.read_bytes_per_s)
        ceiling = speeds.at(link.payload_bytes_per_s)
        page.line([(ceiling, y), (ceiling, y + 24)], DAY.look if held else DAY.quiet, 2.5 if held else 1.2)
    _bar(page, small, drive.small_reads_per_s, drive.speed_source, y + 12)
    words = f"{drive.small_reads_per_s:,.0f}"
    page.text(words, small.end + 8, y + 6 - fonts.height(SMALL) / 2, SMALL)
    feels = f"{drive.tier}, {format_duration(drive.felt_load_s)}"
    page.text(feels, small.end + 8, y + 18 - fonts.height(SMALL) / 2, SMALL, color=DAY.quiet)


def _bar(page: Page, scale: Scale, value: float, source: str, y: float) -> None:
    end = scale.at(value)
    page.line([(scale.begin, y), (end, y)], DAY.text, 1.4, _DASH.get(source, ":"))
    page.dot(end, y, full=source == "measured")


def _legend(page: Page, x: float, y: float, room: float) -> float:
    entries = [Entry(words, 27.0, partial(_sample, words, dash)) for words, dash in _DASH.items()]
    entries.append(_ceiling("the most its link allows", 1.2, DAY.quiet))
    entries.append(_ceiling("… and it is what limits the drive", 2.5, DAY.look))
    return draw_legend(page, entries, x, y, room)


def _sample(words: str, dash: str, page: Page, x: float, y: float) -> None:
    page.line([(x, y), (x + 24, y)], DAY.text, 1.4, dash)
    page.dot(x + 24, y, full=words == "measured")


def _ceiling(words: str, width: float, color: str) -> Entry:
    return Entry(words, 3.0, lambda page, x, y: page.line([(x, y - 5), (x, y + 6)], color, width))


@register("speeds", "reading, writing and small reads of every drive")
def _draw(workspace: Workspace) -> Page:
    return speeds_page(workspace.survey.latest())
