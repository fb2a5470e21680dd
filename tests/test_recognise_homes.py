"""What a survey recognises in made-up homes, without a single card, and rules that hold for any tree."""

from __future__ import annotations

import json
import os
import random
import time
from pathlib import Path

import pytest
from homes.build import Builder, Places
from homes.people import PEOPLE, everyday
from homes.score import score
from homes.strangers import STRANGERS
from homes.words import LANGUAGES
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from conftest import GB, MB, World, a_drive, a_world, put
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.surroundings import surroundings_of
from nuvik.core.hosts.world import WorldHost
from nuvik.core.model.library import Card, Kind, Verdict
from nuvik.core.model.paths import is_within, parents
from nuvik.core.model.surroundings import Surroundings
from nuvik.core.planning.drafting.library_parts import separable
from nuvik.core.survey.recognise.manifests import named_by_manifests
from nuvik.core.survey.take_survey import judged
from nuvik.core.survey.walk.walk_pool import size_trees

EVERYBODY = {**PEOPLE, **STRANGERS}


@pytest.mark.parametrize(("person", "language"), list(zip(EVERYBODY, ["de", "fr", "en", "es", "de"] * 2, strict=True)))
def test_a_home_is_recognised_without_cards(world, monkeypatch, person, language):
    """At its true sizes: the files are holes, and in a world lengths count."""
    world.data["small_share"] = 0.0005
    for drive in world.data["drive"]:
        drive.update(capacity_bytes=1_000 * GB, usable_bytes=1_000 * GB)
    world.write()
    places = Places(world.path("kestrel", "home", "ada"), world.path("heron"), world.path("wren"))
    home = Builder(places, 1.0, time.time(), random.Random(person), holes=True)
    everyday(home, LANGUAGES[language])
    EVERYBODY[person](home, LANGUAGES[language])
    monkeypatch.setenv("HOME", places.home)
    for name in [name for name in os.environ if name.startswith("XDG_")]:
        monkeypatch.delenv(name)
    workspace = world.open()
    host, about = workspace.computer.host, surroundings_of(places.home)
    monkeypatch.setattr(host, "surroundings", lambda: about)
    others = places.home + "-2"
    monkeypatch.setattr(host, "why_not_yours", lambda path: "it is another's" if is_within(path, others) else None)
    result = score(home, workspace.survey.take().libraries, lambda path: GB // 2)
    assert not result.faults, "movable, although it must not be"
    least = 0.95 if person in PEOPLE else 0.9
    assert min(result.recall, result.precision) >= least and result.kind_share >= 0.9, result.remarks
    assert result.wanted >= 4


# -- any tree ----------------------------------------------------------------------------------------------

NAMES = st.sampled_from(
    ["Games", "Kite", "data", "bin", "Bilder", ".git", "Cache", "2024-01-02", "common", "x", ".config"]
)
FILES = st.sampled_from([("run", 0o755), ("a.mkv", 0o644), ("b.jpg", 0o644), ("pack.bin", 0o644), ("c.so", 0o644)])
TREES = st.lists(st.tuples(st.lists(NAMES, max_size=5), FILES, st.integers(0, 90)), min_size=1, max_size=25)


@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
@example(files=[(["Games"], ("run", 0o755), 17), (["Games", "Games"], ("run", 0o755), 17)], small=0.0)
@given(files=TREES, small=st.sampled_from([0.0, 0.001, 0.05]))
def test_nothing_counts_twice_and_nothing_is_lost(tmp_path_factory, files, small):
    world = a_world(tmp_path_factory.mktemp("any"), kestrel={})
    world.write(small_share=small)
    total = 0
    for folders, (name, mode), size in files:
        path = Path(world.path("kestrel"), *folders, name)
        if not path.exists() and not any(parent.is_file() for parent in path.parents):
            put(path, size * MB, mode)
            total += size * MB
    snapshot = world.open().survey.take()
    again = world.open().survey.take()
    assert [library.path for library in again.libraries] == [library.path for library in snapshot.libraries]
    paths = {library.path for library in snapshot.libraries}
    assert not any(above in paths for path in paths for above in parents(path)), "one lies in another"
    counted = sum(library.on_disk_bytes for library in snapshot.libraries)
    assert counted + sum(folder.bytes for folder in snapshot.loose) == total
    assert sum(small.bytes for small in snapshot.small_things) == sum(
        folder.bytes for folder in snapshot.loose if folder.small
    )
    least = world.open().drives.all()[0].usable_bytes * small
    assert all(folder.bytes < least for folder in snapshot.loose if folder.small)
    assert all(library.on_disk_bytes >= int(least) for library in snapshot.libraries)
    assert len({library.name.casefold() for library in snapshot.libraries}) == len(paths), "two cannot be told apart"


def kinds(world: World) -> dict[str, Kind]:
    root = world.path("heron")
    return {os.path.relpath(library.path, root): library.kind for library in world.open().survey.take().libraries}


def test_a_single_file_a_disk_image_by_its_first_bytes_and_a_home_of_another_computer(world):
    base = world.path("heron")
    for path, begins in (("Boxes/old/disk0", b"QFI\xfb"), ("Stuff/install.iso", b""), ("Stuff/notes.txt", b"")):
        put(f"{base}/{path}", 40 * MB)
        with open(f"{base}/{path}", "r+b") as file:
            file.write(begins)
    for name in ("Desktop", "Pictures", "Music"):
        put(f"{base}/From before/{name}/a.jpg", 5 * MB)
    alone = {"Boxes/old": Kind.DISC_IMAGE, "Stuff/install.iso": Kind.DISC_IMAGE, "From before": Kind.BACKUP}
    assert kinds(world) == alone
    put(f"{base}/Stuff/films/a.mkv", 60 * MB)
    put(f"{base}/Stuff/songs/a.flac", 60 * MB)
    by_name = kinds(world)
    assert by_name["Stuff/install.iso"] is Kind.DISC_IMAGE, "a file among other things"
    assert by_name["Stuff/films"] is Kind.VIDEO and by_name["Stuff/songs"] is Kind.SOUND
    image = next(library for library in world.open().survey.take().libraries if library.name == "install.iso")
    assert (image.files, image.folders, image.bytes) == (1, 0, 40 * MB)


def test_a_program_keeps_its_place_and_its_games_do_not(world):
    from nuvik.core.model.surroundings import Surroundings

    base = world.path("heron")
    place = f"{base}/home/share/client"
    for title in ("Kite", "Tide", "Loom"):
        put(f"{place}/titles/{title}/start", MB, mode=0o755)
        put(f"{place}/titles/{title}/data.pack", 400 * MB)
    put(f"{place}/engine/run", 5 * MB, mode=0o755)
    put(f"{place}/engine/core.so", 90 * MB)
    put(f"{base}/home/share/Trash/files/old.mkv", 70 * MB)
    workspace = world.open()
    about = Surroundings(home=f"{base}/home", containers=frozenset([f"{base}/home/share"]))
    workspace.computer.host.surroundings = lambda: about
    verdicts = {library.name: (library.kind, library.verdict) for library in workspace.survey.take().libraries}
    assert verdicts["Kite"][0] is Kind.GAME and verdicts["Kite"][1] is not Verdict.UNWISE
    assert verdicts["engine"] == (Kind.PROGRAM, Verdict.UNWISE)
    assert verdicts["Trash"][1] is Verdict.UNWISE
    assert not any(is_within(place, library.path) for library in workspace.survey.latest().libraries)


ONE_EACH = {
    "quoted": '"Entry"\n{\n "name" "%s"\n "folder" "%s"\n}\n',
    "json": '{"name": "%s", "at": {"path": "/old/%s"}}',
}
ONE_FOR_ALL = {
    "ini": "[entry]\ntitle = %s\ninstalled = C:\\Play\\%s\n",
    "xml": "<g><title>%s</title><dir>%s</dir></g>\n",
}


@pytest.mark.parametrize("notation", [*ONE_EACH, *ONE_FOR_ALL])
def test_a_manifest_beside_a_shelf_names_its_titles(world, notation):
    """Also one that would be taken for something else; no format is known, only what pairs look like."""
    base = world.path("heron", "client")
    titles = {"kite": "Kite + Kin", "tide": "Tide: Gold", "loom7": "Loom", "oddity": "An Oddity"}
    for folder in (*titles, "shared runtime"):
        put(f"{base}/common/{folder}/start", MB, mode=0o755)
        put(f"{base}/common/{folder}/data.pack", 400 * MB)
    os.rename(f"{base}/common/oddity/data.pack", f"{base}/common/oddity/film.mkv")
    os.rename(f"{base}/common/shared runtime/data.pack", f"{base}/common/shared runtime/core.so")
    if notation in ONE_EACH:
        texts = {f"{folder}.{notation}": ONE_EACH[notation] % (titles[folder], folder) for folder in titles}
    else:
        text = "".join(ONE_FOR_ALL[notation] % (title, folder) for folder, title in titles.items())
        texts = {f"all.{notation}": f"<all>{text}</all>" if notation == "xml" else text}
    for name, text in texts.items():
        Path(base, name).write_text(text)
    Path(base, "broken.json").write_text("{" * 60_000)
    Path(base, "binary.entry").write_bytes(b"\xff\0" * 100)
    libraries = {library.name: library for library in world.open().survey.take().libraries}
    assert {name for name, library in libraries.items() if library.kind is Kind.GAME} == set(titles.values())
    assert libraries["shared runtime"].kind is Kind.PROGRAM
    assert libraries["An Oddity"].why.endswith("names it as “An Oddity”")


def test_what_a_project_can_make_anew_is_marked_and_stays_with_it(world):
    base = world.path("heron", "reef")
    put(f"{base}/.git/HEAD")
    for path, size in {
        "src/a.c": 40,
        "web/node_modules/x/node_modules/y.js": 30,
        "build/o.o": 20,
        "tools/env-of-mine/lib/n.so": 9,
        "far/far/far/away/build/z.o": 9,
        "docs/build": 5,
        ".git/target/pack": 30,
    }.items():
        put(f"{base}/{path}", size * MB)
    put(f"{base}/tools/env-of-mine/pyvenv.cfg")
    (project,) = world.open().survey.take().libraries
    rebuilt = {part.path: part.bytes // MB for part in project.parts if part.rebuildable}
    assert project.kind is Kind.PROJECT
    assert rebuilt == {"web/node_modules": 30, "build": 20, "tools/env-of-mine": 9}
    assert not separable(project), "they go where their project goes"


def test_mixed_folders_are_one_library_with_parts(world):
    base = world.path("heron")
    for path, size in {
        "Studio/Songs/Low Sun/track.wav": 40,
        "Studio/Samples/Felt/note.flac": 60,
        "Studio/Plug-Ins/synth.so": 5,
        "Card/DCIM/100/a.jpg": 30,
        "Card/PRIVATE/STREAM/b.mts": 20,
    }.items():
        put(f"{base}/{path}", size * MB)
    libraries = {library.name: library for library in world.open().survey.take().libraries}
    assert set(libraries) == {"Studio", "Card"} and libraries["Card"].kind is Kind.PHOTO
    assert {part.path: part.stays for part in libraries["Studio"].parts} == {
        "Songs": False,
        "Samples": False,
        "Plug-Ins": True,
    }
    assert [part.path for part in libraries["Card"].parts] == ["DCIM"]


@pytest.mark.parametrize("is_home", [True, False], ids=["home", "drive"])
def test_files_that_speak_of_folders_beside_games_make_no_games_of_them(world, monkeypatch, is_home):
    """A list of commands, a bookmark file, a drawing, a document of Nuvik's own."""
    base = Path(world.path("heron", *(["home", "ada"] if is_home else [])))
    if is_home:
        monkeypatch.setattr(WorldHost, "surroundings", lambda host: Surroundings(home=str(base)))
    for title in ("Kite", "Loom"):
        put(base / "Games" / title / "start.x86_64", 9 * MB, mode=0o755)
        put(base / "Games" / title / "data.pack", 400 * MB)
    games = {"Kite", "Loom"}
    if is_home:  # it stays a home though more games than anything else lie in it
        games |= {"Comet", "Tide"}
        for title in ("Comet", "Tide"):
            put(base / title / "start.x86_64", 9 * MB, mode=0o755)
            put(base / title / "data.pack", 400 * MB)
    for n in range(4):
        put(base / "Films" / f"Evening {n}.mkv", 300 * MB)
        put(base / "Recordings" / f"Walk {n}.flac", 100 * MB)
    for name, text in (
        (".history", "cd Films\nls Recordings\n"),
        ("marks.json", json.dumps([{"name": name, "path": str(base / name)} for name in ("Films", "Recordings")])),
        ("drives.svg", "<svg><text>Films</text><g id='Recordings'/></svg>"),
        ("survey.json", json.dumps({"format": "nuvik-survey/1", "libraries": [{"name": "Films"}]})),
    ):
        (base / name).write_text(text)
    kinds = {library.name: library.kind for library in world.open().survey.take().libraries}
    assert kinds == {**dict.fromkeys(games, Kind.GAME), "Films": Kind.VIDEO, "Recordings": Kind.SOUND}


def test_a_drive_that_is_mounted_in_a_library_is_a_drive_of_its_own(tmp_path, monkeypatch):
    """What lies on it is no part of the library around it, and everything on it is seen."""
    outer, inner = tmp_path / "system", tmp_path / "system" / "Images" / "mounted"
    for n in range(6):
        put(outer / "Images" / f"disc-{n}.iso").write_bytes(os.urandom(MB))
        put(inner / "Films" / f"Evening {n}.mkv").write_bytes(os.urandom(MB))
    put(inner / "alone.dat").write_bytes(os.urandom(17 * MB))
    put(inner / "notes" / "a.txt").write_text("a few words")
    for path in outer.rglob("*"):
        os.utime(path, (1.7e9, 1.7e9))
    drives = tuple(
        a_drive(id=path.name, label=path.name, path=str(path), usable_bytes=900 * MB) for path in (outer, inner)
    )
    points = (str(outer), str(inner))
    monkeypatch.setattr(LocalHost, "mount_points", lambda host: points)
    monkeypatch.setattr(LocalHost, "why_protected", lambda host, path: None)
    host = LocalHost()
    snapshot = judged(host, drives, size_trees(host, drives, [str(outer), str(inner)]))
    assert {library.name: library.drive for library in snapshot.libraries} == {"Images": "system", "Films": "mounted"}
    assert {folder.path: folder.drive for folder in snapshot.loose} == {
        str(inner): "mounted",
        str(inner / "notes"): "mounted",
    }
    assert [(file.path, file.library) for file in snapshot.large_files] == [(str(inner / "alone.dat"), None)]


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("commands", "cd Films\nls Films\n"),
        ("drives.svg", "<svg><text>Films</text></svg>"),
        ("survey.json", json.dumps({"format": "nuvik-survey/1", "libraries": [{"name": "Films"}]})),
    ],
)
def test_what_only_mentions_a_folder_is_no_manifest(tmp_path, name, text):
    put(tmp_path / "shelf" / "Films" / "a.bin", 10)
    (tmp_path / "shelf" / name).write_text(text)
    assert named_by_manifests(LocalHost(), str(tmp_path / "shelf"), ["Films"]) == {}
    (tmp_path / "shelf" / "entry").write_text('"name"  "Films"\n')
    assert named_by_manifests(LocalHost(), str(tmp_path / "shelf"), ["Films"])["Films"].file == "entry"


def test_a_small_folder_is_a_library_by_its_card_and_its_links_are_followed(world):
    world.data["small_share"] = 0.2
    for drive in world.data["drive"]:
        drive.update(capacity_bytes=1_000 * MB, usable_bytes=1_000 * MB)
    world.write()
    tiny, ways = world.path("kestrel", "Tiny"), Path(world.path("kestrel", "Ways"))
    put(os.path.join(tiny, "deep", "deeper", "a.bin"))
    put(ways / "deep" / "deeper" / "a.bin")
    goal = put(world.path("heron", "Films", "Harbour", "film.mkv"), 100 * MB).parent
    (ways / "harbour").symlink_to(goal)
    stage = world.open().survey
    stage.keep_cards([Card(path=tiny, name="Tiny")])
    assert {tiny, str(goal)} <= {library.path for library in stage.take().libraries}
