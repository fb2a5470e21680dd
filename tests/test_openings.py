"""Openings: what a program reads is seen page by page, tells how it opens elsewhere, and can be tried there."""

from __future__ import annotations

import json
import math
import os
import random
import shlex
import signal
import subprocess
import sys
import time
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import jsonschema
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from textual.widgets import Static

from conftest import MB, a_drive, fill, leftovers, put
from households import library as a_library
from nuvik.__main__ import run
from nuvik.core.carrying.run import carry_plan
from nuvik.core.hosts import page_cache
from nuvik.core.model.errors import Refused, StopRequested
from nuvik.core.model.library import Kind, Timing
from nuvik.core.model.opening import Afterwards, ReadPattern, Recording, Stretch
from nuvik.core.model.progress import Stop, Watching
from nuvik.core.openings import record as recording_module
from nuvik.core.openings import taste as taste_module
from nuvik.core.openings.library_pages import LibraryPages, _joined, _without
from nuvik.core.planning.drafting.library_parts import in_pieces
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.planning.placement.kinds_learnt import with_kinds_learnt
from nuvik.core.planning.placement.waiting import opening_bounds_s, opening_s, table_opening, timed
from nuvik.core.stages.openings import OpeningStage
from nuvik.core.stages.workspace import Workspace, open_workspace
from nuvik.core.store.openings import Openings
from nuvik.core.survey.drives import leftover_tests
from nuvik.core.views.opening_sentences import afterwards_headline, afterwards_sentence, elsewhere_sentence
from nuvik.tui.app import NuvikApp
from nuvik.tui.widgets.beneath import Beneath
from screens import settle, words_of
from screens import words as words_at
from test_documents import shipped, strict

SEQUENCE, SCATTERED, COMPUTING_S = 40_000_000, 300, 0.6
PROGRAM = """
import os, random, sys, threading, time
root, sequence, scattered, computing_s, overlaps = sys.argv[1], *map(float, sys.argv[2:6])
chance, many = random.Random(7), []
def compute():
    end = time.thread_time() + computing_s
    while time.thread_time() < end: sum(range(1000))
beside = threading.Thread(target=compute)
if overlaps: beside.start()
long = os.open(root + "/long.pack", os.O_RDONLY)
os.posix_fadvise(long, 0, 0, os.POSIX_FADV_RANDOM)  # no read-ahead, so that the bytes are known
read = 0
while read < sequence: read += len(os.read(long, 1 << 20))
for n in range(40):
    many.append(os.open(f"{root}/data/part-{n:02d}.pack", os.O_RDONLY))
    os.posix_fadvise(many[-1], 0, 0, os.POSIX_FADV_RANDOM)
seen = set()
for n in range(int(scattered)):
    page = chance.randrange(0, 700)
    seen.add((n % 40, page))
    os.pread(many[n % 40], 4096, page * 4096)
if not overlaps: compute()
beside.join() if overlaps else None
print(read + 4096 * len(seen), 1 + sum((n, page - 1) not in seen for n, page in seen), file=open(sys.argv[6], "w"))
"""


