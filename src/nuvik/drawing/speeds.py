"""The drawing of speeds: reading, writing and small reads of all drives on log scales, with the links' ceilings."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from nuvik.core.model.drive import Drive
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_duration, format_speed
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.sheet import plain_axes, sheet

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_INCHES_A_DRIVE = 0.75
_CLOSE = 2.5
_MARKS: dict[str, tuple[Any, str]] = {"measured": ("-", "o"), "declared": ("--", "o"), "typical": (":", "x")}
"""Line and end mark by how a figure is known, as on the screen: nothing rests on colour."""


def draw_speeds(snapshot: Snapshot, path: str) -> None:
    """Draw the speeds of every drive. Raises BadInput for another ending, Refused when the file cannot be written."""
    drives = snapshot.drives
    height = _INCHES_A_DRIVE * max(1, len(drives)) + 1.5
    title = f"{snapshot.host}: {_title(drives)}"
    with sheet(path, height, title) as figure:
        bottom, tall = 0.85 / height, 1 - 1.45 / height
        speeds = plain_axes(figure, (0.13, bottom, 0.50, tall))
        small = plain_axes(figure, (0.71, bottom, 0.15, tall))
        for number, drive in enumerate(drives):
            _of_drive(speeds, small, -number, drive)
        for axes in (speeds, small):
            axes.set_xscale("log")
            axes.set_ylim(-len(drives) + 0.4, 0.7)
            axes.grid(axis="x", color=DAY.free)
        speeds.set_yticks([-n for n in range(len(drives))], [_label(drive) for drive in drives])
        small.set_yticks([])
        speeds.xaxis.set_major_formatter(lambda value, _: format_speed(value))
        small.xaxis.set_major_formatter(lambda value, _: f"{value:,.0f}")
        speeds.set_xlabel("reads above, writes below; | the most its link allows")
        small.set_xlabel("small reads a second, and felt load")
        _legend(figure, height)


def _title(drives: Sequence[Drive]) -> str:
    measured = [drive for drive in drives if drive.speed_source == "measured"]
    if not measured:
        return "what the drives are said to do; none has been measured"
    return f"how fast the drives really are ({len(measured)} of {len(drives)} measured)"


def _label(drive: Drive) -> str:
    link = drive.link_standard
    return shown(drive.label) + (f"\n{link.name.split(' (')[0]}" if link is not None else "")


def _of_drive(speeds: Any, small: Any, y: float, drive: Drive) -> None:
    link = drive.link_standard
    ceiling = link.payload_bytes_per_s if link is not None else 0.0
    for value, source, at in (
        (drive.read_bytes_per_s, drive.speed_source, y + 0.16),
        (drive.write_bytes_per_s, drive.write_source, y - 0.16),
    ):
        line, mark = _MARKS.get(source, _MARKS["typical"])
        speeds.plot([1e6, value], [at, at], line, color=DAY.text, linewidth=1)
        speeds.plot([value], [at], mark, color=DAY.text, markersize=4)
        # Beyond the ceiling's mark, where that stands close by.
        beside = ceiling if value < ceiling < _CLOSE * value else value
        speeds.annotate(f"  {format_speed(value)}", (beside, at), va="center", fontsize=7.5, color=DAY.text)
    if link is not None:
        color = DAY.look if link.holds_back(drive.read_bytes_per_s) else DAY.quiet
        speeds.plot([link.payload_bytes_per_s] * 2, [y - 0.3, y + 0.3], "-", color=color, linewidth=1.5)
    line, mark = _MARKS.get(drive.speed_source, _MARKS["typical"])
    small.plot([10, drive.small_reads_per_s], [y, y], line, color=DAY.text, linewidth=1)
    small.plot([drive.small_reads_per_s], [y], mark, color=DAY.text, markersize=4)
    words = f"  {drive.small_reads_per_s:,.0f}/s · {drive.tier}, {format_duration(drive.felt_load_s)}"
    small.annotate(
        words, (drive.small_reads_per_s, y), va="center", fontsize=7.5, color=DAY.text, annotation_clip=False
    )


def _legend(figure: Any, height: float) -> None:
    from matplotlib.lines import Line2D

    handles = [
        Line2D([0], [0], linestyle=line, marker=mark, markersize=4, color=DAY.text, linewidth=1, label=how)
        for how, (line, mark) in _MARKS.items()
    ]
    figure.legend(handles=handles, loc="lower left", bbox_to_anchor=(0.01, 0.05 / height), ncol=3, frameon=False)


@register("speeds", "reading, writing and small reads of every drive")
def _draw(workspace: Workspace, path: str) -> None:
    draw_speeds(workspace.survey.latest(), path)
