"""An application in one of our themes."""

from __future__ import annotations

from textual.app import App
from textual.screen import Screen

from nuvik.tui.kept_styles import KeptStyles
from nuvik.tui.screens.laid_out_once import LaidOutOnce
from nuvik.tui.theme import palette_of, theme_after, theme_named, themes


class _Ground(Screen[None]):
    """What the toolkit puts below the first stage. It is never seen, so no change of it draws the stage again."""

    def _compositor_refresh(self) -> None:
        if self.app.screen is self:
            super()._compositor_refresh()


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

    def get_default_screen(self) -> Screen[None]:
        return _Ground(id="_default")

    def refresh_css(self, animate: bool = True) -> None:
        """Style every widget again, and draw the screen once. The toolkit would draw it right away, and then again for
        all that its widgets ask for meanwhile.
        """
        if self.screen_stack and isinstance(self.screen, LaidOutOnce):
            self.screen.lay_out_later()
        super().refresh_css(animate)

    def next_theme(self) -> None:
        self.theme = theme_after(self.theme)