class Opened:
    """A library on a real volume, a program that opens it in a known way, and a workspace that knows both."""

    def __init__(self, drives, folder: Path) -> None:
        self.folder, self.drives = folder, drives
        self.fast, self.slow = drives.up("fast", "400M", "ext4", 120), drives.up("slow", "400M", "ext4", 30)
        self.library = self.fast / "Games" / "Kite"
        (self.library / "data").mkdir(parents=True)
        chance = random.Random(3)
        for n in range(40):
            (self.library / "data" / f"part-{n:02d}.pack").write_bytes(chance.randbytes(3 * MB))
        (self.library / "long.pack").write_bytes(chance.randbytes(60 * MB))
        (self.library / "extras").mkdir()
        (self.library / "extras" / "film.bin").write_bytes(chance.randbytes(20 * MB))
        for path in self.library.rglob("*"):
            os.utime(path, (1.6e9, 1.6e9))
        drives.limit_reads("fast", 2000)
        drives.limit_reads("slow", 150)
        (folder / "program.py").write_text(PROGRAM)
        self.workspace: Workspace = open_workspace(None, str(folder / "state"))
        self.workspace.survey.take((str(self.fast / "Games"),))

    def command(self, root: Path | None = None, overlaps: bool = False) -> list[str]:
        words = [root or self.library, SEQUENCE, SCATTERED, COMPUTING_S, int(overlaps), self.folder / "truth"]
        return [sys.executable, str(self.folder / "program.py"), *map(str, words)]

    def known(self):
        return self.workspace.plan.library_at(str(self.library))

    def drive(self, name: str):
        """As it would be gauged: its limits are known here."""
        read, small = (120, 2000) if name == "fast" else (30, 150)
        drive = next(each for each in self.workspace.drives.all() if each.path == str(self.drives.place / name))
        return replace(drive, read_bytes_per_s=read * MB, small_reads_per_s=small)

    def really_s(self, root: Path) -> float:
        """How long it takes to open with nothing of it in memory."""
        LibraryPages(str(root)).put_out(Stop())
        began = time.perf_counter()
        subprocess.run(self.command(root), check=True)
        return time.perf_counter() - began


@pytest.fixture
def opened(real_drives, tmp_path) -> Opened:
    return Opened(real_drives, tmp_path)


def test_a_recording_sees_what_was_read_and_tells_how_it_opens_elsewhere(opened, monkeypatch):
    monkeypatch.setattr(taste_module, "_PASSES", 1)
    before = {path: (path.stat().st_atime_ns, path.stat().st_mtime_ns) for path in opened.library.rglob("*.pack")}
    recording = opened.workspace.openings.record(opened.known(), opened.command())
    read, runs = map(int, (opened.folder / "truth").read_text().split())
    assert abs(recording.bytes_read - read) < 0.02 * read and abs(recording.runs - runs) < 0.05 * runs
    assert recording.files_read == 41 and not recording.doubts and recording.computing_s >= COMPUTING_S
    assert {path: path.stat().st_mtime_ns for path in before} == {path: times[1] for path, times in before.items()}
    unread = [path for path in before if path.name not in {s.file.split("/")[-1] for s in recording.stretches}]
    assert all(path.stat().st_atime_ns == before[path][0] for path in unread)
    inside = opened.workspace.openings.warm(opened.known())
    assert [part.name for part in inside if part.may_go_apart] == ["extras"]
    assert sum(part.read_bytes for part in inside) == recording.bytes_read
    fast, slow = opened.drive("fast"), opened.drive("slow")
    by_id = {fast.id: fast, slow.id: slow}
    library = timed(opened.known(), opened.known().timings, by_id)
    low_s, high_s = opening_bounds_s(library, slow, by_id)
    tasted = opened.workspace.openings.taste(opened.known(), slow)
    assert leftovers(opened.slow) == [] and os.listdir(opened.slow) == ["lost+found"], "it is removed"
    assert tasted.copied_bytes < 0.3 * library.bytes
    assert opened.workspace.openings.afterwards() == [], "nothing was moved yet"
    workspace = opened.workspace
    drive = next(each for each in workspace.drives.all() if each.path == str(opened.slow))
    carry_plan(workspace.carry.work(), make_plan(workspace.plan.draft([(str(opened.library), drive.id)])))
    moved = workspace.plan.library_at(os.path.realpath(opened.library))
    assert moved.drive == drive.id
    (awaited,) = workspace.openings.afterwards()
    assert awaited.took_s is None and "not recorded since" in afterwards_sentence(awaited)
    really_s = workspace.openings.record(moved, opened.command(Path(moved.path))).seconds
    assert abs(opening_s(library, slow) - really_s) < 0.2 * really_s and low_s < really_s < high_s
    assert abs(tasted.there_s - really_s) < 0.1 * really_s
    (row,) = workspace.openings.afterwards()
    assert (row.before_s, row.took_s) == (recording.seconds, really_s)
    assert "longer than before" in afterwards_sentence(row)
    both = [*library.timings, Timing(drive=slow.id, seconds=really_s, computing_s=COMPUTING_S)]
    known_better = timed(workspace.plan.library_at(moved.path), both, by_id)
    for drive, seconds in ((slow, really_s), (fast, recording.seconds)):
        assert abs(opening_s(known_better, drive) - seconds) < 0.1 * seconds


