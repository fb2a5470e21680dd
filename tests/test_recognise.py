"""What a folder is taken for and why, whether it may move, how it is used, and what the user says of it."""

from __future__ import annotations

import os
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import MB, fill, put
from nuvik.core.hosts import surroundings as here
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.surroundings import installed_program, menu_entry, recent_files
from nuvik.core.model.clock import moment_text
from nuvik.core.model.extent import Extent
from nuvik.core.model.history import Sighting
from nuvik.core.model.library import Card, Kind, Verdict
from nuvik.core.model.surroundings import Program, Recent, Surroundings
from nuvik.core.survey.history.last_use import RecentFiles, use_of
from nuvik.core.survey.take_survey import survey
from nuvik.core.views.library_page import inside_rows, library_page, links_in_words


def libraries_of(world) -> dict:
    return {library.name: library for library in world.open().survey.take().libraries}


def test_signs_lead_to_kinds_with_a_reason(world):
    base = world.path("heron")
    for title in ("Kite", "Tide", "Loom"):
        put(f"{base}/Shelf/{title}/start", mode=0o755)
        put(f"{base}/Shelf/{title}/data.pack", 400 * MB)
    put(f"{base}/Mosaic/Media/a.mkv", MB)
    put(f"{base}/Mosaic/Cache/a.tile", MB)
    put(f"{base}/Mosaic/Backups/a.proj", MB)
    put(f"{base}/.quiet-cache/x.bin", MB)
    put(f"{base}/Marked/CACHEDIR.TAG")
    put(f"{base}/Stacker/run", mode=0o755)
    put(f"{base}/Stacker/core.so", MB)
    for day in ("2026-10-01", "2026-10-08", "2026-10-15"):
        put(f"{base}/Copies/{day}/all.tar", MB)
    put(f"{base}/Bundle.app/Contents/main", MB)
    put(f"{base}/Old Backup/all.tar", MB)
    put(f"{base}/Mixed/a.mkv", MB)
    put(f"{base}/Mixed/b.flac", MB)
    libraries = libraries_of(world)
    kinds = {name: library.kind for name, library in libraries.items()}
    assert kinds == {
        "Kite": Kind.GAME,
        "Tide": Kind.GAME,
        "Loom": Kind.GAME,
        "Mosaic": Kind.PROJECT,
        ".quiet-cache": Kind.CACHE,
        "Marked": Kind.CACHE,
        "Stacker": Kind.PROGRAM,
        "Copies": Kind.BACKUP,
        "Bundle.app": Kind.PROGRAM,
        "Old Backup": Kind.BACKUP,
        "Mixed": Kind.OTHER,
    }
    assert libraries["Kite"].why == "it is one of 3 folders alike, each with a program and large data files"
    assert libraries[".quiet-cache"].hidden and "hidden" in libraries[".quiet-cache"].why
    assert {part.name: part.kind for part in libraries["Mosaic"].parts} == {
        "Media": Kind.VIDEO,
        "Cache": Kind.CACHE,
        "Backups": Kind.BACKUP,
    }
    assert libraries["Mixed"].confidence < 0.5 < libraries["Mosaic"].confidence


