"""Guards of mending, of settings that are led back, and of what lies beside a library."""

from __future__ import annotations

import json
import os
import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import a_drive, count_descriptors
from nuvik.core.carrying.aside_folders import held_folder, incoming
from nuvik.core.carrying.mending.find_leftovers import _Folder, _is_whole, find_leftovers, judge_again
from nuvik.core.carrying.mending.mend import _record_equal, mend
from nuvik.core.carrying.mending.seen_here import seen_by_sidecar
from nuvik.core.carrying.run import resume
from nuvik.core.carrying.sidecar import VolumeName, read_sidecar
from nuvik.core.carrying.tethers.settings import state_of, withdraw_tethers
from nuvik.core.hosts.local import LocalHost
from nuvik.core.model.journal import State
from nuvik.core.model.leftover import Repair
from nuvik.core.model.tether import Tether, TetherKind, TetherRecord, TetherState
from refusals import move_of, shift, stop_when


def test_a_setting_whose_file_is_gone_is_broken_and_on_a_drive_that_is_away_away(world, ferry):
    shift(world.open(), ferry)
    move, file = move_of(world), Path(world.path("wren", "titles.json"))
    record = TetherRecord(
        move=1,
        n=1,
        tether=Tether(kind=TetherKind.SETTING, file=str(file), key="path", format="json"),
        state=TetherState.OK,
        before=move.source,
        after=move.target,
    )
    file.write_text(f'{{"path": "{move.target}"}}')
    assert state_of(world.open().carry.work(), move, record) is TetherState.OK
    file.unlink()
    assert state_of(world.open().carry.work(), move, record) is TetherState.BROKEN
    file.parent.joinpath("folder").mkdir()
    record = replace(record, tether=replace(record.tether, file=world.path("wren", "gone", "titles.json")))
    assert state_of(world.open().carry.work(), move, record) is TetherState.BROKEN
    world.attach("wren", False)
    assert state_of(world.open().carry.work(), move, record) is TetherState.AWAY


def test_what_led_back_once_is_the_users_from_then_on(world, ferry):
    shift(world.open(), ferry)
    move, work, file = move_of(world), world.open().carry.work(), Path(world.path("wren", "titles.json"))
    tether = Tether(kind=TetherKind.SETTING, file=str(file), key="path", format="json")
    stood = {"before": move.source, "after": move.target, "state": TetherState.OK}
    record = TetherRecord(move=1, n=1, tether=tether, **stood)
    work.journal.keep_tether(record)
    work.journal.keep_tether(replace(record, n=2, tether=Tether(kind=TetherKind.BY_HAND)))
    for says, then in ((move.target, move.source), ("/mine", "/mine")):
        file.write_text(json.dumps({"path": says}))
        withdraw_tethers(work, move)
        assert json.loads(file.read_text()) == {"path": then}
        assert [each.state for each in work.journal.tethers(move)] == [TetherState.BACK, TetherState.OK]


def test_what_is_unfinished_is_a_matter_of_going_on(world, ferry):
    stop_when(world, ferry, "create", "one.bin")
    (leftover,) = find_leftovers(world.open().carry.work())
    assert leftover.what.startswith("Move 1 of Ferry is unfinished") and leftover.repair is Repair.NONE


@pytest.fixture
def lost(world, ferry):
    """A move on trial whose journal is gone."""
    shift(world.open(), ferry, on_trial=True)
    move = move_of(world)
    os.rename(world.open().computer.state_folder, world.path("lost"))
    return move


def test_only_what_is_as_it_was_found_is_mended(world, lost):
    """A leftover that became another one, or went, since it was listed is left alone."""
    work = world.open().carry.work()
    (leftover,) = find_leftovers(work)
    other = Repair.PUT_BACK if leftover.repair is Repair.RECORD else Repair.RECORD
    assert mend(work, [replace(leftover, repair=other)]) == []
    os.rename(held_folder(lost), world.path("kestrel", "put away"))
    assert mend(work, [leftover]) == [] and world.open().logbook.moves() == []
    assert judge_again(work, leftover) is None
    os.rename(world.path("kestrel", "put away"), held_folder(lost))
    assert [mended.problem for mended in mend(work, [leftover])] == [None]
    assert [move.state for move in world.open().logbook.moves()] == [State.ON_TRIAL]


