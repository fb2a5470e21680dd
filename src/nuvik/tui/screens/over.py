"""A box over a stage, which can still be seen, dimmed, behind it."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator
from functools import lru_cache

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment
from rich.style import Style
from textual.color import Color
from textual.geometry import Size
from textual.renderables.background_screen import BackgroundScreen
from textual.screen import ModalScreen, Screen, ScreenResultType

from nuvik.tui.screens.laid_out_once import LaidOutOnce

_MOMENT_S = 0.3


class Over(LaidOutOnce[ScreenResultType], ModalScreen[ScreenResultType]):
    """A box over a stage: Esc, or a click beside it, closes it."""

    _behind: Dimmed | None = None
    """What is behind it, as it was drawn last."""

    def render(self) -> RenderableType:
        behind = super().render()
        if not isinstance(behind, BackgroundScreen):
            return behind
        # Opening a box draws it two or three times, one after the other: what is behind it is the same each time.
        if self._behind is None or not self._behind.holds_for(self.size):
            self._behind = Dimmed(behind.screen, behind.color, self.size)
        return self._behind


class Dimmed(BackgroundScreen):
    """The screen behind in dimmed colours. Textual blends the colours of each piece anew, which takes most of the time
    that a box needs to open; a screen has some dozens of styles, each of which is blended once here.
    """

    def __init__(self, screen: Screen[object], color: Color, size: Size | None = None) -> None:
        super().__init__(screen, color)
        self._size, self._drawn_s = size, time.monotonic()
        self._segments: list[Segment] | None = None

    def holds_for(self, size: Size) -> bool:
        """Whether it was drawn a moment ago, at the same size."""
        return size == self._size and time.monotonic() - self._drawn_s < _MOMENT_S

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> Iterator[Segment]:
        if self._segments is None:
            drawn = console.render(self.screen._compositor, options)
            self._segments = list(self.process_segments(drawn, self.color))
        yield from self._segments

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
