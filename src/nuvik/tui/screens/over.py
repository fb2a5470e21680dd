"""A box over a stage, which can still be seen, dimmed, behind it."""

from __future__ import annotations

import time
from collections.abc import Iterable
from functools import lru_cache

from rich.console import RenderableType
from rich.segment import Segment
from rich.style import Style
from textual.color import Color
from textual.geometry import Size
from textual.renderables.background_screen import BackgroundScreen
from textual.screen import ModalScreen, Screen, ScreenResultType
from textual.strip import Strip

from nuvik.tui.screens.laid_out_once import KEEPS_BEHIND_S, LaidOutOnce


class Over(LaidOutOnce[ScreenResultType], ModalScreen[ScreenResultType]):
    """A box over a stage: Esc, or a click beside it, closes it."""

    _behind: Dimmed | None = None
    """What is behind it, as it was drawn last."""

    def render(self) -> RenderableType:
        behind = super().render()
        if not isinstance(behind, BackgroundScreen):
            self._behind = None
            return behind
        # Opening a box draws it two or three times, one after the other: what is behind it is the same each time.
        if self._behind is None or not self._behind.holds_for(self.size):
            self._behind = Dimmed(behind.screen, behind.color, self.size)
        return self._behind

    def render_line(self, y: int) -> Strip:
        """A line of what is behind the box: taken from the screen there, not built a second time."""
        if self._behind is None or not self._behind.holds_for(self.size):
            self.render()
        return self._behind.line(y) if self._behind is not None else super().render_line(y)


class Dimmed(BackgroundScreen):
    """The screen behind in dimmed colours. Textual blends the colours of each piece again, which takes most of the time
    that a box needs to open; a screen has some dozens of styles, each of which is blended once here.
    """

    def __init__(self, screen: Screen[object], color: Color, size: Size) -> None:
        super().__init__(screen, color)
        self._size, self._drawn_s = size, time.monotonic()
        self._strips: list[Strip] | None = None

    def holds_for(self, size: Size) -> bool:
        """Whether it was drawn a moment ago, at the same size."""
        return size == self._size and time.monotonic() - self._drawn_s < KEEPS_BEHIND_S

    def line(self, y: int) -> Strip:
        """One line, as wide as the screen."""
        if self._strips is None:
            self._strips = [
                Strip(self.process_segments(strip, self.color)).adjust_cell_length(self._size.width)
                for strip in self.screen._compositor.render_strips()
            ]
        return self._strips[y] if y < len(self._strips) else Strip.blank(self._size.width)

    @classmethod
    def process_segments(cls, segments: Iterable[Segment], color: Color) -> Iterable[Segment]:
        for text, style, control in segments:
            yield Segment(text, style if control else _dimmed(style or Style.null(), color), control)


@lru_cache(maxsize=4096)
def _dimmed(style: Style, color: Color) -> Style:
    """A style with its colours blended with `color` by its alpha, and without what a click on it would do."""
    plain = style.clear_meta_and_links()
    ink = Color.from_rich_color(plain.color) + color if plain.color is not None else None
    ground = Color.from_rich_color(plain.bgcolor) + color if plain.bgcolor is not None else None
    return plain + Style.from_color(ink.rich_color if ink else None, ground.rich_color if ground else None)
