"""A quick survey comes to what a full one comes to, whatever happened since; and what it cannot see, it walks whole."""

from __future__ import annotations

import os
import random
import shutil
import time
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import MB, fill, put
from nuvik.core.hosts.local import LocalHost
from nuvik.core.model.progress import Stop
from nuvik.core.stages.workspace import open_workspace
from nuvik.core.survey.walk import folder_stamps, kept_trees, quick_walk, walk_slice
from nuvik.core.survey.walk.folder_tree import Tree
from nuvik.core.survey.walk.kept_trees import keep_walked, kept_walked
from nuvik.core.survey.walk.quick_walk import WalkedTree, quick_trees
from nuvik.core.survey.walk.walk_pool import size_trees

OLD = (1.6e9, 1.6e9)


@pytest.fixture
def settled(monkeypatch) -> None:
    """As if every folder had been let alone for a while before it was surveyed."""
    monkeypatch.setattr(folder_stamps, "_UNSETTLED_NS", 0)


def picture_of(tree: Tree) -> dict:
    """All that a tree knows of each folder, but for when files were read last."""
    return {
        path: (
            replace(folder.extent, newest_access_s=None),
            dict(sorted(folder.extensions.items())),
            dict(sorted(folder.histogram.items())),
            sorted((link.path, link.goal) for link in folder.links),
            sorted((file.path, file.bytes) for file in folder.big_files),
            folder.shared,
            sorted(folder.problems),
        )
        for path, folder in tree.folders.items()
        if folder.own.folders
    }


def a_tree(root: Path, chance: random.Random) -> None:
    folders = [root]
    for number in range(60):
        above = chance.choice(folders)
        folders.append(above / f"folder-{number}")
        folders[-1].mkdir()
    deep = root / Path(*(f"d{n}" for n in range(12)))
    deep.mkdir(parents=True)
    for number in range(200):
        put(chance.choice([*folders, deep]) / f"file-{number}.{chance.choice(('jpg', 'bin', 'txt'))}", number * 50)
    with open(root / "large.img", "wb") as file:
        file.truncate(40 * MB)
    os.link(root / "large.img", folders[5] / "second.img")
    for path in root.rglob("*"):
        os.utime(path, OLD)


class Changes:
    """Something happens to a tree: one of what people and programs do."""

    def __init__(self, root: Path, chance: random.Random) -> None:
        self.root, self.chance = root, chance
        self.count = 0

    def folder(self) -> Path:
        return self.chance.choice([path for path in self.root.rglob("*") if path.is_dir() and not path.is_symlink()])

    def file(self) -> Path:
        return self.chance.choice([path for path in self.root.rglob("*") if path.is_file() and not path.is_symlink()])

    def happen(self) -> None:
        self.count += 1
        folder, file, other = self.folder(), self.file(), self.folder()
        name = f"new-{self.count}"
        apart = other not in (folder, *folder.parents) and folder not in other.parents
        match self.chance.randrange(10):
            case 0:
                put(folder / f"{name}.jpg", 700)
            case 1:
                file.unlink()
            case 2:
                (folder / name / "inner").mkdir(parents=True)
                put(folder / name / "inner" / "x.txt", 10)
            case 3 if apart and folder != self.root:
                folder.rename(other / name)
            case 4 if apart:
                folder.rename(self.root / name), other.rename(folder), (self.root / name).rename(other)
            case 5 if len(list(folder.rglob("*"))) < 12:
                shutil.rmtree(folder)
            case 6:
                os.symlink(file, folder / name)
            case 7 if self.chance.random() < 0.1:
                os.link(file, folder / name)
            case 8:
                with open(self.root / "large.img", "ab") as grows:
                    grows.truncate(40 * MB + self.count)
            case 9:
                file.rename(folder / f"{name}.bin")
            case _:
                put(folder / name, 5)


@pytest.mark.parametrize("seed", range(6))
def test_a_quick_survey_equals_a_full_one(tmp_path, settled, seed):
    root, chance = tmp_path / "tree", random.Random(seed)
    root.mkdir()
    a_tree(root, chance)
    workspace = open_workspace(None, str(tmp_path / "state"))
    host, drives = workspace.computer.host, workspace.computer.drives()
    kept, homes = [str(root / "d0" / "d1")], [str(root / "folder-1")]
    (full,) = size_trees(host, drives, [str(root)], kept, homes=homes)
    changes, quick = Changes(root, chance), 0
    for _ in range(5):
        keep_walked(str(tmp_path), [WalkedTree.of(full)])
        time.sleep(0.02)
        for _ in range(20):
            changes.happen()
        trees, whole, again = quick_trees(host, drives, [str(root)], kept, homes, kept_walked(str(tmp_path)), Stop())
        (full,) = size_trees(host, drives, [str(root)], kept, homes=homes)
        assert whole or picture_of(trees[0]) == picture_of(full)
        assert whole or again.walked < again.folders
        quick += not whole
    assert quick >= 2, "most of it is seen without walking all"
    deep = [str(root / Path(*(f"d{n}" for n in range(12))))]
    trees, whole, again = quick_trees(host, drives, [str(root)], deep, homes, kept_walked(str(tmp_path)), Stop())
    assert whole == [str(root)], "other rules are another walk"