def test_a_drive_that_goes_while_it_is_tasted_is_told_and_cleaned_when_it_is_back(opened, monkeypatch):
    opened.workspace.openings.record(opened.known(), opened.command())
    cut = []

    def report(what: str, share: float) -> None:
        if what.startswith("reading from slow") and not cut:
            cut.append(opened.drives.cut("slow"))

    with pytest.raises(Refused, match="slow cannot be tasted"):
        opened.workspace.openings.taste(opened.known(), opened.drive("slow"), report)
    assert cut and not any(timing.tasted for timing in opened.known().timings)
    opened.drives.back("slow")
    monkeypatch.setattr(leftover_tests, "_lives", lambda process, path: False)  # as in a later process
    assert open_workspace(None, str(opened.folder / "state")) and os.listdir(opened.slow) == ["lost+found"]


def test_other_libraries_that_an_opening_needs_have_their_share(opened):
    cache = opened.slow / "Caches" / "Vane cache"
    put(cache / "tiles.bin", 0).write_bytes(random.Random(1).randbytes(30 * MB))
    put(cache / "CACHEDIR.TAG").write_text("Signature: 8a477f597d28d172789f06886806bc55\n")
    opened.workspace.survey.take((str(opened.fast / "Games"), str(opened.slow / "Caches")))
    script = f"exec 3< {str(cache / 'tiles.bin')!r}; head -c 8000000 <&3 > /dev/null; {shlex.join(opened.command())}"
    for _ in range(2):
        recording = opened.workspace.openings.record(opened.known(), ["sh", "-c", script])
        (other,) = recording.others
        assert other.library == str(cache) and recording.files_read == 41
    assert other.bytes is not None and 8 * MB <= other.bytes <= 12 * MB, "read-ahead counts with it"
    assert "It also needs Vane cache (" in elsewhere_sentence(recording, {})


def test_computing_beside_reading_is_not_counted_twice(opened):
    opened.drives.limit_reads("fast", 400)
    recording = opened.workspace.openings.record(opened.known(), opened.command(overlaps=True))
    fast = replace(opened.drive("fast"), small_reads_per_s=400)
    library = timed(opened.known(), opened.known().timings, {fast.id: fast})
    assert library.computing_s < 0.6 * COMPUTING_S < recording.computing_s
    assert abs(opening_s(library, fast) - recording.seconds) < 0.1 * recording.seconds


