"""The drawing of a timeline: the steps as bars by phase, and below them the free space of each drive with its floor."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nuvik.core.model.plan import Plan
from nuvik.core.model.timeline import Timeline, TimelineStep
from nuvik.core.model.units import format_bytes, format_duration
from nuvik.core.views.rehearsal_sentences import rehearsal_headline
from nuvik.drawing import fonts
from nuvik.drawing.headed import ROOM, headed
from nuvik.drawing.legend import draw_legend, of_area, of_line
from nuvik.drawing.page import MARGIN, SMALL, TEXT, Box, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register_plan
from nuvik.drawing.scales import Scale, round_times

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_STEP, _DRIVE, _MOST_STEPS = 15.0, 58.0, 60
_NAME, _VALUE = 178.0, 110.0
_PHASES: tuple[tuple[str, str, str, str], ...] = (
    ("copy_s", "copy", DAY.other, ""),
    ("prove_s", "prove", DAY.free, "////"),
    ("look_s", "look", DAY.free, "...."),
    ("release_s", "release", DAY.free, "xxxx"),
)
"""Field, word, colour and hatching: nothing rests on colour."""


def timeline_page(plan: Plan, timeline: Timeline, labels: dict[str, str]) -> Page:
    """A rehearsed plan."""
    page, y = headed(f"The timeline of a plan for {plan.host}", rehearsal_headline(timeline, labels))
    y = draw_timeline(page, timeline, labels, MARGIN, y, ROOM)
    return page.ends_at(y + MARGIN)


def draw_timeline(page: Page, timeline: Timeline, labels: dict[str, str], x: float, y: float, room: float) -> float:
    """The steps, then the drives; where they end."""
    time = Scale(0.0, max(timeline.total_s, 1e-6), x + _NAME, x + room - _VALUE)
    entries = [of_area(words, fill, hatch, 14.0) for _, words, fill, hatch in _PHASES]
    entries.append(of_line("what must stay free", DAY.look, 1.0, "--"))
    y = draw_legend(page, entries, time.begin, y, room - _NAME) + 4
    for step in timeline.steps[:_MOST_STEPS]:
        _step(page, step, time, x, y)
        y += _STEP
    if (rest := len(timeline.steps) - _MOST_STEPS) > 0:
        page.text(f"and {rest} more", x, y, SMALL, color=DAY.quiet)
        y += _STEP
    y += 10
    for drive, label in labels.items():
        if drive in timeline.curves:
            _curve(page, timeline, drive, label, time, x, y)
            y += _DRIVE
    for at_s in round_times(time.high):
        at = time.at(at_s)
        page.line([(at, y - 4), (at, y)], DAY.quiet, 0.8)
        page.text(format_duration(at_s), at, y + 2, SMALL, color=DAY.quiet, align="center")
    return y + 14


def _step(page: Page, step: TimelineStep, time: Scale, x: float, y: float) -> None:
    end = page.text(f"{step.n}", x + 16, y + 2, SMALL, color=DAY.quiet, align="right")
    page.text(step.library, end.right + 6, y + 2, SMALL, room=_NAME - 30)
    at_s = step.start_s
    for field, _, fill, hatch in _PHASES:
        takes = getattr(step, field)
        if takes > 0:
            box = Box(time.at(at_s), y + 1, time.at(at_s + takes), y + _STEP - 3)
            page.area(box, fill, edge=DAY.quiet)
            if hatch and box.width > 1:
                page.area(box, None, edge=DAY.quiet, hatch=hatch)
        at_s += takes
    page.text(format_duration(step.end_s - step.start_s), time.end + 8, y + 2, SMALL)


def _curve(page: Page, timeline: Timeline, drive: str, label: str, time: Scale, x: float, y: float) -> None:
    points = [*timeline.curves[drive]]
    points.append((timeline.total_s, points[-1][1]))
    free, floor = [value for _, value in points], timeline.floor_bytes[drive]
    space = Scale(min([*free, floor, 0]), max([*free, floor, 1]) * 1.05, y + _DRIVE - 14, y)
    page.text(label, x, y + 8, TEXT, bold=True, room=_NAME - 12)
    page.text("free space", x, y + 20, SMALL, color=DAY.quiet)
    path: list[tuple[float, float]] = []
    for at_s, value in points:
        if path:
            path.append((time.at(at_s), path[-1][1]))
        path.append((time.at(at_s), space.at(value)))
    page.shape([(time.begin, space.at(0)), *path, (time.end, space.at(0))], DAY.free)
    page.line(path, DAY.text, 1.2)
    page.line([(time.begin, space.at(floor)), (time.end, space.at(floor))], DAY.look, 1.0, "--")
    lowest = max(0, timeline.lowest_free_bytes[drive])
    tall = fonts.height(SMALL) + 2
    lines = (f"{format_bytes(free[-1])} then", f"lowest {format_bytes(lowest)}", f"keeps {format_bytes(floor)} free")
    for number, words in enumerate(lines):
        page.text(words, time.end + 8, y + 4 + number * tall, SMALL, color=DAY.text if not number else DAY.quiet)


@register_plan("timeline", "the steps of a plan over time, and the free space of each drive")
def _draw(workspace: Workspace, plan: Plan) -> Page:
    return timeline_page(plan, workspace.rehearse.rehearse(plan), workspace.drives.labels())