def test_a_computer_tells_of_standard_folders_programs_and_recent_files(tmp_path, monkeypatch):
    """On a real host, with a home, menu entries, a cache place and the list of recent files."""
    home = tmp_path / "home"
    put(home / "Pictures" / "2025" / "a.jpg", 2 * MB)
    put(home / "Pictures" / "2026" / "b.jpg", MB)
    put(home / "Notes" / "a.md", MB)
    put(home / ".cache" / "viewer" / "tiles.bin", 3 * MB)
    put(home / ".config" / "small.ini")
    put(home / ".local" / "share" / "atlas" / "sky.db", 200 * MB)
    put(home / "opt" / "vane" / "bin" / "vane", mode=0o755).write_bytes(b"v" * 9_000)
    put(home / "loose film.mkv").write_bytes(b"x" * 20 * MB)
    entries = home / ".local" / "share" / "applications"
    put(entries / "vane.desktop").write_text(
        f'[Desktop Entry]\nType=Application\nName=Vane\nExec=env X=1 "{home}/opt/vane/bin/vane" %F\n'
    )
    now = datetime.now(UTC)
    days = {"a.md": now - timedelta(days=3), "b%20c.md": now}
    visits = "".join(
        f'<bookmark href="file://{home}/Notes/{name}" visited="{seen.isoformat()}"/>' for name, seen in days.items()
    )
    put(home / ".local" / "share" / "recently-used.xbel").write_text(f'<xbel version="1.0">{visits}</xbel>')
    monkeypatch.setenv("HOME", str(home))
    for name in ("XDG_CACHE_HOME", "XDG_DATA_HOME", "XDG_DATA_DIRS"):
        monkeypatch.delenv(name, raising=False)
    monkeypatch.setattr(here.platformdirs, "user_pictures_dir", lambda: str(home / "Pictures"))
    host = LocalHost()
    host.small_share = 0.0
    snapshot = survey(host, host.drives(), (str(home),))
    libraries = {library.name: library for library in snapshot.libraries}
    assert libraries["Pictures"].kind is Kind.PHOTO, "whatever folders it is sorted into"
    assert libraries["viewer"].kind is Kind.CACHE and libraries["viewer"].hidden
    assert libraries["vane"].kind is Kind.PROGRAM and "menu entry starts “Vane”" in libraries["vane"].why
    assert ".config" not in libraries and ".cache" not in libraries
    assert libraries["Notes"].opens_per_week == 0.5
    assert "2 days in 4 weeks, by the list of recent files" in libraries["Notes"].use_source
    loose = {os.path.basename(file.path) for file in snapshot.large_files if file.library is None}
    assert loose == {"loose film.mkv"}
    total = sum(library.on_disk_bytes for library in snapshot.libraries) + sum(
        folder.bytes for folder in snapshot.loose
    )
    files = sum(path.stat().st_blocks * 512 for path in home.rglob("*") if path.is_file())
    everything = files + sum(path.stat().st_blocks * 512 for path in (home, *home.rglob("*")) if path.is_dir())
    assert files <= total <= everything, "everything counts once"


@given(st.text(max_size=300))
def test_menu_entries_and_recent_lists_may_hold_anything(text):
    menu_entry(text)
    menu_entry("[Desktop Entry]\nExec=" + text)
    assert all(os.path.isabs(file.path) and file.used_s > 0 for file in recent_files(text))
    list(recent_files(f'<xbel><bookmark href="file:{text}" visited="{text}"/></xbel>'))


