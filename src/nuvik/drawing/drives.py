"""Drawings of drives: each a strip of its libraries to a common scale, and for a plan now above and then below."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.plan import Plan
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import Base, format_free, preferred
from nuvik.core.views.draft_sentences import totals
from nuvik.core.views.survey_headline import survey_headline
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register, register_plan
from nuvik.drawing.sheet import INCHES_WIDE, plain_axes, sheet

if TYPE_CHECKING:
    from nuvik.core.planning.drafting.draft import Draft
    from nuvik.core.stages.workspace import Workspace

_INCHES_A_STRIP = 0.62
_POINTS_A_CHARACTER = 4.6
_LABEL_SHARE = 0.115


def draw_drives(snapshot: Snapshot, path: str) -> None:
    """Draw every attached drive with its libraries. Raises BadInput for another ending, Refused if unwritable."""
    rows = [(drive, "", snapshot.on_drive(drive.id), drive.used_bytes) for drive in snapshot.drives if drive.attached]
    _draw_rows(rows, f"{snapshot.host}: {survey_headline(snapshot)}", path)


def draw_before_after(snapshot: Snapshot, draft: Draft, path: str) -> None:
    """Draw each drive twice: now above, then below."""
    rows: list[tuple[Drive, str, Sequence[Library], int]] = []
    for drive in draft.drives:
        if drive.attached:
            then_used = drive.usable_bytes - draft.free_then_bytes(drive.id)
            rows.append((drive, "now", snapshot.on_drive(drive.id), drive.used_bytes))
            rows.append((drive, "then", draft.on_drive_then(drive.id), then_used))
    _draw_rows(rows, f"{snapshot.host}: {totals(draft)}", path)


def _draw_rows(rows: Sequence[tuple[Drive, str, Sequence[Library], int]], title: str, path: str) -> None:
    height = _INCHES_A_STRIP * len(rows) + 1.5
    with sheet(path, height, title) as figure:
        place = (_LABEL_SHARE, 0.85 / height, 0.86 - _LABEL_SHARE + 0.11, 1 - 1.45 / height)
        _strips(plain_axes(figure, place), rows)
        _legend(figure, rows, height)


def _strips(axes: Any, rows: Sequence[tuple[Drive, str, Sequence[Library], int]]) -> None:
    step, unit = (1000**3, "GB") if preferred() is Base.DECIMAL else (1024**3, "GiB")
    longest = max((drive.usable_bytes for drive, *_ in rows), default=step) / step
    points = INCHES_WIDE * 72 * (0.97 - _LABEL_SHARE)
    ticks, labels = [], []
    for number, (drive, when, libraries, used_bytes) in enumerate(rows):
        y = -number - (0.12 if when == "now" else -0.12 if when == "then" else 0)
        ticks.append(y)
        labels.append(f"{shown(drive.label)} {when}".strip())
        usable = drive.usable_bytes / step
        known = sum(library.on_disk_bytes for library in libraries)
        axes.barh(y, usable, height=0.62, color=DAY.free, edgecolor=DAY.quiet, linewidth=0.6)
        axes.barh(
            y,
            drive.headroom_bytes / step,
            left=usable - drive.headroom_bytes / step,
            height=0.62,
            color="none",
            edgecolor=DAY.quiet,
            hatch="////",
            linewidth=0,
        )
        left = max(0, used_bytes - known) / step
        axes.barh(y, left, height=0.62, color=DAY.other)
        for library in libraries:
            width = library.on_disk_bytes / step
            axes.barh(
                y, width, left=left, height=0.62, color=DAY.kinds[library.kind], edgecolor=DAY.surface, linewidth=0.3
            )
            room = int(width / longest * points / _POINTS_A_CHARACTER)
            if room >= 2:
                text = shorten(library.name, room) if room >= 8 else library.kind.letter
                axes.text(left + width / 2, y, text, ha="center", va="center", color=DAY.text, fontsize=7)
            left += width
        free = drive.usable_bytes - used_bytes
        color = DAY.broken if free < 0 else DAY.look if free < drive.headroom_bytes else DAY.quiet
        axes.text(usable + longest * 0.006, y, format_free(free), va="center", color=color, fontsize=7.5)
    axes.set_yticks(ticks, labels)
    axes.set_xlim(0, longest * 1.1)
    axes.set_ylim(-len(rows) + 0.4, 0.6)
    axes.set_xlabel(f"{unit}, all drives to one scale")


def _legend(figure: Any, rows: Sequence[tuple[Drive, str, Sequence[Library], int]], height: float) -> None:
    from matplotlib.patches import Patch

    used = {library.kind for _, _, libraries, _ in rows for library in libraries}
    marks = [Patch(color=DAY.kinds[kind], label=f"{kind.letter} {kind}") for kind in Kind if kind in used]
    marks.append(Patch(color=DAY.other, label="other data"))
    marks.append(Patch(facecolor=DAY.free, edgecolor=DAY.quiet, hatch="////", label="headroom"))
    figure.legend(
        handles=marks, loc="lower left", bbox_to_anchor=(0.01, 0.05 / height), ncol=7, frameon=False, fontsize=7.5
    )


@register("drives", "every drive with its libraries")
def _draw(workspace: Workspace, path: str) -> None:
    draw_drives(workspace.survey.latest(), path)


@register_plan("plan", "every drive now and once a plan is carried")
def _draw_plan(workspace: Workspace, plan: Plan, path: str) -> None:
    draft, left = workspace.plan.draft_of(plan, workspace.survey.latest())
    if left:
        raise Refused(f"Not all of this plan can be drawn: {left[0]}.", next_step="Survey, or make the plan again.")
    draw_before_after(draft.snapshot, draft, path)
