"""How quickly the screens answer a key: the program's own work for it, drawing included."""

from __future__ import annotations

import asyncio
import tempfile
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from pathlib import Path

from conftest import World, fill
from households import made_up_household
from nuvik.core.model.library import Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.tui.app import NuvikApp
from nuvik.tui.widgets.age_board import AgeBoardView
from nuvik.tui.widgets.drive_board import DriveBoard
from nuvik.tui.widgets.library_table import LibraryTable
from screens import settle

Row = tuple[str, str, str, str, bool | None]
Step = Callable[[], object]
_KEY_S, _ROUNDS = 0.1, 4


def pressing_keys() -> Iterator[Row]:
    """Survey with 5,000 libraries, and Plan with 500 on 8 drives; the quickest of some rounds for each key."""
    for name, times in asyncio.run(_measure()).items():
        key, slowest = max(times.items(), key=lambda item: item[1])
        yield (
            name,
            "",
            f"{1000 * slowest:.0f} ms at most ({key})",
            f"within {1000 * _KEY_S:.0f} ms",
            slowest <= _KEY_S,
        )


async def _measure() -> dict[str, Mapping[str, float]]:
    with tempfile.TemporaryDirectory() as folder:
        world = World(Path(folder), {"format": "nuvik-world/1", "name": "Bench", "time_scale": 0})
        world.drive("kestrel", system=True)
        world.write()
        fill(world.path("kestrel", "Games", "Kite"))
        app = NuvikApp(world.open)
        async with app.run_test(size=(159, 47)) as pilot:
            await settle(app, pilot)
            app.desk.take_snapshot(_five_thousand(app.desk.snapshot))
            app.refresh_stage()
            await pilot.pause()
            survey = await _times(app, pilot.pause, _survey_steps(app))
            app.desk.take_snapshot(made_up_household(500, drives=8))
            await pilot.press("3")
            await pilot.pause()
            plan = await _times(app, pilot.pause, _plan_steps(app))
    return {"a key in Survey, 5,000 libraries": survey, "a key in Plan, 500 libraries, 8 drives": plan}


def _five_thousand(snapshot: Snapshot) -> Snapshot:
    plain: Library = snapshot.libraries[0]
    many = (
        replace(
            plain,
            id=f"kestrel:{n}",
            name=f"Library {n}",
            path=f"/k/{n}",
            bytes=n**3 * 1000,
            last_used=f"20{10 + n % 17}-03-{1 + n % 28:02d}T00:00:00Z",
        )
        for n in range(5_000)
    )
    return replace(snapshot, libraries=tuple(many))


def _survey_steps(app: NuvikApp) -> dict[str, Step]:
    screen = app.screen
    table, board = screen.query_one(LibraryTable), screen.query_one(AgeBoardView)
    return {
        "down": lambda: table.action_move(1),
        "page down": lambda: table.action_page(1),
        "mark": screen.action_mark,
        "order": screen.action_order,
        "board": screen.action_board,
        "right": lambda: board.action_go(1, 0),
        "list again": screen.action_board,
        "all drives": screen.action_all,
    }


def _plan_steps(app: NuvikApp) -> dict[str, Step]:
    screen = app.screen
    table, board = screen.query_one(LibraryTable), screen.query_one(DriveBoard)
    return {
        "next library": lambda: (table.action_move(1), screen._moved()),
        "pick up": screen.action_pick_up,
        "next drive": lambda: (board.action_cursor(1), screen.on_drive_board_moved()),
        "put down": screen.action_put_down,
        "let it stay": screen.action_stay,
        "undo": screen.action_step_back,
        "redo": screen.action_step_forward,
    }


async def _times(app: NuvikApp, pause: Callable[[], object], steps: Mapping[str, Step]) -> dict[str, float]:
    best = dict.fromkeys(steps, float("inf"))
    for _ in range(_ROUNDS):
        for name, step in steps.items():
            began = time.process_time()
            step()
            _draw(app)
            best[name] = min(best[name], time.process_time() - began)
            await pause()
    return best


def _draw(app: NuvikApp) -> None:
    for kind in (LibraryTable, AgeBoardView, DriveBoard):
        for widget in app.screen.query(kind):
            for line in range(widget.size.height if widget.display else 0):
                widget.render_line(line)
