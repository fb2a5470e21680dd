"""Sizing trees: every byte once, whatever lies in them, however they are sliced, and beside the plain system tool."""

from __future__ import annotations

import os
import shutil
import stat
import subprocess
import sys
import threading
import time
from collections import Counter
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import MB, a_drive, put
from nuvik.core.hosts.local import LocalHost
from nuvik.core.model.extent import classes_of, room_bytes
from nuvik.core.model.progress import Stop
from nuvik.core.survey.walk import scan_folder, walk_pool, walk_worker, walkers
from nuvik.core.survey.walk import walk_slice as slicing
from nuvik.core.survey.walk.folder_tree import Tree
from nuvik.core.survey.walk.walk_pool import size_tree, size_trees
from nuvik.core.survey.walk.walk_slice import WalkRules, walk_slice

NAMES = st.sampled_from(
    [b"a", b"b.TXT", b"c.mkv", b".hidden", b"d", b"new\nline", b"\xff\xfe.iso", b"[x]", b"x" * 200 + b".jpg", b"e."]
)
ENTRY = st.one_of(
    st.tuples(st.just("file"), st.lists(NAMES, min_size=1, max_size=4), st.sampled_from([0, 1, 511, 4097, 300_000])),
    st.tuples(st.just("folder"), st.lists(NAMES, min_size=1, max_size=5), st.just(0)),
    st.tuples(st.just("link"), st.lists(NAMES, min_size=1, max_size=3), st.just(0)),
    st.tuples(st.just("second-name"), st.lists(NAMES, min_size=1, max_size=4), st.integers(0, 5)),
)


def build(root: bytes, entries: list) -> None:
    """A tree of these entries, as far as names do not clash."""
    files: list[bytes] = []
    for kind, names, number in entries:
        path = os.path.join(root, *names)
        try:
            os.makedirs(os.path.dirname(path), exist_ok=True)
            if os.path.lexists(path):
                continue
            if kind == "file":
                with open(path, "wb") as file:
                    file.truncate(number) if number > 4097 else file.write(b"x" * number)
                if number == 1:
                    os.chmod(path, 0o755)
                    os.utime(path, (1e9, 1e9))
                files.append(path)
            elif kind == "folder":
                os.mkdir(path)
            elif kind == "link":
                os.symlink(b"../nowhere", path)
            elif files:
                os.link(files[number % len(files)], path)
        except (FileExistsError, FileNotFoundError, NotADirectoryError):
            continue


def plain_sums(root: bytes) -> Counter:
    """The same figures by the simplest way there is."""
    sums, seen = Counter(files=0, bytes=0, on_disk=0, folders=0, links=0, programs=0), set()
    for here, _, _ in os.walk(root):
        facts = os.lstat(here)
        sums["folders"] += 1
        sums["on_disk"] += facts.st_blocks * 512
        for name in os.listdir(here):
            facts = os.lstat(os.path.join(here, name))
            if stat.S_ISDIR(facts.st_mode):
                continue
            sums["links"] += stat.S_ISLNK(facts.st_mode)
            sums["files"] += stat.S_ISREG(facts.st_mode)
            if facts.st_ino in seen:
                continue
            seen.add(facts.st_ino)
            sums["on_disk"] += facts.st_blocks * 512
            sums["bytes"] += facts.st_size * stat.S_ISREG(facts.st_mode)
            sums["holes"] += max(0, facts.st_size - facts.st_blocks * 512) * stat.S_ISREG(facts.st_mode)
    return sums


