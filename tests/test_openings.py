"""Openings: what a program reads is seen page by page, tells how it opens elsewhere, and can be tried there."""

from __future__ import annotations

import json
import os
import random
import shlex
import signal
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import jsonschema
import pytest

from conftest import MB, leftovers, put
from nuvik.__main__ import run
from nuvik.core.carrying.run import carry_plan
from nuvik.core.hosts import page_cache
from nuvik.core.model.errors import Refused, StopRequested
from nuvik.core.model.library import Timing
from nuvik.core.model.progress import Stop
from nuvik.core.openings import record as recording_module
from nuvik.core.openings import taste as taste_module
from nuvik.core.openings.library_pages import LibraryPages
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.planning.placement.waiting import opening_bounds_s, opening_s, timed
from nuvik.core.stages.workspace import Workspace, open_workspace
from nuvik.core.survey.drives import leftover_tests
from nuvik.core.views.opening_sentences import afterwards_sentence, elsewhere_sentence
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
