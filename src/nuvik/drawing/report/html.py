"""The report as one HTML file, which needs nothing beside it: its drawings are SVG with their letters in them."""

from __future__ import annotations

from html import escape

from nuvik.drawing import fonts
from nuvik.drawing.palette import DAY
from nuvik.drawing.render import svg
from nuvik.drawing.report.pages import blocks_drawn
from nuvik.drawing.report.sections import Report

_ROOM = 720.0
_STYLE = f"""
body {{ font: 16px/1.5 system-ui, '{fonts.FAMILY}', sans-serif; color: {DAY.text}; background: {DAY.surface};
  max-width: 60rem; margin: 2rem auto; padding: 0 1.5rem; }}
h1 {{ font-size: 1.8rem; margin-bottom: 0; }} h2 {{ color: {DAY.accent}; margin-top: 2.5rem; }}
.quiet {{ color: {DAY.quiet}; }} svg {{ width: 100%; height: auto; margin: .5rem 0; }}
@media print {{ section {{ break-inside: avoid; }} }}
"""


def report_html(report: Report) -> str:
    """The whole file."""
    drawings = {id(block): svg(page) for block, page in blocks_drawn(report, _ROOM)}
    parts = [
        "<!DOCTYPE html>",
        f'<html lang="en"><head><meta charset="utf-8"><title>{escape(report.title)}</title>',
        '<meta name="viewport" content="width=device-width, initial-scale=1">',
        f"<style>{_STYLE}</style></head><body>",
        f'<h1>{escape(report.title)}</h1><p class="quiet">{escape(report.sentence)}</p>',
    ]
    for section in report.sections:
        parts.append(f"<section><h2>{escape(section.title)}</h2>")
        listed = False
        for block in section.blocks:
            if block.item != listed:
                parts.append("<ul>" if block.item else "</ul>")
                listed = block.item
            if block.draw is not None:
                drawing = drawings[id(block)]
                parts.append(drawing[drawing.index("<svg") :])
            else:
                parts.append(f"<li>{escape(block.words)}</li>" if block.item else f"<p>{escape(block.words)}</p>")
        parts.append("</ul></section>" if listed else "</section>")
    return "\n".join([*parts, "</body></html>", ""])
