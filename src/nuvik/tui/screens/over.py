"""A box over a stage, which can still be seen, dimmed, behind it."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

from rich.console import RenderableType
from rich.segment import Segment
from rich.style import Style
from textual.color import Color
from textual.renderables.background_screen import BackgroundScreen
from textual.screen import ModalScreen, ScreenResultType


class Over(ModalScreen[ScreenResultType]):
    """A box over a stage: Esc, or a click beside it, closes it."""

    def render(self) -> RenderableType:
        behind = super().render()
        return Dimmed(behind.screen, behind.color) if isinstance(behind, BackgroundScreen) else behind


class Dimmed(BackgroundScreen):
    """The screen behind in dimmed colours. Textual blends the colours of each piece anew, which takes most of the time
    that a box needs to open; a screen has some dozens of styles, each of which is blended once here.
    """

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