@pytest.mark.parametrize("way", ["fast", "plain"])
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(entries=st.lists(ENTRY, max_size=25), budget=st.integers(1, 40), depth=st.integers(0, 6))
def test_every_folder_has_the_sums_of_all_below_it(tmp_path, monkeypatch, way, entries, budget, depth):
    """Whatever the tree, however small the slices, and wherever folders are no longer told apart."""
    if way == "fast" and scan_folder.fast is None:
        pytest.skip("no C compiler was at hand when Nuvik was installed")
    monkeypatch.setattr(
        slicing, "scan_folder", scan_folder.scan_folder if way == "fast" else scan_folder.scan_folder_plainly
    )
    root = tmp_path / "tree"
    shutil.rmtree(root, ignore_errors=True)
    root.mkdir()
    build(os.fsencode(root), entries)
    here = os.open(root, os.O_RDONLY)
    looks = [seen(here, 0, 200_000) for seen in (scan_folder.scan_folder, scan_folder.scan_folder_plainly)]
    os.close(here)
    for progress in looks:
        progress.folders, progress.odd, progress.big = (
            sorted(progress.folders),
            sorted(progress.odd),
            sorted(progress.big),
        )
        progress.largest = ""  # of several equal ones, either
    assert looks[0] == looks[1], "the fast way and the plain one see the same"
    tree, waiting = Tree.at(str(root), lengths=False), [""]
    rules = WalkRules(str(root), depth, cold_before_s=1.5e9, big_bytes=200_000)
    while waiting:
        sums, left, _ = walk_slice(rules, [waiting.pop()], budget)
        waiting += left
        for progress in walk_worker.unpacked(walk_worker.packed(sums)):
            tree.add(progress)
    tree.finish()
    for folder in tree.root.everything():
        expected, extent = plain_sums(os.fsencode(folder.path)), folder.extent
        assert (extent.files, extent.bytes, extent.folders, extent.links) == (
            expected["files"],
            expected["bytes"],
            expected["folders"],
            expected["links"],
        )
        assert (extent.on_disk_bytes, extent.hole_bytes) == (expected["on_disk"], expected["holes"])
        assert sum(folder.histogram.values()) <= extent.files
        assert sum(folder.extensions.values()) >= extent.bytes
        if extent.largest_file_bytes:
            assert os.lstat(os.path.join(folder.path, extent.largest_file)).st_size == extent.largest_file_bytes
        for file in folder.big_files:
            assert os.lstat(file.path).st_size == file.bytes >= 200_000
        for link in folder.links:
            assert os.readlink(link.path) == link.goal == "../nowhere"
        shared = {os.lstat(path).st_ino for path in folder.shared}
        inside = Counter(
            os.lstat(os.path.join(here, name)).st_ino for here, _, names in os.walk(folder.path) for name in names
        )
        linked = {
            os.lstat(os.path.join(here, name)).st_ino: os.lstat(os.path.join(here, name)).st_nlink
            for here, _, names in os.walk(folder.path)
            for name in names
        }
        assert shared == {inode for inode, count in inside.items() if linked[inode] > count}


