"""Drawings: on the demo and on random households no words cover other words or a mark, and nothing leaves the page."""

from __future__ import annotations

import hashlib
import random
import re
import time
import xml.etree.ElementTree as ET
from dataclasses import replace

import pytest

from conftest import a_drive
from households import home, library
from nuvik.core.model.clock import moment_text
from nuvik.core.model.errors import BadInput
from nuvik.core.model.free_history import FreeHistory, History
from nuvik.core.model.journal import Move, State
from nuvik.core.model.library import Kind, Timing
from nuvik.core.model.tether import TetherKind
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate
from nuvik.core.stages.workspace import open_workspace
from nuvik.demo.build import household_at
from nuvik.drawing import fonts
from nuvik.drawing.ages import ages_page
from nuvik.drawing.done import done_page
from nuvik.drawing.drives import drives_page
from nuvik.drawing.history import history_page
from nuvik.drawing.openings import openings_page
from nuvik.drawing.page import Area, Box, Page, Words
from nuvik.drawing.plan import plan_page
from nuvik.drawing.registry import all_drawings
from nuvik.drawing.render import _figure, pdf, save, svg
from nuvik.drawing.scales import pieces, squares
from nuvik.drawing.speeds import speeds_page
from nuvik.drawing.tiles import tiles_page
from nuvik.drawing.timeline import timeline_page

NAMES = (
    "Kite",
    "Ferrymoss",
    "A very long name that somebody gave to a folder once",
    "Планетарий",
    "望遠鏡の写真",
    "x" * 60,
)
NAMES += ("مرصد", "$x^2$ & <b>", "W" * 40, "é\u0301\u200b", "🦉 owl", "i")


def faults_of(page: Page) -> list[str]:
    """What covers what, and what leaves the page."""
    sheet, words = Box(0, 0, page.width, page.height), [item for item in page.items if isinstance(item, Words)]
    free = [each for each in words if each.inside is None]
    marks = [item.box for item in page.items if isinstance(item, Area) and item.mark]
    faults = [f"{each.words!r} leaves the page" for each in words if not sheet.holds(each.box)]
    faults += [
        f"{each.words!r} leaves its place" for each in words if each.inside and not each.inside.holds(each.box, 2)
    ]
    for number, each in enumerate(free):
        for other in free[number + 1 :]:
            if each.box.meets(other.box, 0.3):
                faults.append(f"{each.words!r} covers {other.words!r}")
        faults += [f"{each.words!r} covers a mark" for mark in marks if each.box.meets(mark, 0.3)]
    return faults


def a_home(seed: int):
    chance = random.Random(seed)
    drives = []
    for number in range(chance.randint(1, 9)):
        size = int(10 ** chance.uniform(9.5, 13.5))
        used = int(size * chance.choice([0.02, 0.5, 0.9, 0.99, 1.0]))
        drives.append(
            a_drive(
                id=f"d{number}",
                label=chance.choice(NAMES),
                usable_bytes=size,
                used_bytes=used,
                capacity_bytes=size,
                headroom_bytes=int(size * chance.choice([0, 0.1, 0.3])),
                medium=chance.choice(["nvme", "ssd", "hdd", "flash", "unknown"]),
                link=chance.choice(["pcie-3x4", "sata-6g", "usb-2", "unknown"]),
                read_bytes_per_s=10 ** chance.uniform(6, 10),
                write_bytes_per_s=10 ** chance.uniform(6, 10),
                small_reads_per_s=10 ** chance.uniform(0.5, 5.5),
                speed_source=chance.choice(["measured", "declared", "typical"]),
                attached=number == 0 or chance.random() > 0.2,
            )
        )
    libraries = []
    for drive in drives:
        left = drive.used_bytes
        for _ in range(chance.choice([0, 1, 5, 30])):
            size = max(1, int(left * chance.uniform(0.01, 0.5)))
            left -= size
            moment = time.time() - chance.choice([0, 1, 40, 400, 4000]) * 86_400
            libraries.append(
                replace(
                    library(f"l{len(libraries)}", drive.id),
                    name=chance.choice(NAMES),
                    kind=chance.choice(list(Kind)),
                    bytes=size,
                    on_disk_bytes=size,
                    last_used=moment_text(moment),
                    opens_per_week=chance.choice([0, 0.25, 3]),
                    timings=(Timing(drive=drive.id, seconds=9.0, computing_s=1.0),),
                )
            )
    return replace(home(drives, libraries), taken_at=moment_text(time.time()), host=chance.choice(NAMES)), chance


