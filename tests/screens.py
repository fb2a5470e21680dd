"""What the tests of the screens share: waiting for them, and reading what they show."""

from __future__ import annotations

import io

from rich.console import Console
from textual.widgets import OptionList, Static

from nuvik.tui.app import NuvikApp


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


def choices(app: NuvikApp) -> str:
    """What a menu offers."""
    return "\n".join(str(option.prompt) for option in app.screen.query_one(OptionList).options)
