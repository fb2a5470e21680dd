"""Snapshots kept and compared, growth and its forecast, what lies loose or twice, and what is written for others."""

from __future__ import annotations

import csv
import json
import os
import random
import subprocess
import sys
import threading
import time
import xml.etree.ElementTree as ET
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import GB, MB, a_drive, fill, put
from households import library
from nuvik.core.carrying.run import carry_plan
from nuvik.core.hosts.disk_usage import NO_ANSWER, UsageMeter
from nuvik.core.model.clock import moment_text
from nuvik.core.model.errors import BadInput
from nuvik.core.model.history import Sighting
from nuvik.core.model.library import Card, Kind
from nuvik.core.model.paths import is_within
from nuvik.core.model.progress import Stop
from nuvik.core.model.snapshot import LOOSE_LISTED, LooseFolder, Snapshot
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.planning.placement.waiting import waiting_of
from nuvik.core.planning.placement.waiting_history import seen_readings, waiting_history
from nuvik.core.store.exports import COLUMNS, save_libraries
from nuvik.core.store.snapshots import drive_history, keep_snapshot, library_history, moments, reading_history, thinned
from nuvik.core.survey.history.growth import differences, growth
from nuvik.core.survey.walk import walk_pool, walkers
from nuvik.core.views.age_board import across_of, age_board
from nuvik.core.views.growth_sentences import forecast_sentence
from nuvik.core.views.library_selection import Choice, Marking, Only, Order, marked_by
from nuvik.core.views.survey_headline import survey_headline
from refusals import shift


def moment(days: float) -> str:
    return (datetime(2026, 1, 1, tzinfo=UTC) + timedelta(days=days)).isoformat().replace("+00:00", "Z")


def with_loose(snapshot: Snapshot, **sizes: int) -> Snapshot:
    folders = [LooseFolder(path=f"/k/{name}", drive="kestrel", bytes=size, files=1) for name, size in sizes.items()]
    return replace(snapshot, loose=tuple(sorted(folders, key=lambda folder: -folder.bytes)), small_things=())


def test_two_surveys_are_compared_and_a_survey_of_one_folder_keeps_the_rest(world):
    for drive, name in (("kestrel", "Grows"), ("kestrel", "Goes"), ("heron", "Stays")):
        fill(world.path(drive, name))
    workspace = world.open()
    before = workspace.survey.take()
    assert workspace.survey.changes() is None
    with open(world.path("kestrel", "Grows", "more.bin"), "wb") as file:
        file.truncate(5 * MB)
    os.rename(world.path("kestrel", "Goes"), world.path("kestrel", "Comes"))
    part = workspace.survey.take((world.path("kestrel", "Grows"), world.path("kestrel", "Comes")))
    assert {library.path for library in part.libraries} == {
        world.path("kestrel", name, "data") for name in ("Grows", "Comes")
    }
    assert "Stays" in {library.name for library in workspace.survey.latest().libraries}, (
        "what lies elsewhere is still known"
    )
    now = workspace.survey.take()
    changes = {(change.change, change.name): change.bytes for change in differences(before, now)}
    size = next(library.bytes for library in before.libraries if library.name == "Goes")
    assert changes == {("grew", "Grows"): 5 * MB, ("new", "Comes"): size, ("went", "Goes"): -size}
    loose = {
        (folder.change, folder.path): folder.bytes
        for folder in differences(before, with_loose(now, here=3 * MB, there=MB))
    }
    assert loose.items() >= {("new", "/k/here"): 3 * MB, ("new", "/k/there"): MB}.items()
    was, then = with_loose(before, here=3 * MB, there=9 * MB), with_loose(now, there=2 * MB)
    assert {(change.change, change.path): change.bytes for change in differences(was, then) if change.loose} == {
        ("went", "/k/here"): -3 * MB,
        ("shrank", "/k/there"): -7 * MB,
    }
    # What a full list leaves out was smaller than all on it, and no more is known.
    crowd = with_loose(before, **{f"n{number}": 2 * MB for number in range(LOOSE_LISTED)})
    (appeared,) = [
        library for library in differences(crowd, with_loose(crowd, here=9 * MB)) if library.path == "/k/here"
    ]
    assert (appeared.change, appeared.bytes) == ("grew", 7 * MB)
    assert "how fast it fills is not known yet" in world.prints("changes")
    with workspace.computer.database.connect() as connection:
        connection.execute("UPDATE snapshots SET taken_at = ? WHERE id = 1", (moment(0),))
    data = json.loads(world.prints("changes", "--since", "2026-01-01", "--json"))
    assert data["format"] == "nuvik-changes/1" and len(data["changes"]) == 3
    assert world.run("changes", "--since", "last week") == 2
    assert "Wren: does not grow" in world.prints("changes")