def a_move(number: int, each, target: str, chance: random.Random) -> Move:
    return Move(
        id=number,
        run=1,
        token="t",
        n=number,
        library=each.name,
        kind=each.kind,
        source="/a",
        target="/b",
        source_drive=each.drive,
        target_drive=target,
        bytes=each.bytes,
        files=3,
        frees_bytes=each.bytes,
        tether=TetherKind.LINK,
        state=chance.choice(list(State)),
        on_trial=False,
        expected_s=chance.uniform(0, 90_000),
        actual_s=chance.uniform(0, 90_000),
        freed_bytes=chance.choice([None, each.bytes]),
    )


def pages_of(seed: int) -> list[Page]:
    snapshot, chance = a_home(seed)
    attached = [drive for drive in snapshot.drives if drive.attached]
    draft = Draft(snapshot)
    for each in snapshot.libraries[:12]:
        goal = chance.choice(attached)
        if goal.id != each.drive and snapshot.drive(each.drive).attached:
            draft = draft.put_down(each.id, goal.id)
    pages = [page(snapshot) for page in (drives_page, ages_page, tiles_page, speeds_page, openings_page)]
    if draft.places:
        plan = make_plan(draft)
        labels = {drive.id: drive.label for drive in snapshot.drives}
        pages += [plan_page(draft, plan), timeline_page(plan, simulate(Scene(plan, snapshot.drives, snapshot)), labels)]
    now_s = time.time()
    rows = tuple(
        FreeHistory(
            drive=drive,
            points=tuple(
                (now_s - 86_400 * n, chance.randint(0, drive.usable_bytes))
                for n in range(chance.randint(1, 60), -1, -1)
            ),
            moves=tuple((now_s - 86_400 * chance.randint(0, 60), "x") for _ in range(3)),
            bytes_per_week=chance.choice([None, -1e9, 1e9, 1e12]),
            gained_bytes=chance.choice([0, 10**11]),
        )
        for drive in attached
    )
    waiting = tuple((now_s - 86_400 * n, chance.uniform(0, 9_000)) for n in range(chance.randint(0, 9), -1, -1))
    pages.append(history_page(History(drives=rows, waiting=waiting), snapshot.host))
    moves = [
        a_move(n + 1, each, chance.choice(snapshot.drives).id, chance) for n, each in enumerate(snapshot.libraries[:9])
    ]
    return [*pages, done_page(moves, snapshot.drives, snapshot.host)]


@pytest.mark.parametrize("seed", range(30))
def test_on_random_households_nothing_covers_anything_and_nothing_leaves_the_page(seed):
    for page in pages_of(seed):
        assert faults_of(page) == [], page.title
        assert page.title and page.says


def test_every_drawing_of_the_demo_is_right_and_the_same_each_time(tmp_path):
    folder = household_at(str(tmp_path / "demo"))
    workspace = open_workspace(folder, waits=False)
    draft = workspace.plan.draft([(f"{folder}/kestrel/Games/Saltmarsh Signalman", "heron")])
    plan = workspace.plan.make(draft)
    for name, drawing in all_drawings().items():
        page = drawing.draw(workspace) if drawing.draw else drawing.draw_plan(workspace, plan)
        assert faults_of(page) == [], name
        once, again = svg(page), svg(drawing.draw(workspace) if drawing.draw else drawing.draw_plan(workspace, plan))
        if name != "history":  # its last point is the moment at which it is drawn
            assert hashlib.sha256(once.encode()).digest() == hashlib.sha256(again.encode()).digest(), name
        root = ET.fromstring(once)
        assert [child.tag.rpartition("}")[2] for child in root][:3] == ["title", "desc", "style"]
        drawn = "".join(root.itertext())
        assert all(item.words in drawn for item in page.items if isinstance(item, Words)), name
        assert "font-family: 'DejaVu Sans'" in once and "base64" in once
        written = pdf([page])
        assert written.startswith(b"%PDF") and b"/FontFile2" in written and page.title.encode()[:10] in written


