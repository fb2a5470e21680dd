"""What the tests of the screens share: waiting for them, and reading what they show."""

from __future__ import annotations

import io
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from rich.console import Console
from textual.pilot import Pilot
from textual.widgets import OptionList, Static

from conftest import World
from nuvik.tui.app import NuvikApp
from nuvik.tui.widgets.drive_board import DriveBoard


@asynccontextmanager
async def running(home: World, size: tuple[int, int] = (159, 47)) -> AsyncIterator[tuple[NuvikApp, Pilot]]:
    """The program at work in a home, once it is at rest."""
    app = NuvikApp(home.open)
    async with app.run_test(size=size, notifications=True) as pilot:
        await settle(app, pilot)
        yield app, pilot


async def settle(app: NuvikApp, pilot) -> None:
    """Wait until nothing works in the background and all is drawn."""
    for _ in range(3):  # opening, then surveying, then drawing
        await pilot.pause()
        await app.workers.wait_for_complete()
    await pilot.pause()


async def press(pilot: Pilot, *keys: str) -> None:
    """Press keys, and wait for all that comes of them."""
    await pilot.press(*keys)
    await settle(pilot.app, pilot)


async def go_to(pilot: Pilot, drive: str) -> None:
    """Go down the board to a drive, by keys."""
    while pilot.app.screen.query_one(DriveBoard).drive.id != drive:
        await pilot.press("down")


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
