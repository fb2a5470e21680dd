"""A copy that was begun before is brought up to date: what was lost or changed of it since is copied again, and
nothing else is.
"""

from __future__ import annotations

import errno
import os
import shutil
from contextlib import suppress
from dataclasses import replace
from functools import partial
from itertools import pairwise
from pathlib import Path
from types import SimpleNamespace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import World, a_drive, a_world, fill, picture, put
from nuvik.core.carrying import copying
from nuvik.core.carrying.aside_folders import incoming
from nuvik.core.carrying.batches import batches
from nuvik.core.carrying.copying import copy_library
from nuvik.core.carrying.proof import prove_copy
from nuvik.core.carrying.run import carry_plan, resume, undo
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.many_files import SmallCopy, list_entries, list_entries_plainly
from nuvik.core.hosts.small_files import MOST_BYTES_IN_BATCH, MOST_IN_BATCH
from nuvik.core.model.errors import Stopped
from nuvik.core.model.inventory import NOTHING_WITHHELD, EntryRecord, Withheld
from nuvik.core.model.journal import Move, State
from nuvik.core.model.progress import Event
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.survey.walk.look_inside import look_inside
from nuvik.core.survey.walk.take_inventory import take_inventory
from refusals import Recorder, hook, move_of, shift, target_of

OFTEN = settings(
    max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow]
)


def half_carried(world: World, source: Path) -> Move:
    """A move that stopped when its copy was about to be read back: all is copied, nothing is proven."""
    workspace = world.open()

    def fail(operation: str, path: str) -> None:
        if operation == "read" and "-incoming-" in path:
            raise OSError(5, "Input/output error", path)

    hook(workspace, fail)
    with pytest.raises(Stopped):
        shift(workspace, source)
    assert workspace.logbook.moves()[-1].state is State.COPYING
    return workspace.logbook.moves()[-1]


def copied_again(world: World, move: Move) -> tuple[Recorder, list[Event]]:
    """What is done, and what is said, when the copy is brought up to date."""
    workspace, events = world.open(), list[Event]()
    recorder, work = hook(workspace), workspace.carry.work(events.append)
    move = work.settle(move)
    copy_library(work, move)
    assert work.journal.entries(move).keys() == take_inventory(work.files, move.source).entries.keys()
    work.let_go()
    return recorder, events


def same_time(path: Path, facts: os.stat_result) -> None:
    os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns), follow_symlinks=False)


# -- what may become of a copy, or of its source ---------------------------------------------------------------


def _gone(path: Path) -> None:
    shutil.rmtree(path) if path.is_dir() and not path.is_symlink() else path.unlink()


