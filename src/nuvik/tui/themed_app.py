"""An application in one of our themes."""

from __future__ import annotations

from textual.app import App

from nuvik.tui.kept_styles import KeptStyles
from nuvik.tui.theme import palette_of, theme_after, theme_named, themes


class ThemedApp(App[None]):
    """It has our themes, and goes from one to the next."""

    def __init__(self, theme: str) -> None:
        """`theme` is night, day or contrast."""
        super().__init__()
        self.stylesheet = KeptStyles(variables=self.get_css_variables())
        for each in themes():
            self.register_theme(each)
        self.theme = theme_named(theme)

    def get_theme_variable_defaults(self) -> dict[str, str]:
        """Variables of our own that the style sheet uses, for themes that do not set them."""
        return {"quiet": palette_of("").quiet}

    def next_theme(self) -> None:
        self.theme = theme_after(self.theme)
