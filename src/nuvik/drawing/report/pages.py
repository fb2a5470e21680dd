"""The report as pages: blocks flow down, and what does not fit goes to the next page as a whole."""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum

from nuvik.drawing.page import TEXT, TITLE, Page
from nuvik.drawing.palette import DAY
from nuvik.drawing.report.sections import Block, Report

_MARGIN, _FOOT, _BETWEEN = 42.0, 30.0, 8.0
_HEADING = 11.5


class Paper(StrEnum):
    """What it is printed on."""

    A4 = "a4"
    LETTER = "letter"

    @property
    def size(self) -> tuple[float, float]:
        """Width and height, in points."""
        return (595.0, 842.0) if self is Paper.A4 else (612.0, 792.0)


def report_pages(report: Report, paper: Paper = Paper.A4) -> list[Page]:
    """The pages, with their numbers."""
    flow = _Flow(report, paper)
    for section in report.sections:
        first, *rest = section.blocks
        # A heading never stands alone at the end of a page.
        flow.heading(section.title, flow.height_of(first))
        for block, after in zip(section.blocks, (*rest, None), strict=True):
            # A sentence that leads to a drawing stays with it.
            leads = after is not None and after.draw is not None and not block.item and block.draw is None
            flow.put(block, flow.height_of(after) if leads and after is not None else 0.0)
    return flow.numbered()


class _Flow:
    def __init__(self, report: Report, paper: Paper) -> None:
        self._wide, self._tall = paper.size
        self._report = report
        self._pages: list[Page] = []
        self._y = 0.0
        self._turn()
        page = self._pages[-1]
        self._y = page.paragraph(report.title, _MARGIN, self._y, self._room, TITLE + 5, bold=True)
        self._y = page.paragraph(report.sentence, _MARGIN, self._y + 2, self._room, TEXT, color=DAY.quiet) + 4

    @property
    def _room(self) -> float:
        return self._wide - 2 * _MARGIN

    def _turn(self) -> None:
        self._pages.append(Page(self._wide, self._tall, title=self._report.title, says=self._report.sentence))
        self._y = _MARGIN

    def _fits(self, height: float) -> bool:
        return self._y + height <= self._tall - _MARGIN - _FOOT + 12

    def heading(self, title: str, next_height: float) -> None:
        if not self._fits(_HEADING * 1.35 + 18 + min(next_height, self._tall * 0.7)):
            self._turn()
        page, self._y = self._pages[-1], self._y + (12 if self._y > _MARGIN else 0)
        self._y = page.paragraph(title, _MARGIN, self._y, self._room, _HEADING, bold=True, color=DAY.accent) + 3

    def height_of(self, block: Block) -> float:
        return self._drawn(block).height

    def put(self, block: Block, with_it: float = 0.0) -> None:
        """Put a block here, or on the next page where it, and so much below it, does not fit any more."""
        drawn = self._drawn(block)
        whole = drawn.height + with_it
        if not self._fits(whole if whole < self._tall * 0.85 else drawn.height):
            self._turn()
        self._pages[-1].items += drawn.moved(0.0, self._y)
        self._y += drawn.height

    def _drawn(self, block: Block) -> Page:
        """A block on a page of its own, which is as tall as it is."""
        page = Page(self._wide)
        if block.draw is not None:
            return page.ends_at(block.draw(page, _MARGIN, 0.0, self._room) + _BETWEEN)
        inset = 10.0 if block.item else 0.0
        if block.item:
            page.text("–", _MARGIN, 0.0, TEXT, color=DAY.quiet)
        end = page.paragraph(block.words, _MARGIN + inset, 0.0, self._room - inset, TEXT)
        return page.ends_at(end + (2.0 if block.item else _BETWEEN - 2))

    def numbered(self) -> list[Page]:
        for number, page in enumerate(self._pages, start=1):
            y = self._tall - _FOOT
            page.text(f"{number} of {len(self._pages)}", self._wide - _MARGIN, y, 7.5, color=DAY.quiet, align="right")
            page.text("Nuvik", _MARGIN, y, 7.5, color=DAY.quiet)
        return self._pages


def blocks_drawn(report: Report, room: float) -> Iterator[tuple[Block, Page]]:
    """Each drawing of the report on a page of its own, so wide."""
    for section in report.sections:
        for block in section.blocks:
            if block.draw is not None:
                page = Page(room, title=section.title, says=block.says)
                yield block, page.ends_at(block.draw(page, 2.0, 2.0, room - 4.0) + 4)
