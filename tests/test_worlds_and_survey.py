"""Worlds declare drives and keep what they declare; a survey counts everything once and remembers it."""

from __future__ import annotations

import errno
import json
import os
import sqlite3
from dataclasses import replace

import pytest

from conftest import MB, fill
from nuvik.core.hosts.file_contents import Block
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.world import WorldHost
from nuvik.core.model.errors import Refused
from nuvik.core.model.library import Kind, Verdict
from nuvik.core.model.units import format_bytes
from nuvik.core.model.wishes import Wishes
from nuvik.core.store.json_codec import from_json, to_json
from nuvik.core.survey.walk.walk_pool import size_tree
from nuvik.core.views.first_step import first_drive, first_step
from nuvik.core.views.survey_headline import survey_headline


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda text: text.replace("capacity_bytes = 200", "capacity_bytes = -200"), "“capacity_bytes” of drive 1: "),
        (lambda text: text.replace('"heron"', '"kestrel"', 1), "same id"),
        (lambda text: text.replace('medium = "hdd"', 'medium = "tape"'), r"“medium” of drive \d: "),
        (
            lambda text: text.replace('folder = "wren"', 'folder = "../wren"'),
            r"“folder” of drive \d: must be a folder inside",
        ),
        (
            lambda text: text.replace('folder = "wren"', 'folder = "gone"'),
            r"“folder” of drive \d: the folder .*gone is not there",
        ),
        (lambda text: text.replace("nuvik-world/1", "nuvik-world/2"), "newer format"),
        (lambda text: text.replace("nuvik-world/1", "toys/1"), "not a “nuvik-world” file"),
        (lambda text: text + "colour = 'blue'\n", r"“colour” of drive \d: "),
        (lambda text: text + "[[drive\n", "not valid TOML"),
        (lambda text: text.replace('filesystem = "ext4"', 'filesystem = "paper"', 1), "unknown file system"),
    ],
)
def test_a_broken_world_is_refused_with_the_field(world, change, words):
    path = world.folder / "world.toml"
    path.write_text(change(path.read_text()))
    with pytest.raises(Refused, match=words):
        world.open()


def test_a_full_drive_a_large_file_and_a_bad_name_fail_as_on_real_drives(world):
    world.drive("pipit", filesystem="fat32", capacity_bytes=64_000 * MB, usable_bytes=64_000 * MB)
    world.write()
    files = world.open().computer.host.files

    def write(path: str, count: int) -> None:
        writer = files.create(path)
        try:
            writer.put(Block(0, count, None))
            writer.set_length(count)
        finally:
            writer.close()

    for path, count, number in (
        (world.path("kestrel", "big"), 201 * MB, errno.ENOSPC),
        (world.path("pipit", "big"), 2**32, errno.EFBIG),
        (world.path("pipit", "what?"), 1, errno.EINVAL),
    ):
        with pytest.raises(OSError) as fault:
            write(path, count)
        assert fault.value.errno == number
    with pytest.raises(PermissionError):
        files.make_link(world.path("pipit", "link"), "goal", to_folder=False)
    write(world.path("kestrel", "fits"), 150 * MB)
    write_again = world.open().computer.host
    assert write_again.drives()[0].id in ("wren", "kestrel", "pipit")
    assert next(drive for drive in write_again.drives() if drive.id == "kestrel").free_bytes == 50 * MB


def test_the_clock_runs_at_the_declared_speeds(world):
    host = world.open().computer.host
    writer = host.files.create(world.path("heron", "film"))
    writer.put(Block(0, 300 * MB, None))
    writer.set_length(300 * MB)
    writer.flush()
    writer.close()
    assert host.timer_s() == pytest.approx(1.0, rel=0.02)
    for _ in host.files.blocks(world.path("heron", "film")):
        pass
    assert host.timer_s() == pytest.approx(1.0 + 0.75, rel=0.02)


def test_a_drive_that_is_away_is_not_there(world):
    fill(world.path("wren", "Trip"))
    world.attach("wren", False)
    workspace = world.open()
    assert not workspace.computer.host.files.exists(world.path("wren", "Trip"))
    assert [library for library in workspace.survey.take().libraries if library.drive == "wren"] == []
    with pytest.raises(Refused, match="away"):
        workspace.survey.take((world.path("wren", "Trip"),))


def test_a_survey_counts_everything_once(world):
    root = fill(world.path("kestrel", "Games", "Ferrymoss"), odd=True)
    (world.folder / "heron" / "Ferrymoss").symlink_to(root)
    fill(world.path("kestrel", "Photos", "2026"), seed=2)
    fill(world.path("heron", "Loose Things"), seed=3)
    world.cards = [
        {
            "path": "kestrel/Games/Ferrymoss",
            "name": "Ferry [moss]",
            "opens_per_week": 3,
            "part": [{"path": "data", "kind": "cache"}],
        }
    ]
    world.write()
    snapshot = world.open().survey.take()
    photos, ferry, loose = sorted(snapshot.libraries, key=lambda library: library.name)
    assert (ferry.name, ferry.kind, ferry.opens_per_week, ferry.drive) == ("Ferry [moss]", Kind.GAME, 3, "kestrel")
    assert ferry.tether == world.path("heron", "Ferrymoss")
    assert photos.kind is Kind.PHOTO
    assert loose.path == world.path("heron", "Loose Things")
    expected = {}
    for here, _, names in os.walk(os.fsencode(root)):
        for name in names:
            facts = os.lstat(os.path.join(here, name))
            if not os.path.islink(os.path.join(here, name)):
                expected[facts.st_ino] = facts.st_size
    assert ferry.bytes == sum(expected.values())
    assert ferry.largest_file_bytes == max(expected.values())
    assert ferry.parts[0].kind is Kind.CACHE
    assert 0 < ferry.parts[0].bytes < ferry.bytes


