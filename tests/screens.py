"""What the tests of the screens share: waiting for them, and reading what they show."""

from __future__ import annotations

import io
import time

from rich.console import Console
from textual.widgets import Static

from nuvik.tui.app import NuvikApp

_QUIET_S = 0.03
"""What the sum in `slowness` takes on a quiet machine of today, or longer."""


async def settle(app: NuvikApp, pilot) -> None:
    """Wait until nothing works in the background and all is drawn."""
    for _ in range(3):  # opening, then surveying, then drawing
        await pilot.pause()
        await app.workers.wait_for_complete()
    await pilot.pause()


def words(app: NuvikApp, selector: str) -> str:
    return str(app.screen.query_one(selector, Static).content)


def words_of(static: Static) -> str:
    """All that a widget shows, tables too."""
    console = Console(file=io.StringIO(), width=150)
    console.print(static.content)
    return console.file.getvalue()


def slowness() -> float:
    """How much slower this machine computes now than a quiet one: tests run side by side, and others use it too."""
    times = []
    for _ in range(5):
        began = time.process_time()
        sum(number * number for number in range(300_000))
        times.append(time.process_time() - began)
    return max(1.0, max(times) / _QUIET_S)
