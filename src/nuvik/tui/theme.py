"""The three themes, made from the shared palette."""

from __future__ import annotations

from textual.theme import Theme

from nuvik.drawing.palette import PALETTES, Palette


def themes() -> list[Theme]:
    """Night, day and high contrast, in the order in which one key goes through them."""
    return [_theme(palette) for palette in PALETTES]


def palette_of(theme_name: str) -> Palette:
    """The palette behind a theme; night for a theme that is not ours."""
    return next((palette for palette in PALETTES if palette.name == theme_name), PALETTES[0])


def _theme(palette: Palette) -> Theme:
    return Theme(
        name=palette.name,
        dark=palette.dark,
        primary=palette.accent,
        secondary=palette.quiet,
        accent=palette.accent,
        warning=palette.look,
        error=palette.broken,
        success=palette.good,
        foreground=palette.text,
        background=palette.ground,
        surface=palette.surface,
        panel=palette.raised,
        variables={
            "quiet": palette.quiet,
            "block-cursor-background": palette.accent,
            "block-cursor-foreground": palette.ground,
            "block-cursor-text-style": "none",
            "block-cursor-blurred-background": palette.raised,
            "block-cursor-blurred-foreground": palette.text,
            "block-cursor-blurred-text-style": "none",
            "footer-background": palette.raised,
            "footer-key-foreground": palette.accent,
            "footer-description-foreground": palette.text,
            "scrollbar": palette.raised,
            "scrollbar-background": palette.surface,
            "scrollbar-hover": palette.quiet,
            "border": palette.raised,
        },
    )


def theme_named(name: str) -> str:
    """The full name of a theme, such as `day`; of the first where there is no such."""
    return next((theme.name for theme in themes() if theme.name.endswith(f"-{name}")), themes()[0].name)


def theme_after(name: str) -> str:
    """The theme that follows one in their order; the first after one that is not ours."""
    names = [theme.name for theme in themes()]
    return names[(names.index(name) + 1) % len(names)] if name in names else names[0]
