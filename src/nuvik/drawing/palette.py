"""The colours of Nuvik. Scarce on purpose: quiet grounds, one accent, muted hues for kinds, amber for “look”,
red only for “broken”."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.library import Kind


@dataclass(frozen=True, slots=True)
class Palette:
    """A theme's colours, as `#rrggbb`."""

    name: str
    dark: bool
    ground: str
    surface: str
    raised: str
    text: str
    quiet: str
    """Text that matters less."""
    accent: str
    look: str
    broken: str
    good: str
    other: str
    """Data on a drive that is no library."""
    free: str
    kinds: dict[Kind, str]

    @property
    def letter(self) -> str:
        """On the colour of a kind."""
        return self.ground if self.name == "nuvik-contrast" else self.text

    @property
    def cursor(self) -> str:
        """The ground of the line at the cursor: the surface with some of the accent."""
        mixed = (
            round(0.7 * int(self.surface[n : n + 2], 16) + 0.3 * int(self.accent[n : n + 2], 16)) for n in (1, 3, 5)
        )
        return "#" + "".join(f"{part:02x}" for part in mixed)


_NIGHT_KINDS = {
    Kind.GAME: "#7f6aa8",
    Kind.PROGRAM: "#4f86a6",
    Kind.VIDEO: "#a8606f",
    Kind.PHOTO: "#5c9183",
    Kind.SOUND: "#8a8f4d",
    Kind.DOCUMENT: "#8b9bb0",
    Kind.PROJECT: "#b27f54",
    Kind.CACHE: "#6f7a5a",
    Kind.BACKUP: "#5d6fa3",
    Kind.DOWNLOAD: "#9a7a96",
    Kind.DISC_IMAGE: "#7a6a5c",
    Kind.OTHER: "#6d7480",
}
_DAY_KINDS = {
    Kind.GAME: "#b7a5dc",
    Kind.PROGRAM: "#8fbfda",
    Kind.VIDEO: "#dd9aa6",
    Kind.PHOTO: "#93c7b8",
    Kind.SOUND: "#c3c783",
    Kind.DOCUMENT: "#b9c6d6",
    Kind.PROJECT: "#e0b48c",
    Kind.CACHE: "#aab891",
    Kind.BACKUP: "#9fb0de",
    Kind.DOWNLOAD: "#cfafcb",
    Kind.DISC_IMAGE: "#b8a796",
    Kind.OTHER: "#b4bac4",
}
# Bright, with black letters: so they can be read on terminals of sixteen colours, too.
_CONTRAST_KINDS = dict.fromkeys(Kind, "#c0c0c0") | {
    Kind.GAME: "#ff80ff",
    Kind.PROGRAM: "#40ffff",
    Kind.VIDEO: "#ff8080",
    Kind.PHOTO: "#40ff80",
    Kind.SOUND: "#c0c000",
    Kind.PROJECT: "#ffff60",
    Kind.BACKUP: "#00c0c0",
    Kind.DOCUMENT: "#ffffff",
    Kind.CACHE: "#00c000",
}

NIGHT = Palette(
    "nuvik-night",
    True,
    "#10151c",
    "#161d26",
    "#1f2935",
    "#d3dae3",
    "#8190a1",
    "#e3c07b",
    "#e0a040",
    "#e06a5e",
    "#8fb58a",
    "#3a4450",
    "#1b232d",
    _NIGHT_KINDS,
)
DAY = Palette(
    "nuvik-day",
    False,
    "#f4f2ec",
    "#fbfaf6",
    "#e6e2d8",
    "#23303c",
    "#66727e",
    "#8a5a00",
    "#a86400",
    "#b3261e",
    "#3c6e3a",
    "#c9c7c0",
    "#e3e1da",
    _DAY_KINDS,
)
CONTRAST = Palette(
    "nuvik-contrast",
    True,
    "#000000",
    "#000000",
    "#1c1c1c",
    "#ffffff",
    "#d0d0d0",
    "#ffe600",
    "#ffb000",
    "#ff6b6b",
    "#7dff7d",
    "#404040",
    "#101010",
    _CONTRAST_KINDS,
)
PALETTES = (NIGHT, DAY, CONTRAST)