def test_what_cannot_be_recorded_or_tasted_is_refused_and_leaves_nothing(opened, tmp_path, capsys, monkeypatch):
    stage, state = opened.workspace.openings, ["--state", str(tmp_path / "state")]
    with pytest.raises(Refused, match="was recorded yet"):
        stage.taste(opened.known(), opened.drive("slow"))
    for command, message in ((["false"], "ended with the code 1"), (["/nowhere/program"], "cannot be started")):
        with pytest.raises(Refused, match=message):
            stage.record(opened.known(), command)
    with pytest.raises(Refused, match="Nothing of Kite was read"):
        stage.record(opened.known(), ["true"])
    with open(opened.library / "long.pack", "rb") as held, subprocess.Popen(["sleep", "60"], stdin=held) as holder:
        with pytest.raises(Refused, match="has Kite open"):
            stage.record(opened.known(), opened.command())
        holder.kill()
    monkeypatch.setattr(recording_module, "MOST_S", 1.0)
    with pytest.raises(Refused, match="was not ready within"):
        stage.record(opened.known(), ["sleep", "60"])
    stop = Stop()
    with pytest.raises(StopRequested):
        stage.record(opened.known(), ["sleep", "60"], report=lambda watching: stop.ask(), stop=stop)
    assert stage.of(opened.known()) == [] and opened.known().pattern is None
    monkeypatch.undo()
    changing = [*opened.command()[:2], *opened.command()[2:]]
    script = f"{' '.join(map(repr, changing))}; echo x >> {opened.library}/data/part-00.pack"
    assert "changed meanwhile" in " ".join(stage.record(opened.known(), ["sh", "-c", script]).doubts)
    slow = opened.drive("slow")
    for drive, message in (
        (replace(slow, headroom_bytes=slow.free_bytes), "beyond its headroom"),
        (replace(slow, filesystem="vfat"), "holes"),
        (replace(slow, attached=False), "Nothing can be written"),
        (opened.drive("fast"), "already"),
    ):
        with pytest.raises(Refused, match=message):
            stage.budget(opened.known(), drive)
    taste = [sys.executable, "-m", "nuvik", "opening", "taste", "Kite", str(opened.slow), *state]
    with subprocess.Popen(taste, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as child:
        while not (folder := list(opened.slow.glob(".nuvik-*/*"))):
            assert child.poll() is None
            time.sleep(0.01)
        child.send_signal(signal.SIGKILL)
    assert folder and run(["drives", *state]) == 0
    assert not list(opened.slow.glob(".nuvik-*")), "the next start removes what a kill left"
    latest = stage.of(opened.known())[-1]
    with pytest.raises(Refused, match="not known which parts"):
        taste_module.budget_of(opened.known(), replace(latest, stretches=()), slow)
    with pytest.raises(Refused, match="is not where its opening was recorded"):
        stage.taste(replace(opened.known(), drive="elsewhere"), slow)
    pages, long = LibraryPages(str(opened.library)), opened.library / "long.pack"
    pages.put_out(Stop())
    long.read_bytes()
    pages.look(["long.pack"])
    with open(long, "rb") as file:
        page_cache.put_out(file.fileno())
    pages.look(["long.pack"])
    # The system may let go of some of it by itself in between.
    assert pages.bytes_read > 0.5 * long.stat().st_size, "what was let go again was read all the same"
    capsys.readouterr()
    for words, name in ((["taste", "Kite", str(opened.slow)], "nuvik-taste/1"), (["show", "Kite"], "nuvik-openings/1")):
        assert run(["opening", *words, "--json", *state]) == 0
        document = json.loads(capsys.readouterr().out)
        jsonschema.validate(document, strict(shipped(name)))
    assert run(["opening", "record", "Kite", "--json", *state, "--", *opened.command()]) == 0
    jsonschema.validate(json.loads(capsys.readouterr().out), strict(shipped("nuvik-opening/1")))
    assert run(["why", "Kite", *state]) == 0 and "was recorded, and 1 more drive tasted" in capsys.readouterr().out
    assert run(["opening", "forget", "Kite", *state]) == 0 and opened.known().pattern is None


runs = st.lists(st.tuples(st.integers(0, 60), st.integers(1, 9)), max_size=8).map(
    lambda pairs: [
        (start, end)
        for n, (start, end) in enumerate(sorted((a, a + b) for a, b in pairs))
        if all(end <= other[0] or start >= other[1] for other in sorted((a, a + b) for a, b in pairs)[:n])
    ]
)


@given(runs)
def test_stretches_that_touch_are_joined(mine):
    joined = _joined(mine)
    assert {n for a, b in joined for n in range(a, b)} == {n for a, b in mine for n in range(a, b)}
    assert all(before[1] < other[0] for before, other in pairwise(joined))


@given(runs, runs)
def test_stretches_without_others_are_what_is_only_in_them(mine, others):
    def cells(stretches):
        return {at for start, end in stretches for at in range(start, end)}

    left = _without(mine, others)
    assert cells(left) == cells(mine) - cells(others) and left == sorted(left)


@given(st.floats(0.1, 300), st.floats(0, 300), st.integers(0, 10**10), st.integers(0, 10**5), st.floats(0.2, 5))
def test_a_recording_is_met_where_it_was_made(seconds, computing_s, count, seeks, faster):
    here = a_drive(id="here", read_bytes_per_s=100 * MB, small_reads_per_s=100)
    there = replace(here, id="there", read_bytes_per_s=100 * MB * faster, small_reads_per_s=100 * faster)
    assume(count / 1e8 + seeks / 100 < 1_000 * seconds)
    library = replace(a_library("Kite", "here"), kind=Kind.GAME, pattern=ReadPattern(bytes=count, runs=seeks))
    learnt = timed(library, [Timing(drive="here", seconds=seconds, computing_s=computing_s)], {"here": here})
    assert opening_s(learnt, here) == pytest.approx(seconds, rel=0.01, abs=0.01) or not count + seeks
    quicker = opening_s(learnt, there) <= opening_s(learnt, here) + 1e-6
    assert quicker == (faster >= 1) or opening_s(learnt, there) == pytest.approx(opening_s(learnt, here))


@given(st.floats(0.2, 5), st.lists(st.floats(0.8, 1.25), min_size=8, max_size=12), st.floats(0.01, 50))
def test_recorded_libraries_tell_of_others_of_their_kind(times, spread, odd):
    drive, kite = a_drive(id="here"), replace(a_library("Kite", "here"), kind=Kind.GAME, bytes=20_000 * MB)

    def recorded(ratio: float):
        table = table_opening(kite)
        pattern = ReadPattern(bytes=round(ratio * table.sequential_bytes), runs=round(ratio * table.small_reads))
        timing = Timing(drive="here", seconds=9, computing_s=1.0)
        return replace(kite, pattern=pattern, timings=(timing,), computing_s=ratio * table.cpu_s)

    others = [recorded(times * each) for each in spread]
    *known, learnt = with_kinds_learnt([*others, recorded(odd), kite])
    truth = times * opening_s(kite, drive)

    def off(library) -> float:
        return abs(math.log(opening_s(library, drive) / truth))

    assert off(learnt) <= max(off(kite), 0.25) and (off(learnt) < 0.25 or len(others) < 6)
    assert learnt.like.libraries == len(known) == len(others) + 1
    assert [opening_s(each, drive) for each in known[:-1]] == [opening_s(each, drive) for each in others]
    assert opening_s(with_kinds_learnt([others[0], kite])[1], drive) == pytest.approx(opening_s(kite, drive))


def recorded(library: str, *stretches: Stretch, drive: str = "kestrel") -> Recording:
    return Recording(
        library=library,
        drive=drive,
        taken_at="2026-01-01T00:00:00Z",
        seconds=4.2,
        bytes_read=sum(stretch.bytes for stretch in stretches),
        runs=7,
        files_read=1,
        computing_s=1.0,
        stretches=stretches,
    )


async def test_what_no_opening_read_may_be_placed_apart(world):
    library = world.path("kestrel", "Games", "Kite")
    put(Path(library) / "Data" / "a.pack", 20 * MB)
    put(Path(library) / "Films" / "b.bin", 60 * MB)
    workspace = world.open()
    workspace.survey.take()
    recording = recorded(library, Stretch(file="Data/a.pack", offset=0, bytes=9 * MB))
    Openings(workspace.survey.computer.database).keep(library, recording)
    stage, known = workspace.openings, workspace.plan.library_at("Kite")
    stage._learn(known)
    app = NuvikApp(world.open)
    async with app.run_test(size=(140, 45)) as pilot:
        await settle(app, pilot)
        await pilot.press("tab", "enter")
        await settle(app, pilot)
        inside = words_of(app.screen.query_one("#inside", Static))
        assert "9.00 MB of 80.0 MB were ever read" in inside and "No opening needs Films: a lets it" in inside
        await pilot.press("a")
        await settle(app, pilot)
        known = app.desk.snapshot.library(known.id)
        body, films = in_pieces(known)
        assert known.like.libraries == 1 and films.name == "Kite · Films"
        assert (body.piece.reads, films.piece.reads, films.piece.seeks) == (1.0, 0.0, 0.0), (
            "what was never read costs no opening where it goes"
        )


async def test_a_plan_is_tasted_and_what_came_of_it_is_told(world):
    library = world.path("kestrel", "Games", "Kite")
    put(Path(library) / "a.pack", 20 * MB)
    workspace = world.open()
    workspace.survey.take()
    store = Openings(workspace.survey.computer.database)
    before = replace(recorded(library, Stretch(file="a.pack", offset=0, bytes=9 * MB)), seconds=9.0)
    store.keep(library, before)
    workspace.openings._learn(workspace.plan.library_at("Kite"))
    app = NuvikApp(world.open)
    async with app.run_test(size=(140, 45)) as pilot:
        await settle(app, pilot)
        app.desk.edit(app.desk.draft.put_down(app.desk.snapshot.libraries[0].id, "heron"))
        await pilot.press("4")
        await settle(app, pilot)
        await pilot.press("e")
        await settle(app, pilot)
        lines = app.screen.query_one("#lines", Static)
        assert "Kite on Heron: 9.00 MB" in words_of(lines)
        await pilot.press("enter")
        await settle(app, pilot)
        assert "Kite opens in" in words_of(lines) and "instead of 20.0 MB to find out" in words_of(lines)
        await pilot.press("escape")
        await settle(app, pilot)
        assert sorted(timing.tasted for timing in app.desk.snapshot.libraries[0].timings) == [False, True]
        await pilot.press("c")
        await settle(app, pilot)
        await pilot.press("y")
        await settle(app, pilot)
        assert "The opening of Kite was recorded before: o in Logbook (6) tells" in words_at(app, "#consequence")
        (move,) = workspace.logbook.moves()
        store.keep(library, replace(before, drive="heron", taken_at="2999-01-01T00:00:00Z", seconds=30.0))
        await pilot.press("6")
        await settle(app, pilot)
        assert "21 s longer than before" in words_of(app.screen.query_one(Beneath)) and move.state.at_target


def test_a_move_that_did_not_pay_is_said_to_have_not_paid():
    row = Afterwards(
        move=3, library="Kite", before_s=20, expected_s=5, low_s=4, high_s=6, took_s=19.5, opens_per_week=4
    )
    assert row.did_not_pay and "It did not pay: “nuvik undo 3” takes it back" in afterwards_sentence(row)
    assert not replace(row, took_s=9).did_not_pay and not replace(row, expected_s=30).did_not_pay
    assert afterwards_headline([row, replace(row, took_s=5)]).endswith("as expected; 1 move did not pay.")


async def test_an_opening_is_recorded_from_its_page(house, monkeypatch):
    made: list[str] = []

    def record(stage, library, command, begun, is_ready, report, stop):
        begun()
        report(Watching(1.5, 30 * MB, False))
        while not is_ready():
            stop.check()
            time.sleep(0.01)
        made.append(library.name)
        plain = recorded(library.path, drive=library.drive)
        return replace(plain, bytes_read=30 * MB, files_read=3, doubts=("One file changed meanwhile.",))

    monkeypatch.setattr(OpeningStage, "record", record)
    app = NuvikApp(house.open)
    async with app.run_test(size=(120, 40)) as pilot:
        await settle(app, pilot)
        await pilot.press("tab", "enter")
        await settle(app, pilot)
        await pilot.press("o")
        await pilot.pause(0.3)
        lines = app.screen.query_one("#lines", Static)
        assert "press Enter here" in words_of(lines) and "30.0 MB read" in words_of(lines)
        await pilot.press("enter")
        await settle(app, pilot)
        assert "was ready after 4.2 s" in words_of(lines) and "changed meanwhile" in words_of(lines)
        await pilot.press("enter")
        await pilot.press("enter")
        await settle(app, pilot)
        await pilot.press("o")
        await pilot.pause(0.2)
        await pilot.press("escape")
        await settle(app, pilot)
        assert len(made) == 1, "Esc keeps nothing"


def test_systems_that_tell_less_are_no_fault(tmp_path, monkeypatch):
    """Without a call that puts files out, and without one that tells of pages."""
    root = fill(tmp_path / "Kite", files=3)
    files = [path for path in root.rglob("*") if path.is_file() and path.stat().st_size]
    monkeypatch.delattr(os, "posix_fadvise")
    pages = LibraryPages(str(root))
    pages.put_out(Stop())
    pages.look_at_all(Stop())
    assert pages.unknown == 0 and pages.bytes_read == 0, "what was in memory before is not of the opening"
    monkeypatch.setattr(page_cache, "_libc", lambda: None)
    pages = LibraryPages(str(root))
    pages.put_out(Stop())
    assert pages.unknown == len(files)
