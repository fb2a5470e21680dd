"""What all screens share: each is laid out once for a size, and drawn once for a change."""

from __future__ import annotations

import time
from math import inf

from textual.geometry import Size
from textual.screen import Screen, ScreenResultType

_SETTLES_S = 0.002
KEEPS_BEHIND_S = 0.3
"""So long a box that opens keeps its picture of what is behind it."""


class LaidOutOnce(Screen[ScreenResultType]):
    """A screen that is not laid out and drawn again for the size that it has already.

    Textual lays out a screen when it comes to the front, and by that tells it that its size has changed: then
    it does so once more, and the same to every screen behind it. That took half of the time in which a box opens.
    What is laid out and drawn as a whole anyway is not drawn twice for that either.
    """

    _settles = False
    """Whether the next picture waits for what widgets may still have to say."""
    _next_size: Size | None = None
    """The size for which it is laid out then, where that is a new one."""
    _covered_s = -inf
    """When another screen came over it last."""

    def lay_out_later(self) -> None:
        """Whatever would lay it out now leaves that to the next picture, which waits a moment for all widgets to say
        that they have changed.
        """
        self._settles = True
        self.set_timer(_SETTLES_S, self._settled)

    def _settled(self) -> None:
        self._settles = False
        if self._next_size is not None:
            with self.app.batch_update():
                self._refresh_layout(self._next_size)
            self._next_size, self._layout_required = None, False
        self._on_timer_update()

    def on_screen_resume(self) -> None:
        self.lay_out_later()

    def _on_timer_update(self) -> None:
        if self._settles:
            return
        if self._layout_required and self._repaint_required and self.app.screen is self and not self.app._batch_count:
            # It is drawn as a whole afterwards, so laying it out does not draw a part of it first.
            with self.app.batch_update():
                self._refresh_layout(scroll=self._scroll_required)
            self._layout_required = self._scroll_required = False
        super()._on_timer_update()

    def _refresh_layout(self, size: Size | None = None, scroll: bool = False) -> None:
        if self._settles:
            self._next_size = size or self._next_size
            self.refresh(layout=True)
        else:
            super()._refresh_layout(size, scroll)

    def on_screen_suspend(self) -> None:
        self._covered_s = time.monotonic()

    def _compositor_refresh(self) -> None:
        if self.app.screen is not self and time.monotonic() - self._covered_s < KEEPS_BEHIND_S:
            # The box that opened over it has drawn it, dimmed, and keeps that for this moment anyway.
            self._dirty_widgets.clear()
            self._compositor._dirty_regions.clear()
            return
        super()._compositor_refresh()

    def _screen_resized(self, size: Size) -> None:
        if size != self._compositor.size:
            super()._screen_resized(size)
