"""What a folder is taken for and why, whether it may move, how it is used, and what the user says of it."""

from __future__ import annotations

import os
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import MB, fill
from nuvik.core.cards_file import cards_text, read_cards_file
from nuvik.core.hosts import surroundings as here
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.surroundings import menu_entry, recent_files
from nuvik.core.model.clock import moment_text
from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.extent import Extent
from nuvik.core.model.history import Sighting
from nuvik.core.model.library import Card, Kind, Part, Verdict
from nuvik.core.model.surroundings import Recent, Surroundings
from nuvik.core.survey.card_wishes import card_with
from nuvik.core.survey.take import survey
from nuvik.core.survey.usage import RecentFiles, use_of


def put(path: str | Path, count_bytes: int = 10, mode: int = 0o644) -> Path:
    path = Path(path)
    path.parent.mkdir(parents=True, exist_ok=True)
    with open(path, "wb") as file:
        file.truncate(count_bytes)
    path.chmod(mode)
    return path


def found(world) -> dict:
    return {one.name: one for one in world.open().survey().libraries}


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
    libraries = found(world)
    kinds = {name: one.kind for name, one in libraries.items()}
    assert kinds == {
        "Kite": Kind.GAME, "Tide": Kind.GAME, "Loom": Kind.GAME, "Mosaic": Kind.PROJECT, ".quiet-cache": Kind.CACHE,
        "Marked": Kind.CACHE, "Stacker": Kind.PROGRAM, "Copies": Kind.BACKUP, "Bundle.app": Kind.PROGRAM,
        "Old Backup": Kind.BACKUP, "Mixed": Kind.OTHER,
    }  # fmt: skip
    assert libraries["Kite"].why == "3 folders, each with a program and one large data file: games"
    assert libraries[".quiet-cache"].hidden and "hidden" in libraries[".quiet-cache"].why
    assert {part.name: part.kind for part in libraries["Mosaic"].parts} == {
        "Media": Kind.VIDEO, "Cache": Kind.CACHE, "Backups": Kind.BACKUP}  # fmt: skip
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
    put(home / "opt" / "vane" / "bin" / "vane", mode=0o755)
    put(home / "loose film.mkv", 20 * MB)
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
    snapshot = survey(host, (str(home),))
    libraries = {one.name: one for one in snapshot.libraries}
    assert (libraries["2025"].kind, libraries["2026"].kind) == (Kind.PHOTO, Kind.PHOTO), "one title a folder"
    assert libraries["viewer"].kind is Kind.CACHE and libraries["viewer"].hidden
    assert libraries["opt"].kind is Kind.PROGRAM and "menu entry starts “Vane”" in libraries["opt"].why
    assert ".config" not in libraries and ".cache" not in libraries
    assert libraries["Notes"].opens_per_week == 0.5
    assert "2 days in 4 weeks, by the list of recent files" in libraries["Notes"].use_source
    loose = {os.path.basename(one.path) for one in snapshot.large_files if one.library is None}
    assert loose == {"loose film.mkv"}
    total = sum(one.bytes for one in (*snapshot.libraries, *snapshot.loose))
    assert total == sum(path.stat().st_size for path in home.rglob("*") if path.is_file()), "everything counts once"


@given(st.text(max_size=300))
def test_menu_entries_and_recent_lists_may_hold_anything(text):
    menu_entry(text)
    menu_entry("[Desktop Entry]\nExec=" + text)
    assert all(os.path.isabs(one.path) and one.used_s > 0 for one in recent_files(text))
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
    monkey = workspace.host
    monkey.open_files = lambda: [(f"{kestrel}/Opened/notes.txt", "editor (process 7)")]
    libraries = {one.name: one for one in workspace.survey().libraries}
    verdicts = {name: (one.verdict, one.movable) for name, one in libraries.items()}
    assert verdicts == {
        "Stay": (Verdict.UNWISE, False), "Plug-ins": (Verdict.UNWISE, False), "Twice": (Verdict.IMPOSSIBLE, False),
        "Other": (Verdict.IMPOSSIBLE, False), "Fetching": (Verdict.LATER, True), "Opened": (Verdict.LATER, True),
        "Plain": (Verdict.FREE, True), "Film": (Verdict.IMPOSSIBLE, False),
    }  # fmt: skip
    assert libraries["Stay"].why_not == "the roof hangs on it"
    assert "second name (hard link) outside" in libraries["Twice"].why_not and libraries["Twice"].shared_files == 1
    assert libraries["Opened"].caution == "it is open in editor (process 7)"
    assert "exFAT cannot hold the link" in libraries["Film"].why_not
    workspace.tell(*(Card(path=libraries[name].path, overrule=True) for name in ("Stay", "Twice")))
    told = {name: workspace.retold(workspace.snapshot(), libraries[name].path).library(libraries[name].id)
            for name in ("Stay", "Twice")}  # fmt: skip
    anew = {one.name: one for one in workspace.survey().libraries}
    for name, movable in (("Stay", True), ("Twice", False)):
        assert anew[name].movable is told[name].movable is movable
        assert anew[name].verdict is told[name].verdict


