"""What colours tell, plain text tells too: each pair of states differs with every colour taken away."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.segment import Segment
from rich.style import Style
from textual.color import Color
from textual.renderables.background_screen import BackgroundScreen

from conftest import MB, fill, put
from nuvik.core.model.journal import State
from nuvik.core.model.progress import Event
from nuvik.core.views.carry_phases import ladder_of
from nuvik.tui.app import NuvikApp
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.over import Dimmed
from nuvik.tui.widgets.beneath import Beneath
from nuvik.tui.widgets.drive_board import DriveBoard
from nuvik.tui.widgets.library_table import LibraryTable
from nuvik.tui.widgets.pointed_table import PointedTable
from nuvik.tui.widgets.what_if_list import WhatIfList
from screens import go_to, press, running, settle, words, words_of


def plain(app: NuvikApp) -> list[str]:
    """The screen as text, line by line."""
    width, height = app.size
    lines = app.screen._compositor.render_strips()
    return ["".join(segment.text for segment in line)[:width] for line in lines][:height]


async def test_cursor_focus_stage_and_switches_are_seen_without_colours(world):
    for n, name in enumerate(("Kite", "Moor", "Loom"), start=1):
        put(fill(world.path("kestrel", "Games", name), seed=n) / "more.bin", n * 15 * MB)
    async with running(world) as (app, pilot):
        first = plain(app)
        assert "▸1 Survey" in first[0] and " 2 Speeds" in first[0]
        assert any(line.startswith(" ▶ Heron") or "▶ " in line for line in first)
        await pilot.press("tab")
        await pilot.pause()
        focused = plain(app)
        assert any("▸" in line and "Loom" in line for line in focused) and any("▷" in line for line in focused)
        await pilot.press("down")
        await pilot.pause()
        assert any("▸" in line and "Moor" in line for line in plain(app))
        await pilot.press("space")
        await pilot.pause()
        assert any("●" in line and "Moor" in line for line in plain(app))
        # Lifted, coming and going.
        await pilot.press("l")
        await go_to(pilot, "heron")
        await pilot.press("enter")
        await pilot.pause()
        assert "•" in "".join(plain(app)[:25]), "the library at the cursor"
        app.screen.query_one(DriveBoard).focus()
        await pilot.pause()
        board = "\n".join(plain(app)[:25])
        assert "+ comes · ┄ goes" in board and "G+" in board and "G┄" in board
        await press(pilot, "n")
        before = plain(app)
        what_ifs = app.screen.query_one(WhatIfList)
        what_ifs.focus()
        await press(pilot, "space")
        after = plain(app)
        assert sum("[ ]" in line for line in before) == what_ifs.option_count
        assert sum("[x]" in line for line in after) == 1
        await pilot.press("tab")
        steps = app.screen.query_one(PointedTable)
        steps.focus()
        await pilot.pause()
        assert any("▸" in line and app.desk.plan.steps[0].library in line for line in plain(app))
        await press(pilot, "x", "c")
        assert isinstance(app.screen, Confirm) and any("▸ carry it out" in line for line in plain(app))
        await pilot.press("right")
        await pilot.pause()
        assert any("▸ cancel" in line for line in plain(app))


async def test_trouble_and_progress_are_seen_without_colours(house):
    house.write(fault=[{"drive": "heron", "fail_write": 6}])
    async with running(house) as (app, pilot):
        await pilot.press("tab", "l")
        await go_to(pilot, "heron")
        await press(pilot, "enter", "n", "c", "y")
        assert words(app, "#headline").startswith("! ")
        assert app.screen.query_one(PointedTable).row_count and LibraryTable


def test_each_kind_of_run_has_phases_of_its_own(house):
    """A move on trial never says that its original is gone, nor does one that is taken back."""
    workspace = house.open()
    plan = workspace.plan.make(workspace.plan.draft([(house.path("kestrel", "Games", "Ferrymoss"), "heron")]))
    seen: list[tuple[str, list[str], list[str]]] = []

    def follow(event: Event) -> None:
        if event.move and event.event != "done":
            ladder = ladder_of(workspace.logbook.move(event.move), event, releasing)
            names = [phase.safe for phase in ladder.phases]
            seen.append((event.event, names[: ladder.done], names))

    releasing = False
    workspace.carry.carry(plan, True, follow)
    assert "until you release it" in seen[-1][1][-1] and not any("gone" in name for _, _, all_ in seen for name in all_)
    seen.clear()
    releasing = True
    workspace.logbook.release("all", report=follow)
    assert seen[-1][0] == "released" and seen[-1][1][-1].startswith("original gone")
    seen.clear()
    releasing = False
    workspace.logbook.undo("last", follow)
    assert seen[-1][0] == "undone" and seen[-1][1] == seen[-1][2] and "original gone" not in str(seen)
    assert seen[-1][1][2] == "at its old path again"
    seen.clear()
    workspace.carry.carry(plan, True, follow)
    seen.clear()
    workspace.logbook.undo("last", follow)
    assert [name.split()[-1] for name in seen[-1][2]] == ["path", "gone"] and seen[-1][1] == seen[-1][2]
    assert workspace.logbook.moves()[-1].state is State.UNDONE


async def test_in_a_small_window_every_figure_is_in_reach(house):
    """Columns give way in a fixed order; what a step and a move take is always there, and a list beside a board."""
    async with running(house) as (app, pilot):
        await pilot.press("tab", "l")
        await go_to(pilot, "heron")
        await press(pilot, "enter", "n")
        assert "starts" in "\n".join(plain(app)) and "lowest point" in "\n".join(plain(app))
        await pilot.resize_terminal(100, 30)
        await settle(app, pilot)
        small = "\n".join(plain(app))
        assert "starts" not in small and "lowest point" in small and "done" in small and "MB free" in small
        await press(pilot, "3")
        table = app.screen.query_one(LibraryTable)
        assert table.size.height >= min(4, table.row_count + 1) and "Heron" in "\n".join(plain(app))
        await press(pilot, "4", "c", "y")
        await press(pilot, "6")
        log = "\n".join(plain(app))
        assert "expected" in log and "took" in log and "from → to" not in log and "moved" in log
        await pilot.resize_terminal(159, 47)
        await settle(app, pilot)
        assert "started" in "\n".join(plain(app))


async def test_what_a_list_leaves_of_the_window_tells_more_of_what_is_at_the_cursor(house):
    for number in range(9):
        fill(house.path("wren", "Games", f"Moor {number}"), seed=number)
    async with running(house, (120, 40)) as (app, pilot):

        def shown_beneath() -> str:
            return words_of(app.screen.query_one(Beneath)) if app.screen.query_one(Beneath).display else ""

        assert "capacity" in shown_beneath(), "of the drive, while the cursor is there"
        await pilot.press("tab")
        await pilot.pause()
        assert "may it move?" in shown_beneath() and "inside" in shown_beneath()
        await press(pilot, "3")
        assert "How to begin" in shown_beneath() or app.screen.query_one(LibraryTable).row_count > 9
        await press(pilot, "6")
        assert "takes a move back" in shown_beneath()
        await pilot.press("1", "a")
        for size in ((120, 25), (120, 60), (100, 30)):
            await pilot.resize_terminal(*size)
            await settle(app, pilot)
            table = app.screen.query_one(LibraryTable)
            assert bool(shown_beneath()) == (size[1] == 60), size
            assert table.size.height == table.row_count + 1 if size[1] == 60 else table.size.height >= 4


@pytest.mark.parametrize(("height", "last"), [(30, "A → B"), (19, "A → B"), (18, "… 1 more"), (5, "… 9 more")])
async def test_rows_for_which_there_is_no_room_are_counted(world, height, last):
    async with running(world, (120, 60)) as (app, pilot):
        beneath = Beneath()
        await app.screen.mount(beneath)
        beneath.display, beneath.styles.height = True, height + 1  # a blank line comes first
        beneath.show("This plan makes 12 moves", [(f"move {number}", "A → B " * number * 3) for number in range(12)])
        await pilot.pause()
        seen = [line.text.strip() for line in beneath.render_lines(beneath.outer_size.region) if line.text.strip()]
        assert len(seen) <= height and last in seen[-1]


@given(
    st.lists(st.one_of(st.none(), st.integers(0, 0xFFFFFF).map("#{:06x}".format)), min_size=2, max_size=2),
    st.floats(0, 1),
    st.sampled_from((Style(), Style(bold=True), Style(meta={"@click": "quit"}), Style(link="file:///"))),
)
def test_what_is_behind_a_box_is_dimmed_as_the_toolkit_would(colors, alpha, look):
    segments = [Segment("Kite", look + Style(color=colors[0], bgcolor=colors[1])), Segment("", None), Segment("Moor")]
    ground = Color(10, 120, 240, alpha)
    ours, plain = (list(way.process_segments(segments, ground)) for way in (Dimmed, BackgroundScreen))
    assert [(text, style or Style()) for text, style, _ in ours] == [
        (text, style or Style()) for text, style, _ in plain
    ]
