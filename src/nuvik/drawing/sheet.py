"""A sheet to draw on, saved as SVG or PDF: the same settings for every drawing."""

from __future__ import annotations

import io
import os
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown
from nuvik.core.user_files.safe_file import write_bytes
from nuvik.drawing.palette import DAY

INCHES_WIDE = 11.0


@contextmanager
def sheet(path: str, inches_high: float, title: str) -> Iterator[Any]:
    """A matplotlib figure with a title, written to `path` at the end.

    Raises BadInput for another ending than .svg or .pdf, Refused when the file cannot be written.
    """
    ending = os.path.splitext(path)[1].lower()
    if ending not in (".svg", ".pdf"):
        raise BadInput(f"{shown(path)}: drawings are .svg or .pdf.", next_step="End the name so.")
    import matplotlib

    matplotlib.use("Agg")
    # Text stays text, names are never taken for formulas, and the same drives give the same file.
    settings = {
        "svg.fonttype": "none",
        "svg.hashsalt": "nuvik",
        "text.parse_math": False,
        "pdf.fonttype": 42,
        "font.family": "DejaVu Sans",
        "font.size": 8,
        "hatch.linewidth": 0.5,
    }
    with matplotlib.rc_context(settings):  # type: ignore[arg-type]
        from matplotlib.figure import Figure

        figure = Figure(figsize=(INCHES_WIDE, inches_high), facecolor=DAY.surface)
        figure.text(0.02, 1 - 0.3 / inches_high, title, fontsize=9, fontweight="bold", color=DAY.text)
        yield figure
        metadata = {"Date": None} if ending == ".svg" else {"CreationDate": None}
        drawn = io.BytesIO()
        figure.savefig(drawn, format=ending[1:], metadata=metadata, facecolor=figure.get_facecolor())
        write_bytes(path, drawn.getvalue())


def plain_axes(figure: Any, place: tuple[float, float, float, float]) -> Any:
    """Axes without a frame but for the scale below; `place` is left, bottom, width, height in shares of the sheet."""
    axes = figure.add_axes(place)
    axes.set_facecolor(DAY.surface)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.tick_params(length=0, colors=DAY.text)
    return axes
