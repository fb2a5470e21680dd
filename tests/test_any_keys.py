"""Any keys in any order: no fault, no dead end, and Esc always leads home."""

from __future__ import annotations

import inspect
import random
import re
import selectors
import sys
import threading

import pytest
from rich import _wrap
from textual.content import Content

from conftest import MB, World, fill, put
from nuvik.core.hosts.files import Files
from nuvik.core.hosts.world import WorldHost
from nuvik.core.openings import record
from nuvik.tui.prompt_escape import answer_escape_soon
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.whole_figures import keep_figures_whole
from screens import press, running, settle

NOISE = ["up", "down", "left", "right", "tab", "shift+tab", "enter", "space", "escape", "home", "end", "pagedown"]
NOISE += [*"123456", *"abcdefghijklmnoprstuvwxyz", *"ABEGKMUS", "question_mark", "slash", "ctrl+s", "backspace", "y"]
NEVER = {"q", "ctrl+q", "ctrl+c", "ctrl+p", "ctrl+z"}


async def press_at_random(world: World, seed: int, count: int, size: tuple[int, int]) -> None:
    """Raises what the screens raise; checks after each stretch that Esc leads to a stage with something in focus."""
    chance = random.Random(seed)
    async with running(world, size) as (app, pilot):
        pressed = []
        for number in range(count):
            offered = [key for key in app.screen.active_bindings if key not in NEVER]
            key = chance.choice(offered if offered and chance.random() < 0.6 else NOISE)
            pressed.append(key)
            await pilot.press(key)
            if number % 25 == 24:
                await settle(app, pilot)
                assert app.is_running and app.fault is None, (seed, pressed, app.fault)
                for _ in range(8):
                    await pilot.press("escape")
                assert isinstance(app.screen, StageScreen), (seed, pressed, app.screen)
                assert app.screen.focused is not None, (seed, pressed)
                shown = [line for line in app.screen._compositor.render_strips() if line.text.strip()]
                assert len(shown) >= 4, (seed, pressed)
                pressed.append("|")
        await settle(app, pilot)
        assert app.is_running and app.fault is None, (seed, pressed, app.fault)


def furnished(world: World) -> World:
    for n, name in enumerate(("Kite", "Moor \x1b[31m", "Loom", "Näh 漢字"), start=1):
        put(fill(world.path("kestrel", "Games", name), seed=n) / "more.bin", n * 9 * MB)
    put(world.path("kestrel", "Mosaic", "Cache", "a.bin"), 12 * MB)
    put(world.path("kestrel", "Mosaic", "Media", "a.mov"), 12 * MB)
    put(world.path("kestrel", "Old cache", "CACHEDIR.TAG"))
    with open(world.path("kestrel", "Old cache", "CACHEDIR.TAG"), "w", encoding="utf-8") as file:
        file.write("Signature: 8a477f597d28d172789f06886806bc55\n")
    put(world.path("kestrel", "Old cache", "a.bin"), 9 * MB)
    world.drive("stork", attached=False)
    world.write()
    return world


@pytest.fixture
def asked(monkeypatch) -> list[str]:
    """What a drive was asked for while the screens waited for the answer: one that hangs would hang them."""
    waited: list[str] = []

    def watched(kind: type, name: str) -> None:
        plain = getattr(kind, name)

        def call(self, *words, **settings):
            if threading.current_thread() is threading.main_thread():
                waited.append(f"{kind.__name__}.{name}")
            return plain(self, *words, **settings)

        monkeypatch.setattr(kind, name, call)

    for kind, free in ((WorldHost, {"cards", "counters", "timer_s", "default_state_folder"}), (Files, {"let_go"})):
        for name, value in list(vars(kind).items()):
            if inspect.isfunction(value) and not name.startswith("_") and name not in free:
                watched(kind, name)
    return waited


async def test_joining_libraries_asks_the_drives_beside_the_screens(world, asked):
    house = furnished(world)
    async with running(house) as (app, pilot):
        app.desk.marked = {library.id for library in app.desk.snapshot.libraries if "Games" in library.path}
        asked.clear()
        await press(pilot, "M")
        assert not asked and any(library.path.endswith("Games") for library in app.desk.snapshot.libraries)


@pytest.mark.parametrize(("seed", "size"), [(1, (159, 47)), (2, (100, 30)), (3, (120, 40))])
async def test_any_keys_in_any_order_are_no_trouble(world, tmp_path, monkeypatch, asked, seed, size):
    monkeypatch.chdir(tmp_path)  # where exports and plans are written
    monkeypatch.setattr(record, "MOST_S", 0.5)  # nobody opens anything here
    house = furnished(world)
    asked.clear()
    await press_at_random(house, seed, 100, size)
    assert not asked, "drives are asked beside the screens"


@pytest.mark.skipif(sys.platform == "win32", reason="keys are read otherwise there")
def test_after_a_key_it_is_soon_looked_for_what_follows(monkeypatch):
    """Escape is certain when nothing follows it: the toolkit would notice that a tenth of a second later."""
    from textual.drivers import linux_driver

    monkeypatch.setattr(linux_driver, "selectors", selectors)
    answer_escape_soon()
    waited, coming = [], iter([[], ["a key"], []])
    monkeypatch.setattr(selectors.SelectSelector, "select", lambda _, timeout: waited.append(timeout) or next(coming))
    selector = linux_driver.selectors.SelectSelector()
    for _ in range(3):
        selector.select(0.1)
    assert waited[:2] == [0.1, 0.1] and waited[2] < 0.02


def test_a_figure_and_its_unit_stay_on_one_line(monkeypatch):
    monkeypatch.setattr(_wrap, "re_word", re.compile(r"\s*\S+\s*"))
    words = "Heron: 36.6 GB free of 1.05 TB (within 2 %), 6 min 24 s, up to 6.93 GB/s; 3 weeks, 12 Bits"
    plain = [str(line).strip() for width in range(10, 40) for line in Content(words).wrap(width)]
    assert any(line.endswith("1.05") for line in plain), "the toolkit breaks there"
    keep_figures_whole()
    for width in range(14, 40):
        lines = [str(line).strip() for line in Content(words).wrap(width)]
        assert " ".join(lines) == words and all(len(line) <= width for line in lines)
        assert not any((line[-1].isdigit() and line.split()[-1] != "12") or line.endswith("min") for line in lines)
