"""The tiles: each drive a rectangle that its libraries fill by size, coloured and lettered by kind."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count
from nuvik.drawing import fonts
from nuvik.drawing.headed import ROOM, headed
from nuvik.drawing.legend import draw_legend, of_kinds
from nuvik.drawing.page import MARGIN, SMALL, TEXT, Box, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.scales import squares

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_GAP, _TALL, _LEAST = 18.0, 190.0, 5.0
_SEEN = 0.2
"""A smaller tile, in square points, cannot be seen."""


def tiles_page(snapshot: Snapshot) -> Page:
    """Every attached drive, two side by side."""
    drives = [drive for drive in snapshot.drives if drive.attached]
    total = sum(library.on_disk_bytes for drive in drives for library in snapshot.on_drive(drive.id))
    count = format_count(sum(len(snapshot.on_drive(drive.id)) for drive in drives), "library", "libraries")
    sentence = f"{count}, {format_bytes(total)}. Each rectangle is one drive, whatever its size."
    page, y = headed(f"What fills the drives of {snapshot.host}", sentence)
    wide = (ROOM - _GAP) / 2
    for number, drive in enumerate(drives):
        x = MARGIN + (wide + _GAP) * (number % 2)
        _draw_drive(page, drive, snapshot.on_drive(drive.id), x, y, wide)
        if number % 2 or number == len(drives) - 1:
            y += _TALL + _GAP
    y = draw_legend(page, of_kinds(library.kind for library in snapshot.libraries), MARGIN, y, ROOM)
    return page.ends_at(y + MARGIN)


def _draw_drive(page: Page, drive: Drive, libraries: Sequence[Library], x: float, y: float, wide: float) -> None:
    free = f"{format_bytes(drive.free_bytes)} free of {format_bytes(drive.usable_bytes)}"
    end = page.text(free, x + wide, y, SMALL, color=DAY.quiet, align="right")
    page.text(drive.label, x, y - 1, TEXT, bold=True, room=end.left - x - 8)
    top, tall = y + 15, _TALL - 15
    by_kind: dict[Kind, list[Library]] = {}
    for library in libraries:
        by_kind.setdefault(library.kind, []).append(library)
    groups = sorted(by_kind.values(), key=lambda group: -sum(each.on_disk_bytes for each in group))
    sums = [sum(library.on_disk_bytes for library in group) for group in groups]
    other = max(0, drive.used_bytes - sum(sums))
    # Free space and other data are the last, whatever their size: they are the ground on which libraries stand.
    ground = [max(0, drive.free_bytes), other]
    whole = sum(sums) + sum(ground) or 1
    share = sum(sums) / whole
    page.area(Box(x, top, x + wide, top + tall), DAY.free, edge=DAY.quiet)
    kinds_wide = wide * share
    for group, (left, above, across, down) in zip(groups, squares(sums, kinds_wide, tall), strict=True):
        sizes = [library.on_disk_bytes for library in group]
        for library, (inner_x, inner_y, w, h) in zip(group, squares(sizes, across, down), strict=True):
            if w * h < _SEEN:
                continue
            box = Box(x + left + inner_x, top + above + inner_y, x + left + inner_x + w, top + above + inner_y + h)
            page.area(box, DAY.kinds[library.kind], edge=DAY.surface, line=0.6)
            if w >= _LEAST and h >= _LEAST:
                _name(page, library, box)
    at = x + kinds_wide
    for size, fill, words in ((other, DAY.other, "other data"), (ground[0], DAY.free, "free")):
        box = Box(at, top, at + wide * size / whole, top + tall)
        page.area(box, fill)
        page.name_in(words, box)
        at = box.right


def _name(page: Page, library: Library, box: Box) -> None:
    """Its name, and below it its size, where there is room for both."""
    tall = fonts.height(SMALL)
    if box.height < 2.4 * tall or box.width < 50:
        page.name_in(library.name, box, letter=library.kind.letter)
        return
    middle = (box.top + box.bottom) / 2
    page.name_in(library.name, Box(box.left, middle - tall - 1, box.right, middle + 1), letter=library.kind.letter)
    page.name_in(format_bytes(library.on_disk_bytes), Box(box.left, middle - 1, box.right, middle + tall + 2))


@register("tiles", "what fills each drive, by size and kind")
def _draw(workspace: Workspace) -> Page:
    return tiles_page(workspace.survey.latest())
