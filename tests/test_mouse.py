"""What keys can do, the mouse can: stages, keys at the bottom and on sheets, lists, and a click beside a sheet."""

from __future__ import annotations

from nuvik.tui.app import NuvikApp
from nuvik.tui.screens.card_form import CardForm
from nuvik.tui.screens.library_page import LibraryPage
from nuvik.tui.screens.menu import Menu
from nuvik.tui.screens.stage import Rail, StageScreen
from nuvik.tui.shell import STAGES
from nuvik.tui.widgets.drive_board import DriveBoard
from nuvik.tui.widgets.foot import Foot
from nuvik.tui.widgets.key_line import KeyLine
from nuvik.tui.widgets.library_table import LibraryTable
from nuvik.tui.widgets.what_if_list import WhatIfList
from screens import running, settle


async def click_on(app: NuvikApp, pilot, widget: type, words: str) -> None:
    """Click on these words of a widget."""
    shown = app.screen.query(widget).first()
    for y in range(shown.size.height):
        line = shown.render_line(y).text
        if words in line:
            await pilot.click(shown, offset=(line.index(words) + 1, y))
            await settle(app, pilot)
            return
    raise AssertionError(f"{words} is not on {widget.__name__}")


async def test_everything_can_be_clicked(house):
    async with running(house) as (app, pilot):
        for stage in (*STAGES[1:], STAGES[0]):
            await click_on(app, pilot, Rail, stage.capitalize())
            assert isinstance(app.screen, StageScreen) and stage == app.screen.STAGE
        await click_on(app, pilot, DriveBoard, "Heron")
        assert app.screen.query_one(DriveBoard).drive.id == "heron"
        await click_on(app, pilot, DriveBoard, "Kestrel")
        table = app.screen.query_one(LibraryTable)
        await click_on(app, pilot, LibraryTable, "Ferrymoss")
        assert table.library.name == "Ferrymoss" and table.has_focus
        await click_on(app, pilot, KeyLine, "open")
        assert isinstance(app.screen, LibraryPage)
        await click_on(app, pilot, Foot, "edits its card")
        assert isinstance(app.screen, CardForm)
        await pilot.click(offset=(1, 20))
        await settle(app, pilot)
        assert isinstance(app.screen, StageScreen), "a click beside it closes it"
        await click_on(app, pilot, KeyLine, "open")
        await click_on(app, pilot, Foot, "closes")
        assert isinstance(app.screen, StageScreen)
        await click_on(app, pilot, KeyLine, "filter")
        assert isinstance(app.screen, Menu)
        await pilot.click(offset=(1, 20))
        await settle(app, pilot)
        assert isinstance(app.screen, StageScreen)
        await click_on(app, pilot, LibraryTable, "Ferrymoss")
        await click_on(app, pilot, KeyLine, "pick up")
        await click_on(app, pilot, DriveBoard, "Heron")
        await click_on(app, pilot, KeyLine, "put down")
        assert app.desk.draft.places
        await click_on(app, pilot, Rail, "Rehearse")
        await click_on(app, pilot, WhatIfList, "Heron fails")
        assert "[x] Heron fails" in "\n".join(app.screen.query_one(WhatIfList).render_line(y).text for y in range(6))