def test_libraries_are_shown_while_a_survey_goes_on_and_the_end_is_the_same(world, monkeypatch):
    for name in ("Aster", "Birch", "Cedar", "Dahlia"):
        fill(world.path("heron", name), files=60)
    for name, limit in (("_SLICE_HERE", 20), ("_GLIMPSE_AFTER_S", 0), ("_GLIMPSE_EVERY_S", 0), ("_GLIMPSE_SHARE", 1e9)):
        monkeypatch.setattr(walk_pool, name, limit)
    workspace, so_far = world.open(), []
    whole = workspace.survey.take(so_far=so_far.append)
    assert len(moments(workspace.survey.computer.database)) == 1, "a glimpse is not kept"
    assert len(so_far) > 5 and not any(glimpse.complete for glimpse in so_far[:-1])
    sizes = [sum(library.on_disk_bytes for library in glimpse.libraries) for glimpse in so_far]
    assert sizes == sorted(sizes) and len(set(sizes)) > 4
    assert [len(glimpse.libraries) for glimpse in so_far][-1] == len(whole.libraries) == 4
    assert whole.libraries == world.open().survey.take().libraries, "looking at it midway changes nothing"


@pytest.mark.parametrize("where", ["here", "in a process"])
def test_a_drive_that_stops_answering_holds_up_nobody(world, monkeypatch, where):
    """The rest is surveyed, what was known on it stays, and nothing on it is looked at again, not even by a link."""
    for drive, name in (("kestrel", "Aster"), ("heron", "Birch"), ("heron", "Cedar")):
        fill(world.path(drive, name), files=40)
    os.symlink(world.path("heron", "Birch"), world.path("kestrel", "Birch"))
    workspace, hangs = world.open(), world.path("heron")
    before = workspace.survey.take()
    put(world.path("kestrel", "Aster", "more.bin"), MB)
    walk, never, exists, popen = walkers.walk_slice, threading.Event(), os.path.exists, subprocess.Popen
    monkeypatch.setattr(walk_pool, "_SILENT_S", 0.2)
    monkeypatch.setattr(UsageMeter, "ask", lambda meter, points: {p: NO_ANSWER if p == hangs else "" for p in points})
    monkeypatch.setattr(os.path, "exists", lambda path: never.wait() if is_within(path, hangs) else exists(path))
    if where == "here":
        slowly = lambda rules, *rest: never.wait() if rules.root == hangs else walk(rules, *rest)  # noqa: E731
    else:
        slowly = lambda rules, *rest: (time.sleep(0.05), walk(rules, *rest))[1]  # noqa: E731
        monkeypatch.setattr(walk_pool, "_SLICE_HERE", 1)
        monkeypatch.setattr(walk_pool, "_CALL_AFTER_ENTRIES", 0)
        serve = (
            "import time; from nuvik.core.survey.walk import walk_worker as at; walk = at.walk_slice\n"
            f"at.walk_slice = lambda rules, *r: (time.sleep(900 * (rules.root == {hangs!r})), walk(rules, *r))[1]\n"
            "at.serve()"
        )
        monkeypatch.setattr(subprocess, "Popen", lambda words, **rest: popen([sys.executable, "-c", serve], **rest))
    monkeypatch.setattr(walkers, "walk_slice", slowly)
    began_s = time.monotonic()
    after = workspace.survey.take()
    assert time.monotonic() - began_s < 60, "it does not wait for ever"
    assert {library.name for library in after.libraries} == {"Aster", "Birch", "Cedar"} and after.complete
    sizes = {library.name: library.bytes for library in before.libraries}
    assert {library.name: library.bytes - sizes[library.name] for library in after.libraries} == {
        "Aster": MB,
        "Birch": 0,
        "Cedar": 0,
    }
    assert (hangs, NO_ANSWER) in [(problem.path, problem.problem) for problem in after.problems]
    never.set()