def _cut_short(path: Path) -> None:
    facts = path.lstat()
    if path.is_file() and facts.st_size:
        os.truncate(path, facts.st_size // 2)
        same_time(path, facts)


def _later(path: Path) -> None:
    os.utime(path, ns=(10**18, 10**18), follow_symlinks=False)


def _other_mode(path: Path) -> None:
    if not path.is_symlink():
        path.chmod(0o711 if path.is_dir() else 0o602)


def _other_kind(path: Path) -> None:
    was_folder = path.is_dir() and not path.is_symlink()
    _gone(path)
    if was_folder:
        path.write_text("a file now")
    else:
        put(path / "inner" / "file")


def _on_its_own(path: Path) -> None:
    """One of the names of a file becomes a file of its own that looks alike."""
    if path.is_file() and path.lstat().st_nlink > 1:
        twin = path.with_name("twin")
        shutil.copy2(path, twin)
        os.replace(twin, path)


def _a_stranger(path: Path) -> None:
    put((path if path.is_dir() and not path.is_symlink() else path.parent) / "stranger" / "file")


def _elsewhere(path: Path) -> None:
    if path.is_symlink():
        path.unlink()
        path.symlink_to("elsewhere")


HAPPENS = (_gone, _cut_short, _later, _other_mode, _other_kind, _on_its_own, _a_stranger, _elsewhere)
TO_BOTH = st.lists(st.tuples(st.booleans(), st.integers(0, 40), st.sampled_from(HAPPENS)), min_size=1, max_size=3)


@OFTEN
@given(what=TO_BOTH)
def test_whatever_became_of_copy_and_source_the_copy_is_that_of_the_source_again(tmp_path_factory, what):
    world = _world(tmp_path_factory.mktemp("copied"))
    source = Path(world.path("kestrel", "Games", "Ferry"))
    move = half_carried(world, source)
    for of_source, number, happen in what:
        root = source if of_source else Path(incoming(move))
        below = sorted(root.rglob("*"))
        if below:
            happen(below[number % len(below)])
    copied_again(world, move)
    assert picture(incoming(move)) == picture(source)


def _rotten(path: Path) -> None:
    """Other contents, of the same length and time."""
    facts = path.lstat()
    if path.is_file() and not path.is_symlink() and facts.st_size:
        path.write_bytes(bytes([path.read_bytes()[0] ^ 1]) + path.read_bytes()[1:])
        same_time(path, facts)


@OFTEN
@given(number=st.integers(0, 40), happen=st.sampled_from((*HAPPENS, _rotten)))
def test_whatever_became_of_a_copy_the_proof_names_it(tmp_path_factory, number, happen):
    world = _world(tmp_path_factory.mktemp("proven"))
    move = half_carried(world, Path(world.path("kestrel", "Games", "Ferry")))
    below, whole = sorted(Path(incoming(move)).rglob("*")), picture(incoming(move))
    happen(below[number % len(below)])
    work = world.open().carry.work()
    move = work.settle(move)
    try:
        wrong = prove_copy(work, move)
        assert work.journal.entries(move).keys().isdisjoint(wrong), "it is copied again"
    except OSError as fault:  # a file that is not there, or is something else now
        wrong = [str(fault.filename)]
    finally:
        work.let_go()
    assert bool(wrong) == (picture(incoming(move)) != whole)


def test_a_name_that_no_longer_shares_its_contents_is_named(tmp_path):
    world = _world(tmp_path)
    move = half_carried(world, Path(world.path("kestrel", "Games", "Ferry")))
    _on_its_own(Path(incoming(move)) / "data" / "twin.bin")
    work = world.open().carry.work()
    assert list(prove_copy(work, work.settle(move))) == ["data", "data/twin.bin"], "the folder has another time"
    work.let_go()


def test_a_copy_whose_attributes_are_others_is_named(tmp_path):
    world = _world(tmp_path)
    move = half_carried(world, Path(world.path("kestrel", "Games", "Ferry")))
    for path in ("data/file-0001.bin", "data"):
        _note(os.path.join(incoming(move), path))
    work = world.open().carry.work()
    assert sorted(prove_copy(work, work.settle(move))) == ["data", "data/file-0001.bin"]
    work.let_go()


def _note(path: str | Path) -> None:
    try:
        os.setxattr(path, "user.note", b"mine")
    except OSError as fault:
        if fault.errno != errno.ENOTSUP:
            raise
        pytest.skip("the temporary folder keeps no attributes")


def _world(folder: Path) -> World:
    """A small library of every kind of entry on one of two drives."""
    world = a_world(folder, kestrel={"system": True}, heron={})
    source = fill(world.path("kestrel", "Games", "Ferry"), files=6)
    os.link(source / "file-0000.bin", source / "data" / "twin.bin")
    (source / "way").symlink_to("file-0001.bin")
    return world


def test_nothing_is_copied_twice(tmp_path):
    world = _world(tmp_path)
    source = Path(world.path("kestrel", "Games", "Ferry"))
    move = half_carried(world, source)
    recorder, events = copied_again(world, move)
    assert not [each for each in recorder.done if each[0] in ("create", "write", "mkdir", "symlink", "link", "read")]
    copied = [event for event in events if event.detail.get("phase") == "copying"]
    assert copied[-1].done_bytes == copied[-1].total_bytes > 0
    (source / "data" / "new.bin").write_text("new")
    recorder, _ = copied_again(world, move)
    made = [path for operation, path in recorder.done if operation in ("create", "mkdir", "symlink", "link")]
    assert made == [os.path.join(incoming(move), "data", "new.bin")]


# -- faults ------------------------------------------------------------------------------------------------


def test_a_file_that_goes_while_others_are_copied_is_named_and_the_others_are_not_lost(world, ferry):
    for number in range(200):
        put(ferry / "many" / f"{number:03}.bin", 3_000)
    workspace = world.open()

    def take(operation: str, path: str) -> None:
        if operation == "read" and path.endswith("many/070.bin"):
            Path(path).unlink(missing_ok=True)

    hook(workspace, take)
    with pytest.raises(Stopped, match=r"070\.bin"):
        shift(workspace, ferry)
    move = move_of(world)
    copied = {path.name for path in Path(incoming(move)).rglob("*.bin")}
    known = world.open().carry.work().journal.entries(move)
    assert {Path(path).name for path, entry in known.items() if entry.checksum} == copied >= {"069.bin", "071.bin"}
    resume(world.open().carry.work())
    assert sorted(path.name for path in target_of(world).rglob("0[67]*.bin")) == [
        f"{number:03}.bin" for number in range(60, 80) if number != 70
    ]


def test_what_was_copied_is_written_down_now_and_then(monkeypatch):
    """After so many entries, or after a second, whichever is first."""
    kept: list[int] = []

    class Journal:
        def keep_entries(self, move: Move, entries: list[EntryRecord]) -> None:
            kept.append(len(entries))

    class Work:
        journal = Journal()

    now = [0.0]
    monkeypatch.setattr(copying.time, "monotonic", lambda: now[0])
    notebook = copying._Notebook(Work(), None)  # type: ignore[arg-type]
    for _ in range(copying._KEEP_EVERY + 5):
        notebook.add(_entry("x", 1))
    assert kept == [copying._KEEP_EVERY]
    now[0] += copying._KEEP_EVERY_S * 1.01
    notebook.add(_entry("x", 1))
    assert kept == [copying._KEEP_EVERY, 6]
    notebook.keep()
    assert len(kept) == 2, "nothing waits"


def test_what_shows_that_an_entry_is_in_the_copy_already():
    rules = a_drive().rules
    file = EntryRecord("a", "file", 5, 0o644, 0, 0, 0, 10**18, 0, "1:1", checksum="x")
    twin, folder = file._replace(path="b", kind="hard-link", link="a"), file._replace(path="d", kind="folder")

    def is_there(entry: EntryRecord, *now: EntryRecord) -> bool:
        return copying._is_there({each.path: each for each in now}, entry, None, rules)

    assert is_there(file, file) and not is_there(file)
    assert not is_there(file._replace(checksum=None), file), "it was never read to its end"
    assert not is_there(file, file._replace(size=4)) and not is_there(file, file._replace(changed_ns=0))
    assert is_there(twin, file, twin) and not is_there(twin, twin) and not is_there(twin, file)
    assert not is_there(twin, file._replace(inode="1:2"), twin), "another file by now"
    assert is_there(folder, folder._replace(changed_ns=0)), "its marks are given at the end"


@pytest.mark.parametrize(("marked", "given_back"), [(True, False), (False, False), (True, True), (False, True)])
def test_a_small_file_gets_what_it_lacks_of_its_marks(monkeypatch, marked, given_back):
    """Its owner, time or permissions where it came without them, and what the other drive could not keep."""
    given: list[dict] = []
    monkeypatch.setattr(copying, "mark", lambda *words: given.append(dict(words[3])) or NOTHING_WITHHELD)
    entry, lacks = _entry("a", 5), {"user.note": b"n"} if given_back else {}
    copier = SimpleNamespace(files=None, target_root="/t", rules=None, without_marks=False)
    copier.restored = {"a": entry._replace(withheld=Withheld(lacks, ()).to_text())} if given_back else {}
    copier._noted, copier._mark = copying._Copier._noted, partial(copying._Copier._mark, copier)
    noted = copying._Copier._noted_small(copier, entry, SmallCopy("sum", 5, marked))  # type: ignore[arg-type]
    assert given == ([] if marked and not given_back else [lacks])
    assert noted.checksum == "sum" and bool(noted.attributes) is given_back


# -- batches -----------------------------------------------------------------------------------------------


def _entry(path: str, size: int, kind: str = "file") -> EntryRecord:
    return EntryRecord(path, kind, size, 0o644, 0, 0, 0, 0, 0, "1:1")


@given(
    st.lists(st.tuples(st.sampled_from(["file", "file", "file", "folder", "link"]), st.integers(0, 1_200_000))),
    st.integers(0, 300),
    st.sets(st.integers(0, 20)),
)
def test_batches_keep_the_order_and_hold_no_more_than_they_may(entries, tiny, not_whole):
    every = [_entry(str(n), size, kind) for n, (kind, size) in enumerate(entries)]
    every += [_entry(f"tiny {n}", 1) for n in range(tiny)]
    apart = {str(n) for n in not_whole}
    made = list(batches(every, 1_000_000, apart))
    assert [entry for _, batch in made for entry in batch] == every
    for whole, batch in made:
        fit = [entry.kind == "file" and entry.size <= 1_000_000 and entry.path not in apart for entry in batch]
        assert all(fit) if whole else (len(batch) == 1 and not fit[0])
        assert 1 <= len(batch) <= MOST_IN_BATCH
        assert len(batch) == 1 or sum(entry.size for entry in batch) <= MOST_BYTES_IN_BATCH
    for (first_whole, first), (next_whole, following) in pairwise(made):
        if first_whole and next_whole:
            held = sum(entry.size for entry in first) + following[0].size
            assert len(first) == MOST_IN_BATCH or held > MOST_BYTES_IN_BATCH, "no batch is smaller than need be"


# -- the compiled part -------------------------------------------------------------------------------------


def test_the_compiled_part_and_the_plain_way_tell_the_same_of_a_folder(tmp_path, monkeypatch):
    folder = fill(tmp_path / "odd", odd=True)
    os.link(folder / "file-0000.bin", folder / "twin")
    os.mkfifo(folder / "pipe")
    os.utime(folder / "sparse.dat", ns=(-(10**18), 4 * 10**18))
    put(folder / "marked").chmod(0o4751)
    with suppress(OSError):  # not every temporary folder keeps them
        os.setxattr(folder / "marked", "user.note", b"x")
    unusual = {"file-0004.bin", *(["marked"] if os.listxattr(folder / "marked") else [])}
    handle = os.open(folder, os.O_RDONLY)
    with open(folder / "file-0004.bin", "ab"):
        try:
            compiled, plainly = list_entries(handle, "above/"), list_entries_plainly(handle, "above/")
            inventory = take_inventory(LocalHost().files, str(folder))
            inside = look_inside(LocalHost().files, inventory)
            monkeypatch.setattr("nuvik.core.hosts.files.LOOKS_IN_ONE_CALL", False)
            assert look_inside(LocalHost().files, inventory) == inside
        finally:
            os.close(handle)
    assert compiled == plainly and all(type(entry) is EntryRecord for entry in compiled.files)
    assert set(compiled.holes) == {"above/marked", "above/sparse.dat"}
    assert {"twin", "pipe", "data"} <= {name for name, _ in compiled.others}
    assert inside.keys() == unusual and inside["file-0004.bin"].written
    with pytest.raises(NotADirectoryError):
        list_entries(os.open(folder / "marked", os.O_RDONLY), "")


# -- taking back -------------------------------------------------------------------------------------------


def test_what_a_plain_file_system_could_not_keep_comes_back_but_for_newer_work(world, ferry):
    world.data["drive"][1]["filesystem"] = "exfat"
    world.write()
    for number, path in enumerate(sorted(ferry.rglob("*"))):
        path.chmod(0o700 + number)
    before = picture(ferry)
    shift(world.open(), ferry)
    target = target_of(world)
    assert picture(target) != before, "no modes there"
    (target / "data" / "one.bin").write_text("newer")
    (target / "data" / "two.bin").unlink()
    (target / "data" / "two.bin").mkdir()
    newer = picture(target)
    undo(world.open().carry.work(), "1")
    after = picture(ferry)
    assert after.keys() == before.keys()
    for path, (kind, mode, *rest) in after.items():
        assert mode == before[path][1] or kind != before[path][0], "the mode of whatever still is of its kind"
        if path == b"data/one.bin":
            assert rest == list(newer[path][2:]), "contents and time are those of now"
        elif kind == "file":
            assert (kind, mode, *rest) == before[path]


def test_attributes_of_folders_that_a_plain_file_system_could_not_keep_come_back(world, ferry):
    _note(ferry / "data")
    world.data["drive"][1]["filesystem"] = "exfat"
    world.write()
    workspace = world.open()
    plan = make_plan(workspace.plan.draft([(str(ferry), "heron")]))
    carry_plan(workspace.carry.work(), replace(plan, without_marks=True))
    assert not os.listxattr(target_of(world) / "data")
    undo(world.open().carry.work(), "1")
    assert os.getxattr(ferry / "data", "user.note") == b"mine"


def test_times_and_links_come_back_as_they_were(world, ferry):
    for name, words in (("out", "../Other/goal"), ("led", "../Other/led"), ("in", "start.bin")):
        (ferry / name).symlink_to(words)
    before = picture(ferry)
    shift(world.open(), ferry)
    target = target_of(world)
    assert (
        os.readlink(target / "out") == str(ferry.parent / "Other" / "goal")
        and os.readlink(target / "in") == "start.bin"
    )
    coarse = target / "start.bin"
    os.utime(coarse, ns=(10**18, coarse.stat().st_mtime_ns // 10**9 * 10**9))
    (target / "led").unlink()
    (target / "led").symlink_to("/elsewhere")
    undo(world.open().carry.work(), "1")
    after = picture(ferry)
    assert after[b"led"][1] == b"/elsewhere", "that was changed since"
    same = {path for path in before if path not in (b"led", b".")}
    assert {path: after[path] for path in same} == {path: before[path] for path in same}
