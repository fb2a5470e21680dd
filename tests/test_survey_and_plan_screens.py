"""Survey and Plan by keys: marks, pages, cards, thousands of libraries, and asking what belongs where."""

from __future__ import annotations

import os
import threading
from dataclasses import replace

import pytest
from textual.widgets import Checkbox, Input, Static, Tree

from conftest import MB, fill, put
from nuvik.core.model.library import Kind
from nuvik.core.survey.walk import walk_pool, walkers
from nuvik.tui.app import NuvikApp
from nuvik.tui.screens.card_form import CardForm
from nuvik.tui.screens.changes_sheet import ChangesSheet
from nuvik.tui.screens.help import Help
from nuvik.tui.screens.library_page import LibraryPage
from nuvik.tui.widgets.age_board import AgeBoardView
from nuvik.tui.widgets.drive_board import DriveBoard
from nuvik.tui.widgets.key_line import KeyLine
from nuvik.tui.widgets.library_table import LibraryTable
from screens import choices, go_to, press, running, settle, words, words_of


async def test_marking_many_opening_one_and_editing_its_card(house):
    """Marks are the same in the list and on the board, and go to Plan together; a card is kept and seen at once."""
    fill(house.path("kestrel", "Photos", "Comets"), seed=3)
    async with running(house) as (app, pilot):
        read_before = app.desk.past
        assert read_before is not None, "earlier surveys are read before anybody asks"
        await pilot.press("tab", "m", "a")
        assert len(app.desk.marked) == 3 and "3 marked" in words(app, "#choice")
        await pilot.press("space", "b")
        assert len(app.desk.marked) == 2
        board = app.screen.query_one(AgeBoardView)
        assert board.has_focus and len(board.listed) == 3
        reached = {board.library.id}
        for key in ("up", "up", "down", "down", "left", "right", "plus") * 3:
            await pilot.press(key)
            reached.add(board.library.id)
        assert len(reached) == 3, "every library can be reached by keys"
        drawn = "".join(segment.text for y in range(board.size.height) for segment in board.render_line(y))
        assert "big and cold" in drawn and "\x1b" not in drawn
        await pilot.press("b", "f", "g")
        table = app.screen.query_one(LibraryTable)
        assert [library.kind.letter for library in table.listed] == ["G", "G"]
        await pilot.press("home", "enter")
        assert isinstance(app.screen, LibraryPage)
        await settle(app, pilot)
        page = words_of(app.screen.query_one("#lines", Static)) + words_of(app.screen.query_one("#inside", Static))
        assert "may it move?" in page and "data" in page and "(files next to the folders)" in page
        why = words_of(app.screen.query_one("#why", Static))
        assert "belongs" in why and "is here" in why and "small reads" in why and "Heron" in why
        await pilot.press("e")
        pinned = app.screen.query_one("#pinned", Checkbox)
        before = pinned.render().plain
        pinned.toggle()
        assert pinned.render().plain != before, "told without colour"
        pinned.toggle()
        fields = {name: app.screen.query_one(f"#{name}", Input) for name in ("name", "kind", "opens")}
        fields["kind"].value = "toy"
        await pilot.press("ctrl+s")
        assert isinstance(app.screen, CardForm), "a slip is told and nothing is lost"
        fields["name"].value, fields["kind"].value, fields["opens"].value = "[b]Ferry[/b]", "project", "7"
        app.screen.query_one("#took", Input).value = "never"
        await pilot.press("ctrl+s")
        assert isinstance(app.screen, CardForm)
        app.screen.query_one("#took", Input).value = "12,5"
        await press(pilot, "ctrl+s")
        library = next(
            library
            for library in app.desk.snapshot.libraries
            if library.path == house.path("kestrel", "Games", "Ferrymoss")
        )
        assert (library.name, str(library.kind), library.opens_per_week) == ("[b]Ferry[/b]", "project", 7)
        assert [timing.seconds for timing in library.timings] == [12.5]
        for past in (read_before, None):
            app.desk.past = past
            await pilot.press("escape", "g")
            assert isinstance(app.screen, ChangesSheet)
            await settle(app, pilot)
            assert "At this rate" in words(app, "#lines") and "Heron" in words(app, "#lines")
            assert app.desk.past is not None
        kept = app.desk.past
        app.desk.take_snapshot(replace(app.desk.snapshot))
        app.desk.take_past(kept, replace(app.desk.snapshot))
        assert app.desk.past is None, "what is read is kept only for the survey that it was read beside"
        await press(pilot, "escape", "o", "d")
        assert "No large file is on two drives" in words(app, "#lines")
        await pilot.press("escape", "p")
        assert app.screen.STAGE == "plan" and len(app.desk.hand) == 2
        assert "2 libraries are in your hand" in words(app, "#headline")
        await go_to(pilot, "heron")
        assert "2 libraries → Heron" in words(app, "#consequence")
        await pilot.press("enter")
        assert len(app.desk.draft.places) == 2 and not app.desk.hand and not app.desk.marked