def test_a_stopped_survey_is_marked_and_what_was_known_stays(world, monkeypatch):
    for name in ("Aster", "Birch", "Cedar"):
        fill(world.path("heron", name))
    workspace = world.open()
    before = workspace.survey.take()
    monkeypatch.setattr(walk_pool, "_SLICE_HERE", 1)
    monkeypatch.setattr(walk_pool, "_TELL_EVERY_S", 0.0)
    os.rename(world.path("heron", "Cedar"), world.path("heron", "Zinnia"))
    stop = Stop()
    partial = workspace.survey.take((), lambda progress: stop.ask() if progress.entries > 12 else None, stop)
    assert not partial.complete and survey_headline(partial).startswith("The survey was stopped")
    assert {library.name: library.bytes for library in partial.libraries}.items() >= {
        library.name: library.bytes for library in before.libraries
    }.items()
    assert workspace.survey.latest().libraries == partial.libraries
    assert {library.name for library in workspace.survey.take().libraries} == {"Aster", "Birch", "Zinnia"}


@given(rate=st.integers(-5_000, 5_000), weeks=st.integers(3, 30), seed=st.integers(0, 99))
def test_growth_is_the_slope_and_one_large_download_does_not_upset_it(rate, weeks, seed):
    chance = random.Random(seed)
    history = [Sighting(moment(7 * week), 10**6 + rate * week) for week in range(weeks)]
    grows = growth(history)
    assert grows is not None and grows.bytes_per_week == pytest.approx(rate, abs=1e-6 + abs(rate) * 1e-9)
    if weeks >= 8:
        place = chance.randrange(2, weeks - 2)
        history[place] = replace(history[place], bytes=history[place].bytes + 10**9)
        upset = growth(history)
        assert upset is not None and upset.bytes_per_week == pytest.approx(rate, abs=1 + abs(rate) * 0.01)
        assert upset.least_bytes_per_week <= upset.bytes_per_week <= upset.most_bytes_per_week
    assert growth(history[:2]) is None and growth([Sighting(moment(day / 9), 1) for day in range(9)]) is None


def test_the_forecast_says_when_and_how_sure():
    history = [Sighting(moment(7 * week), (400 + 5 * week + week % 2) * GB) for week in range(12)]
    rate = growth(history)
    drive = a_drive(usable_bytes=600 * GB, used_bytes=500 * GB, headroom_bytes=50 * GB)
    assert "grows by 5.00 GB a week" in forecast_sentence(drive, rate)
    assert forecast_sentence(drive, rate).endswith("down to its headroom in about 10 weeks")
    unsure = replace(rate, least_bytes_per_week=4.1 * GB, most_bytes_per_week=6.25 * GB)
    assert forecast_sentence(drive, unsure).endswith("in about 10 weeks (8 to 12)")
    assert "already short of its headroom" in forecast_sentence(replace(drive, headroom_bytes=200 * GB), rate)
    falls = growth([Sighting(moment(7 * week), (400 - week) * GB) for week in range(5)])
    assert "shrinks by 1.00 GB a week" in forecast_sentence(drive, falls)


@given(days=st.lists(st.integers(0, 1_500), min_size=1, max_size=60, unique=True))
def test_old_snapshots_are_thinned_and_the_first_and_newest_stay(days):
    kept = [(number, moment(day)) for number, day in enumerate(sorted(days))]
    newest = max(days)
    gone = set(thinned(kept, kept[-1][1]))
    assert 0 not in gone and kept[-1][0] not in gone
    left = [day for (number, _), day in zip(kept, sorted(days), strict=True) if number not in gone]
    assert all(day in left for day in days if newest - day <= 14), "one a day, and all of two days"
    twice_a_day = [(0, moment(0)), (1, moment(0.3)), (2, moment(0.6)), (3, moment(6)), (4, moment(6.2))]
    assert thinned(twice_a_day, moment(6.2)) == [1, 2]
    weeks = [(datetime(2026, 1, 1) + timedelta(days=day)).isocalendar()[:2] for day in left if 14 < newest - day <= 365]
    assert len(weeks) == len(set(weeks))
    assert not thinned([moment for moment in kept if moment[0] not in gone], kept[-1][1]), (
        "thinning again changes nothing"
    )


def test_what_thinning_lets_go_leaves_no_row_behind(world):
    fill(world.path("heron", "Film"))
    workspace = world.open()
    snapshot = workspace.survey.take()
    for day in (-30, -29.5, -29, -1):
        taken = datetime.now(UTC) + timedelta(days=day)
        keep_snapshot(workspace.computer.database, replace(snapshot, taken_at=taken.isoformat()))
    keep_snapshot(workspace.computer.database, snapshot)
    assert len(moments(workspace.computer.database)) <= 5
    seen = {
        len(gauging)
        for gauging in (
            *library_history(workspace.computer.database).values(),
            *drive_history(workspace.computer.database).values(),
        )
    }
    assert seen == {len(moments(workspace.computer.database))}