def test_snapshots_survive_the_database_and_json_with_any_name(world):
    name = os.fsdecode(b"odd \xff\n[x] \x1b[31m")
    fill(world.path("kestrel", name))
    workspace = world.open()
    snapshot = workspace.survey.take()
    assert workspace.survey.latest().libraries == snapshot.libraries
    assert snapshot.libraries[0].name == name
    assert from_json(type(snapshot), json.loads(json.dumps(to_json(snapshot))), "it") == snapshot


def test_kinds_are_recognised_by_contents(world):
    host = world.open().computer.host
    for folder, ending in (("a", ".mkv"), ("b", ".flac"), ("c", ".iso"), ("d", ".xyz")):
        os.mkdir(world.path("heron", folder))
        with open(world.path("heron", folder, f"thing{ending}"), "wb") as file:
            file.truncate(MB)
    with open(world.path("heron", "d", "CACHEDIR.TAG"), "w") as file:
        file.write("Signature: 8a477f597d28d172789f06886806bc55\n")
    kinds = {os.path.basename(library.path): library.kind for library in world.open().survey.take().libraries}
    assert kinds == {"a": Kind.VIDEO, "b": Kind.SOUND, "c": Kind.DISC_IMAGE, "d": Kind.CACHE}
    assert size_tree(host, host.drives(), world.path("heron", "a")).root.extent.on_disk_bytes == MB, (
        "in a world length counts as size on disk"
    )


def test_the_headline_names_what_matters_most(world):
    root = fill(world.path("kestrel", "Old Pictures"))
    with open(root / "big.jpg", "wb") as file:
        file.truncate(185 * MB)
    for here, _, names in os.walk(root):
        for name in names:
            os.utime(os.path.join(here, name), (1.5e9, 1.5e9))
    workspace = world.open()
    snapshot = workspace.survey.take()
    assert survey_headline(snapshot).startswith("Kestrel is almost full: ")
    (old,) = (library for library in snapshot.libraries if library.name == "Old Pictures")
    step = first_step(snapshot)
    assert step.startswith(f"Moving Old Pictures ({format_bytes(old.on_disk_bytes)}, last used ")
    assert step.endswith(" to Heron would free enough.")

    def but(**changes: object) -> str:
        return first_step(
            replace(snapshot, libraries=tuple(replace(library, **changes) for library in snapshot.libraries))
        )

    assert "Old Pictures" not in but(working_set=True)
    assert but(movable=False, verdict=Verdict.UNWISE, why_not="it is pinned").endswith(" there: it is pinned.")
    full = tuple(replace(drive, used_bytes=drive.usable_bytes) for drive in snapshot.drives)
    assert first_step(replace(snapshot, drives=full)).endswith("no other drive has room for it.")
    alone = tuple(replace(drive, attached=drive.id == "kestrel") for drive in snapshot.drives)
    assert "no other drive" in first_step(replace(snapshot, drives=alone))
    roomy = tuple(replace(drive, used_bytes=0) for drive in snapshot.drives)
    assert first_step(replace(snapshot, drives=roomy)) == ""
    assert first_drive(snapshot).id == "kestrel" and first_drive(replace(snapshot, libraries=())) is None
    half = tuple(replace(drive, used_bytes=drive.usable_bytes // (2 + (drive.id == "heron"))) for drive in roomy)
    assert first_drive(replace(snapshot, drives=half)).id == "kestrel"


def test_this_computer_lists_real_drives():
    host = LocalHost()
    drives = host.drives()
    assert any(drive.path == "/" or drive.system for drive in drives)
    assert all(0 < drive.usable_bytes <= drive.capacity_bytes and drive.speed_source == "typical" for drive in drives)
    assert host.why_protected("/usr/lib") and host.why_protected(os.path.expanduser("~")) and host.why_protected("/")


def test_a_database_of_a_newer_nuvik_is_refused(world):
    workspace = world.open()
    with sqlite3.connect(workspace.computer.database.path) as connection:
        connection.execute("PRAGMA user_version = 99")
    with pytest.raises(Refused, match="newer Nuvik"):
        world.open()


def test_a_drive_that_is_forgotten_since_the_survey_is_away_and_nothing_fails(world, monkeypatch):
    """A drive whose file system has no identity is not known again by itself."""
    for drive in ("kestrel", "heron", "wren"):
        fill(world.path(drive, "Games", f"On {drive}"))
    known = WorldHost.drives
    monkeypatch.setattr(WorldHost, "drives", lambda host: tuple(replace(drive, identity="") for drive in known(host)))
    world.open().survey.take()
    world.data["drive"] = [drive for drive in world.data["drive"] if drive["id"] != "wren"]
    world.write()
    workspace = world.open()
    latest = workspace.survey.latest()
    assert {drive.id: drive.attached for drive in latest.drives} == {"kestrel": True, "heron": True, "wren": False}
    assert "On wren" in {library.name for library in latest.libraries}
    recommended = workspace.plan.recommend(Wishes())
    assert not any(load.library.drive == "wren" for load in recommended.draft.loads)
    workspace.plan.draft([(world.path("kestrel", "Games", "On kestrel"), "heron")])
    with pytest.raises(Refused):
        workspace.plan.draft([(world.path("wren", "Games", "On wren"), "heron")])
    assert {library.drive for library in workspace.survey.take().libraries} == {"kestrel", "heron"}