def test_cards_correct_what_was_found_and_are_remembered(world):
    base = world.path("heron")
    put(f"{base}/Shelf/One/a.mkv", MB)
    put(f"{base}/Shelf/Two/b.flac", MB)
    put(f"{base}/Shelf/loose.txt", MB)
    put(f"{base}/Junk/a", MB)
    put(f"{base}/Videos/x/a.mkv", MB)
    put(f"{base}/Videos/y/b.mkv", MB)
    assert set(found(world)) == {"Shelf", "Junk", "x", "y"}
    workspace = world.open()
    workspace.tell(
        Card(path=f"{base}/Shelf", titles=True), Card(path=f"{base}/Junk", ignored=True),
        Card(path=f"{base}/Videos", name="All films", parts=(Part(name="x", kind=Kind.VIDEO, path="x"),)),
    )  # fmt: skip
    snapshot = world.open().survey()
    assert {one.name for one in snapshot.libraries} == {"One", "Two", "All films"}, "split, ignored and merged"
    merged = next(one for one in snapshot.libraries if one.name == "All films")
    assert (merged.bytes, [part.bytes for part in merged.parts]) == (2 * MB, [MB])
    assert {os.path.basename(one.path): one.bytes for one in snapshot.loose} == {"Shelf": MB, "Junk": MB}
    world.data["drive"][1]["folder"] = "moved"
    os.rename(base, world.path("moved"))
    world.write()
    assert {one.name for one in world.open().survey().libraries} == {"One", "Two", "All films"}, (
        "at another mount point"
    )
    workspace = world.open()
    shelf = [one for one in workspace.snapshot().libraries if one.name in ("One", "Two")]
    with pytest.raises(Refused, match="root of Heron"):
        workspace.make_one([one for one in workspace.snapshot().libraries if one.name == "All films"])
    assert workspace.make_one(shelf) == world.path("moved", "Shelf")
    assert {one.name: one.bytes for one in workspace.survey().libraries} == {"Shelf": 3 * MB, "All films": 2 * MB}
    workspace.tell(Card(path=world.path("moved", "Junk")))
    assert "Junk" in {one.name for one in workspace.survey().libraries}, "an empty card is struck out"


TOLD = st.builds(
    Card, path=st.lists(st.text("abc é[]'\"#", min_size=1, max_size=9).filter(lambda x: x.strip(". ")), min_size=1,
                        max_size=3).map(lambda names: os.path.normpath("/" + "/".join(names))),
    name=st.none() | st.text(min_size=1, max_size=20).filter(str.isprintable), kind=st.none() | st.sampled_from(Kind),
    opens_per_week=st.none() | st.floats(0, 1000), pinned=st.booleans(), movable=st.booleans(), overrule=st.booleans(),
    ignored=st.booleans(), titles=st.booleans(), working_set=st.booleans(),
    needs_read_bytes_per_s=st.none() | st.integers(1, 10**12),
    parts=st.lists(st.builds(Part, name=st.just("p"), kind=st.sampled_from(Kind), path=st.sampled_from(["p", "q/r"])),
                   max_size=2).map(tuple),
)  # fmt: skip


