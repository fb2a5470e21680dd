"""What all screens share: each is laid out once for a size."""

from __future__ import annotations

from textual.geometry import Size
from textual.screen import Screen, ScreenResultType


class LaidOutOnce(Screen[ScreenResultType]):
    """A screen that is not laid out and drawn again for the size that it has already.

    Textual lays out a screen when it comes to the front, and by that tells it that its size has changed: then
    it does so once more, and the same to every screen behind it. That took half of the time in which a box opens.
    """

    def _screen_resized(self, size: Size) -> None:
        if size != self._compositor.size:
            super()._screen_resized(size)
