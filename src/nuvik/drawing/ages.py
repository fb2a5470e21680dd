"""The map: libraries by size and last use, as on the screen; large and unused libraries are in one corner."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nuvik.core.model.cold import COLD_AFTER_DAYS
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes
from nuvik.core.views.age_board import AGE_TICKS, AgeBoard, Spot, across_of, age_board, big_and_cold_in_words
from nuvik.drawing.palette import DAY
from nuvik.drawing.registry import register
from nuvik.drawing.sheet import plain_axes, sheet

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_INCHES_HIGH = 7.0
_MOST_NAMES, _NAME_CELLS = 40, 28
"""So many libraries are named; in a crowd names would only cover each other."""
_BESIDE, _ABOVE = 0.16, 0.03
"""Names closer than this across and up would touch."""


def draw_ages(snapshot: Snapshot, path: str) -> None:
    """Draw every library. Raises BadInput for another ending, Refused when the file cannot be written."""
    board = age_board(snapshot.libraries)
    title = f"{shown(snapshot.host)}: {big_and_cold_in_words(board)}"
    with sheet(path, _INCHES_HIGH, title) as figure:
        axes = plain_axes(figure, (0.09, 0.09, 0.87, 0.82))
        axes.set_xlim(-0.01, 1.06)
        axes.set_ylim(-0.02, 1.05)
        _corner(axes, board)
        for spot in board.spots:
            _mark(axes, spot)
        for spot in _named(board):
            axes.annotate(
                f"   {shorten(spot.library.name, _NAME_CELLS)}",
                (spot.across, spot.up),
                va="center",
                fontsize=7,
                color=DAY.text,
            )
        axes.set_xticks([across_of(days) for days, _ in AGE_TICKS], [name for _, name in AGE_TICKS])
        axes.set_yticks([up for up, _ in board.size_ticks], [format_bytes(size) for _, size in board.size_ticks])
        axes.grid(color=DAY.free)
        axes.set_axisbelow(True)
        kinds = [kind for kind in Kind if any(spot.library.kind is kind for spot in board.spots)]
        letters = ", ".join(f"{kind.letter} {kind}" for kind in kinds)
        axes.set_xlabel(f"last used   ({letters})", color=DAY.text)


def _corner(axes: Any, board: AgeBoard) -> None:
    from matplotlib.patches import Rectangle

    left, bottom = across_of(COLD_AFTER_DAYS), board.up_of(board.big_bytes)
    axes.add_patch(
        Rectangle(
            (left, bottom), 1.06 - left, 1.05 - bottom, facecolor=DAY.free, hatch="//", edgecolor=DAY.surface, zorder=0
        )
    )
    axes.annotate("big and cold", (left + 0.005, 1.03), fontsize=8, color=DAY.look, va="center")


def _mark(axes: Any, spot: Spot) -> None:
    """The letter of its kind on its colour, as everywhere."""
    axes.annotate(
        spot.library.kind.letter,
        (spot.across, spot.up),
        ha="center",
        va="center",
        fontsize=6.5,
        color=DAY.text,
        bbox={"boxstyle": "square,pad=0.25", "facecolor": DAY.kinds[spot.library.kind], "edgecolor": "none"},
    )


def _named(board: AgeBoard) -> list[Spot]:
    """The largest libraries whose names do not touch those already there."""
    named: list[Spot] = []
    for spot in sorted(board.spots, key=lambda spot: (-spot.library.on_disk_bytes, spot.library.path)):
        free = all(abs(spot.across - other.across) > _BESIDE or abs(spot.up - other.up) > _ABOVE for other in named)
        if free and len(named) < _MOST_NAMES:
            named.append(spot)
    return named


@register("map", "libraries by size and last use")
def _draw(workspace: Workspace, path: str) -> None:
    draw_ages(workspace.survey.latest(), path)