@given(cards=st.lists(TOLD, max_size=5, unique_by=lambda card: card.path))
def test_cards_survive_their_file(tmp_path_factory, cards):
    path = tmp_path_factory.getbasetemp() / "cards-there-and-back.toml"
    path.write_text(cards_text(cards), encoding="utf-8")
    assert set(read_cards_file(str(path), "/")) == set(cards)


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("kind = 'toy'", r"line 4: “library.kind”: .*'game'.*'other'"),
        ("opens_per_week = -1", r"line 4: “library.opens_per_week”: .*greater than or equal to 0"),
        ("opens_per_week = 'often'", r"line 4: “library.opens_per_week”: .*valid number"),
        ("pined = true", r"line 4: “library.pined”: .*not permitted"),
        ("part = [{path = '../out'}]", r"line 4: .*must be a folder inside"),
        ("[[library]]\npath = '/a/b'", r"line 5: a second card for /a/b"),
        ("name = ", "not valid TOML"),
    ],
)
def test_a_card_file_with_errors_says_line_field_and_what_is_allowed(tmp_path, line, said):
    path = tmp_path / "cards.toml"
    path.write_text(f"format = 'nuvik-cards/1'\n[[library]]\npath = '/a/b'\n{line}\n")
    with pytest.raises(Refused, match=said):
        read_cards_file(str(path), "/")


@pytest.mark.parametrize(("field", "text"), [
    ("kind", "toy"), ("opens", "-3"), ("opens", "nan"), ("needs", "0"), ("needs", "fast"), ("name", "a\x1b[31m"),
    ("name", "x" * 201), ("parts", "Cache"), ("parts", "../out=cache"), ("parts", "Cache=toy"), ("parts", ".=cache"),
])  # fmt: skip
def test_what_is_typed_on_a_card_is_checked(field, text):
    fields = {"name": "", "kind": "", "opens": "", "needs": "", "parts": "", field: text}
    with pytest.raises(BadInput):
        card_with(Card(path="/a"), **fields)


def day(ago: float) -> str:
    return moment_text(time.time() - ago * 86_400)


def test_use_comes_from_evidence_that_is_named_and_the_card_wins():
    now_s = time.time()
    extent = Extent(newest_content_s=now_s - 50 * 86_400, newest_access_s=now_s - 2 * 86_400)
    assert use_of(extent, None, [], [], None).last_used == day(2)
    blind = use_of(extent, None, [], [], "access times are not kept")
    assert blind.last_used == day(50) and "access times are not kept" in blind.source
    recent = RecentFiles([Recent("/a/b/c.txt", now_s - 86_400), Recent("/a/bc/d.txt", now_s)]).below("/a/b")
    assert [one.path for one in recent] == ["/a/b/c.txt"]
    listed = use_of(extent, None, recent, [], "none")
    assert (listed.last_used, listed.opens_per_week) == (day(1), 0.25)
    history = [Sighting(day(28), 1, day(80), day(30)), Sighting(day(14), 1, day(80), day(15)),
               Sighting(day(7), 1, day(80), day(15))]  # fmt: skip
    seen = use_of(extent, None, [], history, None)
    assert seen.opens_per_week == pytest.approx(2 / 4, rel=0.02) and "2 of the last 4 surveys" in seen.source
    told = use_of(extent, Card(path="/a", opens_per_week=9), recent, history, None)
    assert told.opens_per_week == 9 and "your card" in told.source
    assert use_of(Extent(), None, [], [], None).last_used is None


def test_a_card_at_the_old_path_of_a_moved_library_is_found_through_its_link(world):
    put(world.path("heron", "Games", "Kite", "data.pack"), MB)
    os.makedirs(world.path("kestrel", "Games"))
    os.symlink(world.path("heron", "Games", "Kite"), world.path("kestrel", "Games", "Kite"))
    world.cards = [{"path": "kestrel/Games/Kite", "name": "Kite makers", "opens_per_week": 4}]
    world.write()
    (library,) = world.open().survey().libraries
    assert (library.name, library.drive, library.bytes, library.opens_per_week) == ("Kite makers", "heron", MB, 4)
    assert library.tether == world.path("kestrel", "Games", "Kite")


def test_a_world_keeps_its_own_counsel(world):
    assert world.open().host.surroundings() == Surroundings(), "nothing of this computer leaks into a world"