def _swap(root: Path) -> None:
    for path, to in (("a/x", "a/held"), ("b/x", "a/x"), ("a/held", "b/x")):
        (root / path).rename(root / to)


def _lead_elsewhere(root: Path) -> None:
    shutil.rmtree(root / "c")
    (root / "c").symlink_to(root / "a")


@pytest.mark.parametrize(
    ("act", "whole"),
    [
        (lambda root: os.truncate(root / "quiet" / "large.img", 41 * MB), False),
        (lambda root: (root / "b" / "second.bin").unlink(), False),
        (lambda root: os.link(root / "a" / "plain.bin", root / "b" / "another.bin"), True),
        (lambda root: os.link(root / "a" / "first.bin", root / "b" / "third.bin"), False),
        (_lead_elsewhere, False),
        (lambda root: shutil.rmtree(root / "c"), False),
        (_swap, False),
    ],
)
def test_each_change_is_seen_where_all_else_is_quiet(tmp_path, settled, monkeypatch, act, whole):
    root = tmp_path / "tree"
    for name in ("a/plain.bin", "a/first.bin", "a/x/in-a.bin", "b/x/in-b.bin", "b/x/more.bin", "c/d/e.bin"):
        put(root / name, 900)
    for n in range(9):
        put(root / f"more-{n}" / "a.bin", 10)
    put(root / "quiet" / "large.img", 0)
    os.truncate(root / "quiet" / "large.img", 40 * MB)
    os.link(root / "a" / "first.bin", root / "b" / "second.bin")
    for path in root.rglob("*"):
        os.utime(path, OLD)
    if act is _swap:  # a file system that does not stamp what is moved
        monkeypatch.setattr(quick_walk, "stamp_of", lambda facts: 7)
        monkeypatch.setattr(walk_slice, "settled_stamp", lambda facts: 7)
    workspace = open_workspace(None, str(tmp_path / "state"))
    host, drives = workspace.computer.host, workspace.computer.drives()
    (full,) = size_trees(host, drives, [str(root)])
    walked = WalkedTree.of(full)
    time.sleep(0.02)
    act(root)
    trees, left, again = quick_trees(host, drives, [str(root)], (), (), [walked], Stop())
    (full,) = size_trees(host, drives, [str(root)])
    assert bool(left) is whole
    if not whole:
        assert picture_of(trees[0]) == picture_of(full) and 0 < again.walked < again.folders


@pytest.mark.parametrize("place", ["folder-3", "d0/d1", "/".join(f"d{n}" for n in range(11)), "new"])
def test_a_drive_that_is_mounted_or_unmounted_makes_no_whole_walk(tmp_path, settled, monkeypatch, place):
    """What lies beneath its mount point comes and goes with it; the rest of the tree is as it was."""
    root = tmp_path / "tree"
    root.mkdir()
    a_tree(root, random.Random(2))
    put(root / place / "inner" / "beneath.bin", 900)
    for path in root.rglob("*"):
        os.utime(path, OLD)
    workspace = open_workspace(None, str(tmp_path / "state"))
    host, drives = workspace.computer.host, workspace.computer.drives()
    points = host.mount_points()
    for mounted in (True, False):
        before = {True: points, False: {*points, str(root / place)}}
        monkeypatch.setattr(LocalHost, "mount_points", lambda host: frozenset(before[mounted]))  # noqa: B023
        (full,) = size_trees(host, drives, [str(root)])
        walked = WalkedTree.of(full)
        monkeypatch.setattr(LocalHost, "mount_points", lambda host: frozenset(before[not mounted]))  # noqa: B023
        trees, whole, again = quick_trees(host, drives, [str(root)], [str(root / "folder-2")], (), [walked], Stop())
        (full,) = size_trees(host, drives, [str(root)])
        assert not whole and picture_of(trees[0]) == picture_of(full) and again.walked <= 2