def test_what_may_not_move_says_why_and_only_the_unwise_is_overruled(world):
    kestrel = world.path("kestrel")
    put(f"{kestrel}/Stay/a")
    put(f"{kestrel}/Plug-ins/a")
    shared = put(f"{kestrel}/Twice/a", MB)
    os.makedirs(f"{kestrel}/Other")
    os.link(shared, f"{kestrel}/Other/b")
    put(f"{kestrel}/Fetching/film.mkv.part")
    put(f"{kestrel}/Opened/notes.txt")
    fill(f"{kestrel}/Plain")
    for here_, _, names in os.walk(kestrel):
        for name in names:
            os.utime(os.path.join(here_, name), (1.7e9, 1.7e9))
    world.cards = [{"path": "kestrel/Stay", "movable": False, "why_not": "the roof hangs on it"}]
    world.drive("pipit", filesystem="exfat", label="Pipit")
    put(world.path("pipit", "Film", "a.mkv"))
    world.write()
    workspace = world.open()
    monkey = workspace.computer.host
    monkey.open_files = lambda: [(f"{kestrel}/Opened/notes.txt", "editor (process 7)")]
    libraries = {library.name: library for library in workspace.survey.take().libraries}
    verdicts = {name: (library.verdict, library.movable) for name, library in libraries.items()}
    assert verdicts == {
        "Stay": (Verdict.UNWISE, False),
        "Plug-ins": (Verdict.UNWISE, False),
        "Twice": (Verdict.IMPOSSIBLE, False),
        "Other": (Verdict.IMPOSSIBLE, False),
        "Fetching": (Verdict.LATER, True),
        "Opened": (Verdict.LATER, True),
        "Plain": (Verdict.FREE, True),
        "Film": (Verdict.FREE, True),
    }
    assert libraries["Stay"].why_not == "the roof hangs on it"
    assert "second name (hard link) outside" in libraries["Twice"].why_not and libraries["Twice"].shared_files == 1
    assert libraries["Opened"].caution == "editor (process 7) has it open"
    assert "exFAT holds no links: choose a tether first" in libraries["Film"].caution
    workspace.survey.keep_cards(Card(path=libraries[name].path, overrule=True) for name in ("Stay", "Twice"))
    judged = {
        name: workspace.survey.with_cards(workspace.survey.latest(), libraries[name].path).library(libraries[name].id)
        for name in ("Stay", "Twice")
    }
    anew = {library.name: library for library in workspace.survey.take().libraries}
    workspace.survey.keep_cards([Card(path=libraries["Opened"].path, overrule=True)])
    later = workspace.survey.with_cards(workspace.survey.latest(), libraries["Opened"].path).library(
        libraries["Opened"].id
    )
    assert later.verdict is Verdict.LATER, "there is nothing to overrule in what may move later"
    for name, movable in (("Stay", True), ("Twice", False)):
        assert anew[name].movable is judged[name].movable is movable
        assert anew[name].verdict is judged[name].verdict


def day(ago: float) -> str:
    return moment_text(time.time() - ago * 86_400)


def test_use_comes_from_evidence_that_is_named_and_the_card_wins():
    now_s = time.time()
    extent = Extent(newest_content_s=now_s - 50 * 86_400, newest_access_s=now_s - 2 * 86_400)
    assert use_of(extent, None, [], [], None).last_used == day(2)
    blind = use_of(extent, None, [], [], "access times are not kept")
    assert blind.last_used == day(50) and "access times are not kept" in blind.source
    recent = RecentFiles([Recent("/a/b/c.txt", now_s - 86_400), Recent("/a/bc/d.txt", now_s)]).below("/a/b")
    assert [file.path for file in recent] == ["/a/b/c.txt"]
    listed = use_of(extent, None, recent, [], "none")
    assert (listed.last_used, listed.opens_per_week) == (day(1), 0.25)
    history = [
        Sighting(day(28), 1, day(80), day(30)),
        Sighting(day(14), 1, day(80), day(15)),
        Sighting(day(7), 1, day(80), day(15)),
    ]
    seen = use_of(extent, None, [], history, None)
    assert seen.opens_per_week == pytest.approx(2 / 4, rel=0.02) and "2 of the last 4 surveys" in seen.source
    use = use_of(extent, Card(path="/a", opens_per_week=9), recent, history, None)
    assert use.opens_per_week == 9 and "your card" in use.source
    assert use_of(Extent(), None, [], [], None).last_used is None


def test_a_card_at_the_old_path_of_a_moved_library_is_found_through_its_link(world):
    put(world.path("heron", "Games", "Kite", "data.pack"), MB)
    os.makedirs(world.path("kestrel", "Games"))
    os.symlink(world.path("heron", "Games", "Kite"), world.path("kestrel", "Games", "Kite"))
    assert [library.kind for library in world.open().survey.take().libraries] == [Kind.GAME], "a folder of links alone"
    put(world.path("kestrel", "Games", "Loom", "data.pack"), MB)
    assert {library.name for library in world.open().survey.take().libraries} == {"Kite", "Loom"}, "links among folders"
    world.cards = [{"path": "kestrel/Games/Kite", "name": "Kite makers", "opens_per_week": 4}]
    world.write()
    library = next(library for library in world.open().survey.take().libraries if library.tether)
    assert (library.name, library.drive, library.bytes, library.opens_per_week) == ("Kite makers", "heron", MB, 4)
    assert library.tether == world.path("kestrel", "Games", "Kite")