def test_words_are_as_wide_as_measured_and_other_scripts_have_letters():
    from matplotlib.backends.backend_agg import FigureCanvasAgg

    page = Page(800, title="t", says="s")
    for number, name in enumerate(NAMES):
        page.text(name, 10, 10 + number * 20, 9)
    page.ends_at(400)
    figure = _figure(page)
    figure.set_dpi(1440)  # as in a drawing, letters are not shifted to whole dots
    canvas = FigureCanvasAgg(figure)
    canvas.draw()
    measured = [item.box for item in page.items if isinstance(item, Words)]
    for text, box in zip(canvas.figure.texts or canvas.figure.artists, measured, strict=True):
        drawn = text.get_window_extent(canvas.get_renderer())
        assert drawn.width / 20 == pytest.approx(box.width, abs=3), text.get_text()
    assert "\ufffd" in fonts.printable("\U000f0000") and fonts.printable("Kite") == "Kite"


def test_what_is_cut_or_wrapped_fits():
    for name in NAMES:
        for room in (5, 20, 60, 400):
            assert fonts.width(fonts.cut(name, 9, room), 9) <= room
            lines = fonts.wrapped(f"{name} and {name}", 9, max(room, 20))
            assert all(fonts.width(line, 9) <= max(room, 20) for line in lines)
            assert re.sub(r"\s", "", "".join(lines)) == re.sub(r"\s", "", f"{name} and {name}")
    for room in range(60, 160):
        lines = fonts.wrapped("it opens in 1.1 s instead of 36.6 GB/s and 5 moves", 9, room)
        assert not any(line[0] == "s" or line.startswith("GB/s") for line in lines), "a figure stays with its unit"


@pytest.mark.parametrize("seed", range(20))
def test_pieces_and_squares_fill_their_room(seed):
    chance = random.Random(seed)
    sizes = sorted((chance.uniform(0.1, 900) for _ in range(chance.randint(1, 40))), reverse=True)
    placed = squares(sizes, 300, 200)
    assert sum(w * h for *_, w, h in placed) == pytest.approx(60_000)
    assert [w * h for *_, w, h in placed] == pytest.approx([size / sum(sizes) * 60_000 for size in sizes])
    boxes = [Box(x, y, x + w, y + h) for x, y, w, h in placed]
    assert all(Box(0, 0, 300, 200).holds(box, 0.1) for box in boxes)
    assert not any(box.meets(other, 0.01) for n, box in enumerate(boxes) for other in boxes[n + 1 :])
    strip = pieces(sizes, 400)
    assert sum(piece.width for piece in strip) <= 400.01
    whole = [piece.width for piece in strip if not piece.broken]
    assert whole == [pytest.approx(size) for size, piece in zip(sizes, strip, strict=True) if not piece.broken]


def test_a_drawing_is_written_where_it_is_asked_for(world, tmp_path, capsys):
    world.open().survey.take()
    path = tmp_path / "new" / "folder" / "d.pdf"
    assert world.run("draw", "drives", "-o", str(path)) == 0 and path.read_bytes().startswith(b"%PDF")
    with pytest.raises(BadInput, match=r"\.svg or \.pdf"):
        save([Page(10, 10)], str(tmp_path / "d.png"))
    (tmp_path / "file").touch()
    assert world.run("draw", "drives", "-o", str(tmp_path / "file" / "x" / "d.svg")) == 3
    assert "cannot be made" in capsys.readouterr().err