def test_what_was_written_lately_or_is_large_is_looked_at_again(tmp_path, settled):
    workspace = open_workspace(None, str(tmp_path / "state"))
    host, drives, root = workspace.computer.host, workspace.computer.drives(), tmp_path / "tree"
    for name in ("quiet", "lively", *(f"more-{n}" for n in range(6))):
        os.utime(put(root / name / "a.bin", 500), OLD)
    put(root / "lively" / "log.txt", 10)
    (full,) = size_trees(host, drives, [str(root)])
    walked = WalkedTree.of(full)
    time.sleep(0.02)
    for name in ("lively/log.txt", "quiet/a.bin"):
        with open(root / name, "a") as file:
            file.write("x" * 1000)
    (tree,), _, again = quick_trees(host, drives, [str(root)], (), (), [walked], Stop())
    assert tree.folders["lively"].extent.bytes == 1510 and again.walked == 1
    assert tree.folders["quiet"].extent.bytes == 500, "said in the docs: a full survey sees this"


def test_unsettled_folders_and_unreadable_keepings_are_walked(tmp_path, monkeypatch):
    workspace = open_workspace(None, str(tmp_path / "state"))
    host, drives, root = workspace.computer.host, workspace.computer.drives(), tmp_path / "tree"
    for n in range(60):
        os.utime(put(root / f"f{n}" / "a.bin", 500), OLD)
    (full,) = size_trees(host, drives, [str(root)])
    assert all(stamp == 0 for folder in full.folders.values() for _, _, stamp in folder.own.stamps)
    put(tmp_path / "walked-trees.killed", 10)
    keep_walked(str(tmp_path), [WalkedTree.of(full)])
    assert sorted(path.name for path in tmp_path.glob("walked*")) == ["walked-trees"]
    _, whole, _ = quick_trees(host, drives, [str(root)], (), (), kept_walked(str(tmp_path)), Stop())
    assert whole, "nobody knows what happened right after the survey"
    kept = tmp_path / "walked-trees"
    for contents in (b"", b"nuvik-walked-trees/1 2.7\nxx", kept.read_bytes()[:200]):
        kept.write_bytes(contents)
        assert kept_walked(str(tmp_path)) == []
    monkeypatch.setattr(kept_trees, "_FILE", "no/such/folder")
    keep_walked(str(tmp_path), [WalkedTree.of(full)])


def test_the_command_looks_only_at_what_changed(world, settled, capsys, monkeypatch):
    monkeypatch.setattr(quick_walk, "ACTIVE_S", -(10**9))
    for n in range(8):
        fill(world.path("kestrel", "Games", f"Kite {n}"), seed=n)
    assert world.run("survey", "--quick") == 0 and world.run("survey") == 0
    capsys.readouterr()
    time.sleep(0.02)
    put(world.path("kestrel", "Games", "Kite 3", "patch.bin"), 30 * MB)
    fill(world.path("kestrel", "Games", "Moor"))
    assert world.run("survey", "--quick") == 0
    printed = capsys.readouterr()
    assert "folders may have changed" in printed.err and "Moor" in printed.out
    quickly = world.open().survey.latest()
    world.open().survey.take()
    full = world.open().survey.latest()
    assert [(each.path, each.bytes, each.kind) for each in quickly.libraries] == [
        (each.path, each.bytes, each.kind) for each in full.libraries
    ]
    assert world.run("survey", "--quick", world.path("kestrel", "Games")) == 2


def test_trees_are_written_anew_when_much_changed_or_a_day_has_passed(world, settled, monkeypatch):
    monkeypatch.setattr(quick_walk, "ACTIVE_S", -(10**9))
    for n in range(60):
        fill(world.path("kestrel", "Games", f"Kite {n}"), seed=n)
    stage = world.open().survey
    stage.take()
    kept = Path(stage.computer.state_folder) / "walked-trees"
    stage.take_quickly()
    before = kept.stat().st_ino
    put(world.path("kestrel", "Games", "Kite 3", "patch.bin"), 30 * MB)
    for _ in range(2):
        _, again = stage.take_quickly()
        assert again.walked and kept.stat().st_ino == before, "what little changed is walked again as soon"
    clock, shown = time.time, [library.bytes for library in stage.latest().libraries]
    walked = kept_walked(str(kept.parent))
    keep_walked(str(kept.parent), walked[:-1])
    fewer = kept.stat().st_size
    stage.take_quickly()
    assert kept.stat().st_size > fewer, "a drive that is new is not walked whole again tomorrow"
    before = kept.stat().st_ino
    with monkeypatch.context() as later:
        later.setattr(time, "time", lambda: clock() + 90_000)
        stage.take_quickly()
    assert kept.stat().st_ino != before
    before = kept.stat().st_ino
    assert [library.bytes for library in stage.latest().libraries] == shown
    for n in range(0, 60, 3):
        put(world.path("kestrel", "Games", f"Kite {n}", "patch.bin"), MB)
    assert stage.take_quickly()[1].walked < 30 and kept.stat().st_ino != before