def test_a_part_that_a_card_names_is_measured_however_deep_it_lies(world):
    deep = "/".join("abcdefghijklm")
    put(world.path("heron", "Atlas", deep, "tiles", "x.tile"), 3 * MB)
    put(world.path("heron", "Atlas", deep, "rest.dat"), MB)
    world.cards = [{"path": "heron/Atlas", "part": [{"path": f"{deep}/tiles", "kind": "cache"}]}]
    world.write()
    (library,) = world.open().survey.take().libraries
    assert (library.bytes, library.folders, library.parts[0].bytes) == (4 * MB, 15, 3 * MB)


def test_a_world_keeps_its_own_counsel(world):
    assert world.open().computer.host.surroundings() == Surroundings(), "nothing of this computer leaks into a world"


@pytest.mark.parametrize(
    ("values", "expected"),
    [
        ({"DisplayName": "Vane", "InstallLocation": '"C:\\Tools\\Vane\\"'}, ("Vane", "C:\\Tools\\Vane")),
        ({"InstallLocation": "D:\\Games\\Kite"}, ("Kite", "D:\\Games\\Kite")),
        ({"DisplayName": "Part", "InstallLocation": "C:\\x", "SystemComponent": 1}, None),
        ({"DisplayName": "No place", "InstallLocation": None}, None),
        ({}, None),
    ],
)
def test_the_list_of_installed_programs_of_another_system(values, expected):
    program = installed_program(values)
    assert (program and (program.name, program.path)) == expected


def test_an_installed_program_is_better_left_where_it_is(world):
    put(world.path("heron", "Vane", "vane.exe"), MB)
    workspace = world.open()
    program = Program("Vane", world.path("heron", "Vane"), "the system's list of installed programs")
    workspace.computer.host.surroundings = lambda: Surroundings(programs=(program,))
    (library,) = workspace.survey.take().libraries
    assert (library.kind, library.verdict) == (Kind.PROGRAM, Verdict.UNWISE)
    assert library.why_not == "“Vane” is installed here, and its updater expects it here"


def test_a_page_tells_what_a_user_asks_in_order(world):
    root = Path(fill(world.path("heron", "Games", "Kite"), odd=True))
    put(root / "Add-ons" / "more.pack", MB)
    world.drive("pipit", filesystem="ext4", cluster_bytes=65_536)
    world.write()
    workspace = world.open()
    (library,) = workspace.survey.take().libraries
    assert (library.links_in, library.links_out, library.links_broken) == (3, 1, 1)
    lines = dict(library_page(library, workspace.survey.latest()))
    assert list(lines)[:4] == ["path", "looks like", "takes", "largest file"]
    assert lines["looks like"] == "game: it is next to other games in “Games”"
    assert lines["part"] == "Add-ons: game, 1.00 MB in 1 file"
    assert "would take" not in lines, "where lengths count, it takes the same on every drive"
    assert lines["may it move?"].startswith("yes, but not right now")
    sizes = [
        os.lstat(path).st_size
        for path in {os.lstat(p).st_ino: p for p in root.rglob("*") if p.is_file() and not p.is_symlink()}.values()
    ]
    exact = sum(-(-size // 65_536) * 65_536 for size in sizes)
    assert library.room_bytes(65_536) == pytest.approx(exact, rel=0.01)
    folder = workspace.survey.folders_in(library)
    rows = inside_rows(folder)
    assert sum(row.bytes for row in rows) == library.bytes and rows[0].bytes == max(row.bytes for row in rows)
    words = links_in_words(folder, 10)
    assert words[0] == "broken-link → nowhere/at all: leads nowhere"
    assert words[1] == "far-link → /etc/hostname: leads out of it" and len(words) == 5
