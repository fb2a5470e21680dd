"""The drawing of a timeline: the steps as bars by phase, and below them the free space of each drive with its floor."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nuvik.core.model.names import shorten, shown
from nuvik.core.model.plan import Plan
from nuvik.core.model.timeline import Timeline, TimelineStep
from nuvik.core.model.units import format_bytes, format_duration
from nuvik.core.views.rehearsal_sentences import rehearsal_headline
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register_plan
from nuvik.drawing.sheet import plain_axes, sheet

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_INCHES_A_STEP, _INCHES_A_DRIVE, _MOST_STEPS = 0.24, 0.85, 60
_LEFT, _WIDE = 0.22, 0.62
_PHASES: tuple[tuple[str, str, str], ...] = (
    ("copy_s", "copy", ""),
    ("prove_s", "prove", "////"),
    ("look_s", "look", "...."),
    ("release_s", "release", "xxxx"),
)
"""Field, word and hatching: nothing rests on colour."""


def draw_timeline(plan: Plan, timeline: Timeline, labels: dict[str, str], path: str) -> None:
    """Draw a rehearsed plan. Raises BadInput for another ending, Refused when the file cannot be written."""
    steps = timeline.steps[:_MOST_STEPS]
    drives = [drive for drive in labels if drive in timeline.curves]
    steps_tall = _INCHES_A_STEP * max(1, len(steps)) + 0.3
    height = steps_tall + _INCHES_A_DRIVE * len(drives) + 1.9
    title = rehearsal_headline(timeline, labels).partition(" Without ")[0]
    with sheet(path, height, f"{plan.host}: {title}") as figure:
        bottom = 0.9 + _INCHES_A_DRIVE * len(drives)
        bars = plain_axes(figure, (_LEFT, bottom / height, _WIDE, steps_tall / height))
        _draw_steps(bars, steps)
        for number, drive in enumerate(drives):
            at = (0.75 + _INCHES_A_DRIVE * (len(drives) - 1 - number)) / height
            axes = plain_axes(figure, (_LEFT, at, _WIDE, (_INCHES_A_DRIVE - 0.25) / height))
            _draw_curve(axes, timeline, drive, shown(labels[drive]), last=number == len(drives) - 1)
        for axes in figure.axes:
            axes.set_xlim(0, max(timeline.total_s, 1e-6))


def _draw_steps(axes: Any, steps: tuple[TimelineStep, ...]) -> None:
    for number, step in enumerate(steps):
        begin = step.start_s
        for field, word, hatch in _PHASES:
            takes = getattr(step, field)
            axes.barh(
                -number,
                takes,
                left=begin,
                height=0.7,
                color=DAY.free,
                edgecolor=DAY.quiet,
                hatch=hatch,
                linewidth=0.5,
                label=word if number == 0 else None,
            )
            begin += takes
        axes.annotate(
            f"  {format_duration(step.end_s - step.start_s)}",
            (step.end_s, -number),
            va="center",
            fontsize=7,
            color=DAY.text,
            annotation_clip=False,
        )
    axes.set_yticks([-n for n in range(len(steps))], [f"{step.n}  {shorten(step.library, 30)}" for step in steps])
    axes.set_ylim(-len(steps) + 0.4, 0.6)
    axes.set_xticks([])
    axes.legend(loc="lower left", bbox_to_anchor=(0, 1.0), ncols=4, frameon=False, fontsize=8)


def _draw_curve(axes: Any, timeline: Timeline, drive: str, label: str, last: bool) -> None:
    points = [*timeline.curves[drive]]
    points.append((timeline.total_s, points[-1][1]))
    times, free = [at for at, _ in points], [value for _, value in points]
    floor = timeline.floor_bytes[drive]
    axes.step(times, free, where="post", color=DAY.text, linewidth=1.2)
    axes.axhline(floor, color=DAY.look, linewidth=1, linestyle="--")
    low, high = min([*free, floor]), max([*free, floor])
    margin = (high - low) * 0.15 or 1.0
    axes.set_ylim(low - margin, high + margin)
    axes.set_yticks([(low + high) / 2], [f"{label}\nfree space"])
    lowest = timeline.lowest_free_bytes[drive]
    words = f"  {format_bytes(free[-1])} then\n  lowest {format_bytes(max(0, lowest))}\n  floor {format_bytes(floor)}"
    axes.annotate(words, (1, 0.5), xycoords="axes fraction", va="center", fontsize=7, color=DAY.text)
    if last:
        axes.xaxis.set_major_formatter(lambda value, _: format_duration(value))
    else:
        axes.set_xticks([])


@register_plan("timeline", "the steps of a plan over time, and the free space of each drive")
def _draw(workspace: Workspace, plan: Plan, path: str) -> None:
    draw_timeline(plan, workspace.rehearse.rehearse(plan), workspace.drives.labels(), path)