async def test_five_thousand_libraries_with_hostile_names_are_drawn_after_every_key(house):
    async with running(house) as (app, pilot):
        plain = app.desk.snapshot.libraries[0]
        many = tuple(
            replace(
                plain,
                id=f"kestrel:{n}",
                name=f"Library {n} \x1b[31m‮",
                path=f"/k/{n}",
                bytes=n**3 * 1000,
                last_used=f"20{10 + n % 17}-03-{1 + n % 28:02d}T00:00:00Z",
            )
            for n in range(5_000)
        )
        app.desk.take_snapshot(replace(app.desk.snapshot, libraries=many))
        app.refresh_stage()
        await pilot.pause()
        screen = app.screen
        table, board = screen.query_one(LibraryTable), screen.query_one(AgeBoardView)
        table.focus()
        await pilot.pause()

        def draw() -> None:
            view = board if screen._on_board else table
            for widget in (view, screen.query_one(DriveBoard)):
                for line in range(widget.size.height):
                    assert "\x1b" not in "".join(segment.text for segment in widget.render_line(line))

        acts = [table.action_move, table.action_page, table.action_end]
        steps = [lambda act=act: act(1) for act in acts] + [
            screen.action_mark,
            lambda: screen._mark_by("a"),
            lambda: screen._mark_by("y"),
            screen.action_order,
            lambda: screen._filter_by("2"),
            lambda: screen._filter_by("1"),
            screen.action_board,
            lambda: board.action_go(1, 0),
            lambda: board.action_go(0, -1),
            board.action_next_here,
            screen.action_mark,
            screen.action_board,
            screen.action_all,
            screen.action_unfind,
        ]
        for step in steps:
            step()
            screen._moved()
            draw()
            await pilot.pause()


async def test_asking_for_a_proposal(house):
    """It is laid on the table with its reasons; an edit by hand goes on from it."""
    async with running(house) as (app, pilot):
        await press(pilot, "3", "a")
        offered = choices(app)
        assert all(style in offered for style in ("cautious", "balanced", "fastest")) and "1 move, 183 MB" in offered
        await pilot.press("down", "enter")
        draft, recommendation = app.desk.draft, app.desk.recommendation
        assert draft.places == {"kestrel:Games/Ferrymoss": "heron"} and recommendation.proposal.gap == 0
        assert "Kestrel has enough free space again" in words(app, "#headline") and "1 move" in words(app, "#totals")
        await pilot.press("home")
        assert "frees 183 MB on Kestrel" in " ".join(recommendation.reasons.values())
        line = words(app, "#consequence")
        assert "goes to Heron, Games/Ferrymoss: frees" in line
        await pilot.press("u")
        assert not app.desk.draft.places
        await press(pilot, "U", "n")
        assert words(app, "#headline").startswith("Fits. 1 move")
        await pilot.press("3", "l")
        await go_to(pilot, "heron")
        held = app.desk.hand[0]
        await pilot.press("x", "escape")
        assert app.desk.forbidden == {(held, "heron")}
        while app.screen.query_one(LibraryTable).library.name != "Ferrymoss":
            await pilot.press("down")
        await press(pilot, "k", "a")
        await pilot.press("b")
        assert "kestrel:Games/Ferrymoss" not in app.desk.draft.places, "what is pinned stays"


@pytest.fixture
def tight(world):
    """Two games that fill Kestrel, one on Heron that wants its place, and a project in parts."""
    for drive, name, size, seed in (("kestrel", "Kite", 80, 1), ("kestrel", "Loom", 60, 2), ("heron", "Moor", 90, 3)):
        fill(world.path(drive, "Games", name), seed=seed)
        put(world.path(drive, "Games", name, "big.bin"), size * MB)
    project = fill(world.path("heron", "Projects", "Mosaic"), seed=4)
    (project / "Cache").mkdir()
    put(project / "Cache" / "tiles.bin", MB)
    world.cards = [{"path": "heron/Games/Moor", "opens_per_week": 20}]
    world.write()
    return world