def test_twins_on_two_drives_are_told_and_nothing_is_touched(world):
    content = random.Random(5).randbytes(17 * MB)
    for place, data in (
        ("kestrel/Films/a.mkv", content),
        ("heron/copy of a.mkv", content),
        ("heron/other.mkv", content[:-1] + b"?"),
        ("wren/middle.mkv", content[: 9 * MB] + b"?" + content[9 * MB + 1 :]),
    ):
        path = world.folder / place
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(data)
    printed = world.prints("survey", "--loose")
    assert "Largest files in no library" in printed and "copy of a.mkv" in printed
    (pair,) = json.loads(world.prints("twins", "--json"))["twins"]
    assert pair["spare_bytes"] == 17 * MB
    assert {os.path.basename(file["path"]) for file in pair["files"]} == {"a.mkv", "copy of a.mkv"}


NAMES = [os.fsdecode(b"\xff[red]\x1b[31m"), "=1+1", "new\nline", "‮turned", "x" * 255, "plain, with comma"]


def test_exports_hold_what_is_shown_and_no_harm(world, tmp_path):
    snapshot = world.open().survey.take()
    libraries = [library(f"d:{number}", "d", name=name) for number, name in enumerate(NAMES)]
    for ending in ("csv", "json"):
        save_libraries(snapshot, libraries, str(tmp_path / f"out.{ending}"))
    rows = list(csv.DictReader((tmp_path / "out.csv").read_text(encoding="utf-8").splitlines()))
    assert tuple(rows[0]) == COLUMNS and len(rows) == len(NAMES)
    assert all(row["name"].isprintable() and not row["name"].startswith("=") for row in rows)
    data = json.loads((tmp_path / "out.json").read_text(encoding="utf-8"))
    assert [library["name"] for library in data["libraries"]] == NAMES, "JSON carries every name exactly"
    with pytest.raises(BadInput):
        save_libraries(snapshot, libraries, str(tmp_path / "out.txt"))


def test_choosing_and_marking_among_libraries():
    old = "2020-01-01T00:00:00Z"
    libraries = [
        library("d:1", "d", 1, name="A Kite", last_used=old),
        library("d:2", "d", 2, kind=Kind.PHOTO, hidden=True, last_used=None),
        library("d:3", "e", 3, opens_per_week=2.0, working_set=True, last_used=None),
    ]

    def ids(choice: Choice, marked: frozenset[str] = frozenset()) -> list[str]:
        return [library.id for library in choice.of(libraries, marked)]

    assert ids(Choice()) == ["d:3", "d:2", "d:1"]
    assert ids(Choice(text="KITE", drive="e")) == ["d:1"], "a text is looked for on all drives"
    assert ids(Choice(kind=Kind.GAME, drive="d")) == ["d:1"]
    assert ids(Choice(only=Only.COLD)) == ids(Choice(only=Only.MARKED), frozenset(["d:1"])) == ["d:1"]
    assert ids(Choice(only=Only.HIDDEN)) == ["d:2"] and ids(Choice(only=Only.WORKING_SET)) == ["d:3"]
    assert ids(Choice(order=Order.OPENS))[0] == "d:3" and ids(Choice(order=Order.NAME))[0] == "d:1"
    marked = marked_by(Marking.KIND, frozenset(), libraries, libraries[0])
    assert marked == {"d:1", "d:3"}
    assert marked_by(Marking.INVERT, marked | {"not listed"}, libraries, None) == {"d:2", "not listed"}
    assert marked_by(Marking.COLD, frozenset(), libraries, None) == {"d:1"}


@given(sizes=st.lists(st.integers(0, 2**50), min_size=1, max_size=30), days=st.floats(0, 10_000))
def test_the_board_keeps_everything_on_it_and_in_order(sizes, days):
    now = datetime(2026, 6, 1, tzinfo=UTC)
    used = moment_of(now - timedelta(days=days))
    board = age_board([library(f"d:{n}", "d", bytes=size, last_used=used) for n, size in enumerate(sizes)], now)
    ups = [spot.up for spot in sorted(board.spots, key=lambda spot: spot.library.bytes)]
    assert ups == sorted(ups) and all(0 <= spot.up <= 1 and 0 <= spot.across <= 1 for spot in board.spots)
    assert across_of(0) == 0 and across_of(days) <= across_of(days + 1)


def moment_of(when: datetime) -> str:
    return when.isoformat().replace("+00:00", "Z")


