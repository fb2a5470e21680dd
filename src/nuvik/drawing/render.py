"""Pages as SVG or PDF: real text in embedded fonts, a title and a description, and the same bytes for the same page."""

from __future__ import annotations

import base64
import io
import os
import re
from collections.abc import Sequence
from typing import Any
from xml.sax.saxutils import escape

from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown
from nuvik.core.user_files.safe_file import make_folder_of, write_bytes
from nuvik.drawing import fonts
from nuvik.drawing.page import Area, Line, Page, Words
from nuvik.drawing.palette import DAY

_INCH = 72.0
_SETTINGS = {
    "svg.fonttype": "none",
    "svg.hashsalt": "nuvik",
    "text.parse_math": False,
    "pdf.fonttype": 42,
    "hatch.linewidth": 0.5,
}


def save(pages: Sequence[Page], path: str) -> None:
    """Write pages to a file: one as SVG, one or more as PDF. Folders that are not there are made.

    Raises BadInput for another ending, Refused when the file cannot be written.
    """
    ending = os.path.splitext(path)[1].lower()
    if ending not in (".svg", ".pdf"):
        raise BadInput(f"{shown(path)}: drawings are .svg or .pdf.", next_step="End the name so.")
    drawn = pdf(pages) if ending == ".pdf" else svg(pages[0]).encode()
    make_folder_of(path)
    write_bytes(path, drawn)


def pdf(pages: Sequence[Page]) -> bytes:
    """All pages as one document."""
    import matplotlib

    matplotlib.use("Agg")
    with matplotlib.rc_context(_SETTINGS):  # type: ignore[arg-type]
        from matplotlib.backends.backend_pdf import PdfPages

        drawn = io.BytesIO()
        about = {"Title": pages[0].title, "Subject": pages[0].says, "Creator": "Nuvik", "CreationDate": None}
        with PdfPages(drawn, metadata=about) as document:
            for page in pages:
                document.savefig(_figure(page), facecolor=DAY.surface)
        return drawn.getvalue()


def svg(page: Page) -> str:
    """One page, with the letters that it needs in it."""
    import matplotlib

    matplotlib.use("Agg")
    with matplotlib.rc_context(_SETTINGS):  # type: ignore[arg-type]
        drawn = io.BytesIO()
        _figure(page).savefig(drawn, format="svg", metadata={"Date": None}, facecolor=DAY.surface)
    text = drawn.getvalue().decode()
    says = f"<title>{escape(page.title)}</title>\n<desc>{escape(page.says)}</desc>\n"
    opening = re.search(r"<svg[^>]*>", text)
    assert opening is not None
    at = opening.end()
    return f"{text[:at]}\n{says}{_embedded(page)}{text[at:]}"


def _figure(page: Page) -> Any:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(page.width / _INCH, page.height / _INCH), dpi=_INCH, facecolor=DAY.surface)
    for item in page.items:
        figure.add_artist(_artist(item, page))
    return figure


def _artist(item: Words | Area | Line, page: Page) -> Any:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Polygon, Rectangle
    from matplotlib.text import Text
    from matplotlib.transforms import Affine2D

    # Points from the top left; without dots an inch, since files are written at any of them.
    whole = Affine2D().scale(1 / page.width, -1 / page.height).translate(0, 1)

    def place(x: float, y: float) -> tuple[float, float]:
        across, up = whole.transform((x, y))
        return float(across), float(up)

    if isinstance(item, Words):
        x, y = place(item.box.left, item.box.top + fonts.ASCENT * item.size)
        return Text(
            x,
            y,
            item.words,
            fontsize=item.size,
            fontweight="bold" if item.bold else "normal",
            fontfamily=fonts.families(item.words),
            color=item.color,
            va="baseline",
            ha="left",
            parse_math=False,
        )
    if isinstance(item, Area):
        left, bottom = place(item.box.left, item.box.bottom)
        right, top = place(item.box.right, item.box.top)
        return Rectangle(
            (left, bottom),
            right - left,
            top - bottom,
            facecolor=item.fill or "none",
            edgecolor=item.edge or "none",
            hatch=item.hatch or None,
            linewidth=item.line if item.edge and not item.hatch else 0.0,
        )
    points = [place(x, y) for x, y in item.points]
    if item.fill:
        return Polygon(points, closed=True, facecolor=item.fill, edgecolor="none")
    return Line2D(
        [x for x, _ in points],
        [y for _, y in points],
        color=item.color,
        linewidth=item.width,
        linestyle=item.dash,  # type: ignore[arg-type]
        solid_capstyle="butt",
        solid_joinstyle="miter",
    )


def _embedded(page: Page) -> str:
    """The letters that the page needs, each font cut down to them."""
    letters: dict[tuple[str, bool], set[str]] = {}
    for item in page.items:
        if isinstance(item, Words):
            for family in fonts.families(item.words):
                letters.setdefault((family, item.bold), set()).update(item.words)
    faces = [
        f"@font-face {{ font-family: '{family}'; font-weight: {'bold' if bold else 'normal'}; "
        f"src: url(data:font/ttf;base64,{base64.b64encode(data).decode()}) format('truetype'); }}"
        for (family, bold), used in sorted(letters.items())
        if (data := _subset(fonts.file_of(family, bold), frozenset(used)))
    ]
    return f"<style>{' '.join(faces)}</style>\n" if faces else ""


def _subset(file: str, letters: frozenset[str]) -> bytes:
    """A font with these letters only; empty where its file cannot be cut down."""
    from fontTools import subset
    from fontTools.ttLib import TTLibError

    options = subset.Options(notdef_outline=True, hinting=False, layout_features=[], recalc_timestamp=False)
    options.drop_tables += ["FFTM"]  # the date of the font's own editor
    try:
        font = subset.load_font(file, options)
        cutter = subset.Subsetter(options)
        cutter.populate(text="".join(sorted(letters)))
        cutter.subset(font)
        written = io.BytesIO()
        subset.save_font(font, written, options)
    except (TTLibError, OSError, subset.Subsetter.SubsettingError):
        return b""
    return written.getvalue()