def test_a_release_that_was_cut_short_goes_on_as_one_though_the_journal_is_lost(world, ferry):
    stop_when(world, ferry, "remove", "two.bin")
    os.rename(world.open().computer.state_folder, world.path("lost"))
    work = world.open().carry.work()
    leftovers, opened = find_leftovers(work), count_descriptors()
    (mended,) = mend(work, leftovers)
    assert count_descriptors() == opened
    assert mended.done.startswith("The release of Ferry is move 1 now") and mended.problem is None
    assert move_of(world).state is State.RELEASING
    resume(world.open().carry.work())
    assert move_of(world).state is State.RELEASED


def test_what_is_no_sidecar_says_nothing(lost, monkeypatch):
    files, about = LocalHost().files, Path(held_folder(lost), "about.json")
    assert read_sidecar(files, held_folder(lost)) is not None
    about.rename(about.with_name("other.json"))
    about.symlink_to("other.json")
    assert read_sidecar(files, held_folder(lost)) is None, "a link may lead anywhere"
    about.with_name("other.json").replace(about)
    monkeypatch.setattr("nuvik.core.carrying.sidecar._LONGEST_BYTES", 100)
    assert read_sidecar(files, held_folder(lost)) is None, "it is longer than any of Nuvik's"


def test_where_the_system_tells_no_identity_a_drive_is_known_by_the_path_of_before(world, lost):
    work = world.open().carry.work()
    known, unnamed = read_sidecar(work.host.files, held_folder(lost)), VolumeName(identity="", label="")
    unknown = replace(known, source_volume=unnamed, target_volume=unnamed)
    elsewhere = replace(unknown, move=replace(known.move, source="/elsewhere/Ferry"))
    named = work.drives()
    nameless = tuple(replace(drive, identity="") for drive in named)
    for sidecar, drives, source_is_here, target_is_here in (
        (known, named, True, True),
        (unknown, nameless, True, True),
        (elsewhere, nameless, False, True),
        (known, nameless, False, False),
        (unknown, named, False, False),
    ):
        seen = seen_by_sidecar(sidecar, 1, lost.token, drives, work.host.anchors(drives))
        assert (seen.source_is_here, seen.target_is_here) == (source_is_here, target_is_here)
        assert not target_is_here or seen.move.target == lost.target


def test_an_original_of_which_nothing_says_what_it_held_is_never_whole(lost):
    files = LocalHost().files
    sidecar = read_sidecar(files, held_folder(lost))
    assert sidecar is not None and sidecar.holding is not None
    folder = _Folder(held_folder(lost), "held", a_drive(), True, sidecar)
    assert _is_whole(files, folder)
    assert not _is_whole(files, replace(folder, sidecar=replace(sidecar, holding=None)))
    assert not _is_whole(files, replace(folder, sidecar=None))
    (Path(folder.content) / "start.bin").unlink()
    assert not _is_whole(files, folder)


def test_only_what_both_copies_have_alike_may_be_removed(world, ferry):
    """A link that leads elsewhere in the copy is somebody's work."""
    (ferry / "way").symlink_to("start.bin")
    (ferry / "led").symlink_to("start.bin")
    move = stop_when(world, ferry, "create", "two.bin")
    copy = fill_like(ferry, Path(incoming(move)))
    (copy / "led").unlink()
    (copy / "led").symlink_to("elsewhere")
    (copy / "data" / "one.bin").write_bytes(b"x" * (ferry / "data" / "one.bin").stat().st_size)
    work = world.open().carry.work()
    _record_equal(work, move, copy=str(copy), original=str(ferry))
    known = work.journal.entries(move)
    assert "way" in known and "start.bin" in known and not known.keys() & {"led", "data/one.bin"}


def fill_like(source: Path, copy: Path) -> Path:
    shutil.rmtree(copy)
    shutil.copytree(source, copy, symlinks=True)
    return copy
