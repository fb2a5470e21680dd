"""Escape is answered as soon as it is certain.

In most terminals Escape is also the beginning of what other keys send. The toolkit waits for what follows, and looks
whether that time is over every tenth of a second only. Here it looks again soon, for a moment after each key.
"""

from __future__ import annotations

import selectors
import sys
import time
from types import SimpleNamespace
from typing import Any

_SOON_S, _FOR_S = 0.0125, 0.15


class _LooksAgainSoon(selectors.SelectSelector):
    """Waits for input; for a moment after some came, not for long."""

    _soon_until_s = 0.0

    def select(self, timeout: float | None = None) -> list[tuple[selectors.SelectorKey, int]]:
        if timeout is not None and time.monotonic() < self._soon_until_s:
            timeout = min(timeout, _SOON_S)
        ready = super().select(timeout)
        if ready:
            self._soon_until_s = time.monotonic() + _FOR_S
        return ready


def answer_escape_soon() -> None:
    """To be called before the screens are opened. Where the toolkit reads keys otherwise, nothing changes."""
    if sys.platform == "win32":
        return
    from textual.drivers import linux_driver

    driver: Any = linux_driver
    if getattr(driver, "selectors", None) is selectors:
        driver.selectors = SimpleNamespace(**{**vars(selectors), "SelectSelector": _LooksAgainSoon})