def test_what_nuvik_keeps_for_a_while_is_not_listed_as_loose(world):
    """An original on trial is no data without a library, and no twin of its copy."""
    put(world.path("kestrel", "Games", "Kite", "big.bin"), 150 * MB)
    workspace = world.surveyed()
    draft = workspace.plan.draft([(world.path("kestrel", "Games", "Kite"), "heron")])
    carry_plan(workspace.carry.work(), make_plan(draft), on_trial=True)
    snapshot = workspace.survey.take()
    listed = [folder.path for folder in snapshot.loose] + [file.path for file in snapshot.large_files]
    assert listed and not [path for path in listed if ".nuvik-" in path]
    assert workspace.survey.twins(lambda *_: None) == []


def test_free_space_over_time_has_its_curve_its_moves_and_what_is_to_come(world, tmp_path):
    workspace = world.open()
    game = fill(world.path("kestrel", "Games", "Kite"), files=3)
    put(game / "big.bin", 100 * MB)
    workspace.survey.keep_cards([Card(path=str(game), opens_per_week=3.0)])
    workspace.survey.take()
    snapshot, day_s = workspace.survey.latest(), 86_400
    for days, used in ((40, 20), (30, 60), (20, 90), (10, 95)):
        taken = moment_text(time.time() - days * day_s)
        drives = tuple(replace(drive, used_bytes=used * MB) for drive in snapshot.drives)
        past = replace(snapshot, taken_at=taken, drives=drives)
        keep_snapshot(workspace.survey.computer.database, past, seen_readings(past))
    shift(workspace, game, "heron")
    rows = {row.drive.id: row for row in workspace.watching.history().drives}
    kestrel = rows["kestrel"]
    usable = kestrel.drive.usable_bytes
    assert [free for _, free in kestrel.points[:4]] == [usable - used * MB for used in (20, 60, 90, 95)]
    assert [name for _, name in kestrel.moves] == ["Kite"] == [name for _, name in rows["heron"].moves]
    assert kestrel.curve(8)[0] == "▇" and len(kestrel.curve(8)) == 8
    grows = replace(kestrel, bytes_per_week=10.0 * MB)
    gained = snapshot.at_path(str(game)).on_disk_bytes
    assert grows.weeks_bought == pytest.approx(gained / (10 * MB), rel=0.05)
    assert rows["heron"].gained_bytes < 0 and kestrel.marks(8).strip() == "▲"
    (heron,) = [d for d in snapshot.drives if d.id == "heron"]
    (before, after) = (waiting_of([(snapshot.at_path(str(game)), d)]).likely for d in (kestrel.drive, heron))
    for looks_again in (lambda: None, workspace.survey.take):
        looks_again()
        slower = [seconds for _, seconds in workspace.watching.history().waiting]
        assert slower[:6] == pytest.approx([before] * 5 + [after]) and slower[-1] == slower[5] > before
    printed = world.prints("history")
    assert "▲" in printed and "Waiting" in printed and printed.count("▇") > 40
    room = kestrel.points[-1][1] - kestrel.drive.headroom_bytes
    assert grows.short_at_s() == pytest.approx(kestrel.points[-1][0] + room / (10 * MB) * 7 * day_s)
    assert replace(grows, bytes_per_week=-1.0).short_at_s() is None
    assert replace(grows, bytes_per_week=None).short_at_s() is None
    for ending in ("svg", "pdf"):
        path = tmp_path / f"h.{ending}"
        assert world.run("draw", "history", "-o", str(path)) == 0
    words = "".join(ET.parse(tmp_path / "h.svg").getroot().itertext())
    assert "Kestrel: " in words and "free" in words and "Waiting: " in words


def test_what_is_on_trial_bought_no_time_and_unknown_drives_count_for_nothing(world):
    game = fill(world.path("kestrel", "Games", "Kite"), files=3)
    workspace = world.open()
    workspace.survey.keep_cards([Card(path=str(game), opens_per_week=3.0)])
    workspace.survey.take()
    shift(workspace, game, "heron", on_trial=True)
    rows = {row.drive.id: row for row in workspace.watching.history().drives}
    assert rows["kestrel"].gained_bytes == 0 > rows["heron"].gained_bytes
    seen = reading_history(workspace.computer.database)
    drives = {drive.id: drive for drive in workspace.drives.all()}
    assert len(waiting_history(seen, drives)) == 1
    assert waiting_history([*seen, replace(seen[0], drive="gone")], drives) == []