@given(sizes=st.lists(st.integers(0, 2**34), max_size=60), power=st.integers(9, 25))
def test_the_room_on_other_clusters_is_known_within_a_hundredth(sizes, power):
    cluster = 1 << power
    true = sum(-(-size // cluster) * cluster for size in sizes)
    assert abs(room_bytes(classes_of(sizes), cluster) - true) <= true / 100


def test_the_total_is_that_of_the_plain_system_tool(tmp_path):
    if shutil.which("du") is None:
        pytest.skip("there is no du here")
    for number in range(400):
        place = tmp_path / f"f{number % 7}" / f"g{number % 31}"
        place.mkdir(parents=True, exist_ok=True)
        (place / f"file-{number}.dat").write_bytes(b"x" * (number * 37 % 9000))
    os.link(tmp_path / "f0" / "g0" / "file-0.dat", tmp_path / "f1" / "second")
    reports = subprocess.run(["du", "-s", "-B1", str(tmp_path)], capture_output=True, text=True, check=True).stdout
    assert size_tree(LocalHost(), (), str(tmp_path)).root.extent.on_disk_bytes == int(reports.split()[0])


def many_files(root: Path, folders: int = 60, files: int = 20) -> int:
    for number in range(folders):
        place = root / f"f{number % 9}" / f"g{number}"
        place.mkdir(parents=True)
        for name in range(files):
            (place / f"n{name}.bin").write_bytes(b"y" * (number + name))
    return sum(number + name for number in range(folders) for name in range(files))


def test_walkers_in_processes_of_their_own_find_the_same_and_may_die(tmp_path, monkeypatch):
    """One that dies over a slice leaves it to another; with none left, the caller walks."""
    total = many_files(tmp_path)
    monkeypatch.setattr(walk_pool, "_CALL_AFTER_ENTRIES", 0)
    monkeypatch.setattr(walkers, "_SLICE_THERE", 100)
    monkeypatch.setattr(walk_pool, "_SLICE_HERE", 20)
    whole = size_tree(LocalHost(), (), str(tmp_path))
    assert whole.complete and whole.root.extent.bytes == total
    started = []

    def dying(words, **rest):
        if len(started) % 2:
            words = [sys.executable, "-c", "import sys; sys.stdout.write('!'); sys.stdout.flush(); sys.stdin.read(1)"]
        process = subprocess.Popen(words, **rest)
        started.append(process)
        return process

    class Module:
        PIPE, DEVNULL, Popen = subprocess.PIPE, subprocess.DEVNULL, staticmethod(dying)

    monkeypatch.setattr(walkers, "subprocess", Module)
    again = size_tree(LocalHost(), (), str(tmp_path))
    assert again.complete and again.root.extent == whole.root.extent
    assert len(started) > 1 and all(process.poll() is not None for process in started), "none is left behind"


@pytest.mark.parametrize(("medium", "most"), [("hdd", 1), ("ssd", 4)])
def test_one_disk_with_platters_never_has_two_walkers(tmp_path, monkeypatch, medium, most):
    many_files(tmp_path)
    at_work, seen, lock = Counter(), [], threading.Lock()

    class Watched(walk_pool.Walker):
        """A walker in a thread that tells when it is at work."""

        def __init__(self, work):
            self._work, self.alive = work, True
            self._thread = threading.Thread(target=self._run, daemon=True)
            self._thread.start()

        def _run(self):
            while (at_hand := self._work.next_task()) is not None:
                job, starts = at_hand
                with lock:
                    at_work[job.lane] += 1
                    seen.append(at_work[job.lane])
                time.sleep(0.002)
                sums, left, count = walk_slice(job.rules, starts, 30)
                with lock:
                    at_work[job.lane] -= 1
                self._work.done(job, sums, left, count)

        def end(self):
            self._thread.join()

    host = LocalHost()
    drive = a_drive(path=str(tmp_path), medium=medium, disk="sdx")
    drives = (drive, replace(drive, id="other", path="/elsewhere"))
    monkeypatch.setattr(walk_pool, "Walker", Watched)
    monkeypatch.setattr(walk_pool, "_CALL_AFTER_ENTRIES", 0)
    monkeypatch.setattr(walk_pool, "_SLICE_HERE", 20)
    monkeypatch.setattr(walk_pool.os, "cpu_count", lambda: 4)
    trees = size_trees(host, drives, [str(tmp_path / "f0"), str(tmp_path / "f1"), str(tmp_path / "f2")])
    assert all(tree.complete for tree in trees)
    assert max(seen) <= most and (most == 1 or max(seen) > 1)


def test_deep_wide_and_circular_trees(tmp_path, monkeypatch):
    """A path far longer than a system call takes, a folder of very many, and one that leads back into itself."""
    here = os.open(tmp_path, os.O_RDONLY)
    for _ in range(350):
        name = "a-folder-name-of-some-length"
        os.mkdir(name, dir_fd=here)
        inner = os.open(name, os.O_RDONLY, dir_fd=here)
        os.close(here)
        here = inner
    with open(os.open("bottom.bin", os.O_WRONLY | os.O_CREAT, dir_fd=here), "wb") as file:
        file.write(b"z" * 777)
    os.close(here)
    wide = tmp_path / "wide"
    wide.mkdir()
    for number in range(5_000):
        (wide / f"n{number}").touch()
    tree = size_tree(LocalHost(), (), str(tmp_path))
    extent = tree.root.extent
    assert (extent.bytes, extent.folders, extent.files) == (777, 352, 5_001) and not list(tree.root.problems)
    assert len(tree.folders) < 20, "what lies deep is counted with the last folder that is kept"
    monkeypatch.setattr(slicing, "FOLDERS_HELD", 3)
    assert size_tree(LocalHost(), (), str(tmp_path)).root.extent == extent, "climbing back by .."
    circle = (os.stat(tmp_path).st_dev, os.stat(tmp_path).st_ino)
    facts = slicing._facts
    wide_identity = (os.stat(wide).st_dev, os.stat(wide).st_ino)
    monkeypatch.setattr(
        slicing, "_facts", lambda handle: (circle, 0, 0) if facts(handle)[0] == wide_identity else facts(handle)
    )
    problems = list(size_tree(LocalHost(), (), str(tmp_path)).root.problems)
    assert problems == [(str(wide), "this folder leads back into one above it")]
    subprocess.run(["rm", "-rf", str(tmp_path / "a-folder-name-of-some-length")], check=True)


def test_mounts_are_not_entered_and_what_vanishes_is_no_problem(tmp_path, monkeypatch):
    many_files(tmp_path, folders=6)
    host = LocalHost()
    monkeypatch.setattr(host, "mount_points", lambda: (str(tmp_path / "f1"), str(tmp_path)))
    tree = size_tree(host, host.drives(), str(tmp_path))
    assert list(tree.root.problems) == [(str(tmp_path / "f1"), "another drive is mounted here")]
    assert tree.at_path(str(tmp_path / "f1")) is None
    opened = slicing.open_folder

    def gone(name, above):
        if name == "f2":
            raise FileNotFoundError(2, "gone", name)
        return opened(name, above)

    monkeypatch.setattr(slicing, "open_folder", gone)
    assert len(list(size_tree(host, host.drives(), str(tmp_path)).root.problems)) == 1
    assert list(size_tree(host, host.drives(), str(tmp_path / "not-there")).root.problems) != []


def test_a_stop_leaves_what_was_found_marked_as_partial(tmp_path, monkeypatch):
    many_files(tmp_path)
    monkeypatch.setattr(walk_pool, "_SLICE_HERE", 50)
    monkeypatch.setattr(walk_pool, "_TELL_EVERY_S", 0.0)
    stop, reports = Stop(), []

    def watch(progress):
        reports.append(progress)
        if progress.entries > 300:
            stop.ask()

    tree = size_trees(LocalHost(), (), [str(tmp_path)], report=watch, stop=stop)[0]
    assert not tree.complete and 200 < tree.root.extent.files < 1_200
    assert [progress.entries for progress in reports] == sorted(progress.entries for progress in reports)


def test_a_world_counts_lengths_and_a_file_may_be_a_root(world):
    with open(world.path("heron", "film.mkv"), "wb") as file:
        file.truncate(300 * MB)
    host = world.open().computer.host
    for root in (world.path("heron"), world.path("heron", "film.mkv")):
        extent = size_tree(host, host.drives(), root).root.extent
        assert (extent.bytes, extent.on_disk_bytes, extent.files) == (300 * MB, 300 * MB, 1)


@pytest.mark.parametrize(
    ("system", "facts", "expected"),
    [
        ("win32", {"st_file_attributes": 0x20}, False),
        ("win32", {"st_file_attributes": 0x400020}, True),
        ("win32", {"st_file_attributes": 0x1020}, True),
        ("darwin", {"st_flags": 0}, False),
        ("darwin", {"st_flags": 0x40000000}, True),
        ("linux", {}, False),
    ],
)
def test_placeholders_are_told_by_the_marks_of_their_system(monkeypatch, tmp_path, system, facts, expected):
    assert scan_folder.not_here(SimpleNamespace(**facts), system) is expected
    junction, cloud = {"st_reparse_tag": 0xA0000003}, {"st_reparse_tag": 0x9000001A}
    assert scan_folder.leads_elsewhere(SimpleNamespace(st_file_attributes=0x410, **junction))
    assert not scan_folder.leads_elsewhere(SimpleNamespace(st_file_attributes=0x410, **cloud)), "a cloud folder"
    assert not scan_folder.leads_elsewhere(SimpleNamespace(st_file_attributes=0x10, **junction))


def test_what_is_not_here_is_counted_apart(tmp_path, monkeypatch):
    """As on a system that marks placeholders: they take no room here."""
    for name, size in (("here.bin", 1000), ("away.bin", 9000)):
        (tmp_path / name).write_bytes(b"x" * size)
    monkeypatch.setattr(scan_folder, "MAY_BE_AWAY", True)
    monkeypatch.setattr(slicing, "MAY_BE_AWAY", True)
    for module in (scan_folder, slicing):
        monkeypatch.setattr(module, "not_here", lambda facts: facts.st_size == 9000)
    extent = size_tree(LocalHost(), (), str(tmp_path)).root.extent
    assert (extent.files, extent.bytes, extent.not_here_files, extent.not_here_bytes) == (1, 1000, 1, 9000)


@pytest.mark.parametrize("entries_a_slice", [1, 3, 10_000])
def test_below_a_home_depth_is_counted_anew_wherever_a_slice_begins(tmp_path, monkeypatch, entries_a_slice):
    monkeypatch.setattr(walk_pool, "_SLICE_HERE", entries_a_slice)
    home = tmp_path / "people" / "ada"
    deep, plain = home.joinpath(*"abcdefghij"), tmp_path.joinpath(*"0123456789")
    for place in (deep, plain):
        put(place / "x.bin", 10)
    tree = walk_pool.size_trees(LocalHost(), (), [str(tmp_path)], homes=[str(home)])[0]
    kept = {folder.path for folder in tree.root.everything()}
    assert str(home.joinpath(*"abcdefgh")) in kept and str(home.joinpath(*"abcdefghi")) not in kept
    assert str(tmp_path.joinpath(*"01234567")) in kept and str(tmp_path.joinpath(*"012345678")) not in kept
    assert tree.root.extent.bytes == 20