async def point(app, pilot, name):
    """Go to a library by name in Plan."""
    library = next(library for library in app.desk.draft.snapshot.libraries if library.name == name)
    app.screen.query_one(DriveBoard).point_at(app.desk.draft.place_of(library))
    await pilot.pause()
    app.screen.query_one(LibraryTable).point_at(library.id)
    app.screen.query_one(LibraryTable).focus()
    await pilot.pause()


async def hold(app, pilot, name, drive):
    """Pick up a library by name and go to a drive with it."""
    await point(app, pilot, name)
    await pilot.press("l")
    app.screen.query_one(DriveBoard).point_at(drive)
    await pilot.pause()


async def test_swapping_breaking_mending_and_parting(tight, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    async with running(tight) as (app, pilot):
        await pilot.press("3")
        await pilot.click(KeyLine, offset=(app.screen.query_one(KeyLine).render().plain.index("help"), 0))
        assert isinstance(app.screen, Help), "the keys can be clicked"
        await pilot.press("escape")
        await hold(app, pilot, "Moor", "kestrel")
        assert "short of its headroom" in words(app, "#consequence")
        await pilot.press("enter")
        assert words(app, "#headline").startswith("This plan does not work yet: Kestrel is")
        assert "m fixes it" in words(app, "#headline")
        await press(pilot, "m")
        assert app.desk.draft.places["heron:Games/Moor"] == "kestrel" and not app.desk.draft.breaches
        assert len(app.desk.draft.places) == 2 and "1 move" not in words(app, "#totals")
        await pilot.press("u", "u")
        assert not app.desk.draft.places
        await hold(app, pilot, "Moor", "kestrel")
        await pilot.press("s")
        offered = choices(app)
        assert "Kite" in offered and "Loom" in offered and "waiting" in offered
        await pilot.press("a")
        assert set(app.desk.draft.places.values()) == {"kestrel", "heron"} and not app.desk.draft.breaches
        await pilot.press("w")
        assert (tmp_path / "moves.nuvik-plan.json").exists()
        await point(app, pilot, "Mosaic")
        await pilot.press("p")
        names = {library.name for library in app.desk.draft.snapshot.libraries}
        assert "Mosaic · Cache" in names
        await hold(app, pilot, "Mosaic · Cache", "wren")
        await pilot.press("enter", "w", "c", "b")
        beside = words_of(app.screen.query_one("#lines", Static))
        assert "Two plans compared" in beside and "Mosaic · Cache" in beside and "stays" in beside
        await pilot.press("escape")
        tight.attach("wren", False)
        app.desk.take_drives(app.desk.workspace.drives.all())
        await pilot.press("o", "a")
        text = words_of(app.screen.query_one("#lines", Static))
        assert "in doubt" in text and "Wren is away" in text and "left out: step" in text
        await pilot.press("enter")
        assert "heron:Projects/Mosaic/Cache" not in app.desk.draft.places and len(app.desk.draft.places) == 2


async def test_asking_within_limits_and_choosing_where_new_content_goes(tight):
    async with running(tight) as (app, pilot):
        await pilot.press("3", "A")
        form = app.screen
        for name, wrong, right in (
            ("moves", "1.5", "1"),
            ("hours", "soon", ""),
            ("style", "f", "f"),
            ("free", "many", "70 MB"),
        ):
            form.query_one(f"#{name}", Input).value = wrong
            if wrong != right:
                await pilot.press("ctrl+s")
                assert app.screen is form, "a slip is told and nothing is lost"
            form.query_one(f"#{name}", Input).value = right
        form.query_one("#keep_headroom", Checkbox).value = True
        assert "0.01 s for each second" in " ".join(words_of(form.query_one("#weights", Static)).split())
        await press(pilot, "ctrl+s")
        await pilot.press("escape", "t", "down", "A")
        assert app.screen is form and form.query_one("#moves", Input).value == "1", "the limits of last time"
        assert "free on Wren" in words_of(form.query_one("#labels", Static)) and form.query_one("#style").has_focus
        await press(pilot, "escape", "up", "A", "ctrl+s")
        app.desk.take_snapshot(replace(app.desk.snapshot, taken_at="2030-01-01T00:00:00Z"))  # a survey ends
        await pilot.press("l")
        (moved,) = app.desk.draft.places
        await press(pilot, "u", "A", "ctrl+s")
        others = tuple(library for library in app.desk.snapshot.libraries if library.id != moved)
        whole = app.desk.snapshot
        app.desk.take_snapshot(replace(whole, libraries=others))
        await pilot.press("l")
        assert not app.desk.draft.places and any(
            "1 move of this proposal cannot be made now" in each.message for each in app._notifications
        )
        app.desk.take_snapshot(whole)
        await press(pilot, "u", "A", "ctrl+s")
        await pilot.press("l")
        assert app.desk.draft.keep_headroom and not app.desk.draft.on_trial
        assert len(app.desk.draft.loads) == 1 and app.desk.draft.drive("kestrel").headroom_bytes > 70 * MB
        await press(pilot, "d")
        assert "new content elsewhere" in words_of(app.screen.query(Static).first())
        await pilot.press("enter", "c", "escape")
        landing = app.desk.draft.landings[Kind.GAME]
        assert landing.drive == app.desk.draft.drives[2].id and "new content of 1 kind" in words(app, "#totals")
        await pilot.press("u")
        assert app.desk.draft.landings.get(Kind.GAME) != landing


async def test_one_key_on_the_map_says_what_a_folder_is(world):
    for name in ("One", "Two"):
        put(world.path("kestrel", "Shelf", name, "a.mkv"), 40 * MB)
    put(world.path("heron", "Boat", "plan.xyz"), 20 * MB)
    async with running(world) as (app, pilot):

        def libraries() -> dict[str, str]:
            return {
                os.path.relpath(library.path, world.folder): library.kind for library in app.desk.snapshot.libraries
            }

        assert libraries() == {"kestrel/Shelf": "video", "heron/Boat": "other"}
        await press(pilot, "r")
        await pilot.press("d")
        tree = app.screen.query_one(Tree)
        rows = [str(node.label) for node in tree.root.children]
        assert "kestrel" in rows[0] and "1 library in it" in rows[0] and "80.0 MB" in rows[0], "the largest first"
        await pilot.press("right", "down", "s")
        assert libraries() == {"kestrel/Shelf/One": "video", "kestrel/Shelf/Two": "video", "heron/Boat": "other"}
        assert tree.cursor_node.data.folder.name == "Shelf", "the cursor stays where it was"
        await pilot.press("1")
        assert libraries()["kestrel/Shelf"] == "video" and len(libraries()) == 2
        await pilot.press("k", "p")
        assert libraries()["kestrel/Shelf"] == "program"
        await pilot.press("x")
        assert libraries() == {"heron/Boat": "other"}
        await pilot.press("f", "escape")
        assert libraries() == {"kestrel/Shelf": "video", "heron/Boat": "other"}, "all that was said is forgotten"
        assert world.open().survey.latest().libraries == app.desk.snapshot.libraries, "and kept"


async def test_a_first_survey_shows_libraries_while_it_goes_on(world, monkeypatch):
    for name in ("Aster", "Birch", "Cedar"):
        fill(world.path("kestrel", name), files=40)
    may_end, walk = threading.Event(), walkers.walk_slice
    for name, limit in (("_SLICE_HERE", 30), ("_GLIMPSE_AFTER_S", 0), ("_GLIMPSE_EVERY_S", 0), ("_GLIMPSE_SHARE", 1e9)):
        monkeypatch.setattr(walk_pool, name, limit)
    app = NuvikApp(world.open)

    def slowly(*words):
        if app.is_running and app.screen.query(LibraryTable) and app.screen.query_one(LibraryTable).row_count:
            assert may_end.wait(30)
        return walk(*words)

    monkeypatch.setattr(walkers, "walk_slice", slowly)
    async with app.run_test(size=(159, 47)) as pilot:
        while not (listed := app.screen.query_one(LibraryTable).listed if app.screen.query(LibraryTable) else ()):
            await pilot.pause(0.02)
        assert {library.name for library in listed} < {"Aster", "Birch", "Cedar"}
        assert "r stops it" in words(app, "#headline") and not app.desk.snapshot.complete
        may_end.set()
        await settle(app, pilot)
        assert len(app.screen.query_one(LibraryTable).listed) == 3 and app.desk.snapshot.complete


async def test_a_library_is_split_from_its_page_and_seen_at_once(world):
    for name in ("Ada", "Bo"):
        fill(world.path("kestrel", "Films", name), files=6)
    world.cards.append({"path": world.path("kestrel", "Films"), "kind": "video"})
    world.write()
    async with running(world) as (app, pilot):
        (whole,) = app.desk.snapshot.libraries
        await press(pilot, "tab", "enter")
        await press(pilot, "s")
        assert {library.path for library in app.desk.snapshot.libraries} == {f"{whole.path}/Ada", f"{whole.path}/Bo"}
        await press(pilot, "home", "enter")
        app.screen._library = replace(whole, folders=1)
        await pilot.press("s")
        assert isinstance(app.screen, LibraryPage), "there is nothing to split"
