"""Every refusal and guard while a library is copied, published and switched; quick ones."""

from __future__ import annotations

import json
import os
import shutil
import time
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import picture
from nuvik.core.carrying.aside_folders import held, incoming
from nuvik.core.carrying.marks import difference
from nuvik.core.carrying.run import outlook_of_undo, release, resume, undo
from nuvik.core.carrying.tethers.none import NoTether, lead_on
from nuvik.core.carrying.tethers.registry import tether_of
from nuvik.core.carrying.tethers.settings import apply_tethers, prepare_tethers
from nuvik.core.hosts import remove_tree, syscalls
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.filesystems import rules_of
from nuvik.core.model.journal import State
from nuvik.core.model.names import OURS_PREFIX
from refusals import hook, move_of, once, refused_below, shift, stop_when, target_of

# -- copying -----------------------------------------------------------------------------------------------


def test_a_proven_file_that_was_cut_short_is_copied_again(world, ferry):
    """A power cut may cost what was not flushed, even of a file that was read back before."""
    before = picture(ferry)
    move = stop_when(world, ferry, "rename", "Ferry")
    journal = world.open().carry.work().journal
    journal.mark_proven(move, [path for path, entry in journal.entries(move).items() if entry.checksum])
    journal.keep(replace(move, state=State.COPYING, visible=False))
    cut_short = os.path.join(incoming(move), "data", "one.bin")
    facts = os.stat(cut_short)
    os.truncate(cut_short, 7)
    os.utime(cut_short, ns=(facts.st_atime_ns, facts.st_mtime_ns))  # so does a journal that kept the times alone
    resume(world.open().carry.work())
    assert picture(target_of(world)) == before


def test_what_the_source_lost_meanwhile_is_not_in_the_copy(world, ferry):
    move = stop_when(world, ferry, "read", "two.bin", 3)  # while it is proven
    assert os.path.exists(os.path.join(incoming(move), "start.bin"))
    (ferry / "start.bin").unlink()
    Path(incoming(move), "stranger.txt").write_text("left by nobody knows whom")
    resume(world.open().carry.work())
    assert sorted(path.name for path in target_of(world).rglob("*.*")) == ["one.bin", "two.bin"]


def test_what_the_source_lost_goes_from_a_folder_in_which_nobody_may_write(world, ferry):
    move = stop_when(world, ferry, "read", "two.bin", 3)
    inside = Path(incoming(move), "data")
    assert sorted(path.name for path in inside.iterdir()) == ["one.bin", "two.bin"]
    (ferry / "data" / "one.bin").unlink()
    inside.chmod(0o555)
    modes: list[int] = []

    def note(operation: str, path: str) -> None:
        if operation == "remove" and path.endswith("one.bin") and "incoming" in path:
            modes.append(inside.stat().st_mode)

    workspace = world.open()
    hook(workspace, note)  # for root no permission means anything, so the order of what is done has to tell
    resume(workspace.carry.work())
    assert modes and modes[0] & 0o700 == 0o700 and not (target_of(world) / "data" / "one.bin").exists()


@pytest.mark.parametrize("moment", ["mkdir", "flush"], ids=["after the checks", "at the last moment"])
def test_what_cannot_be_carried_stops_the_copy_and_is_not_removed(world, ferry, moment):
    workspace = world.open()
    hook(workspace, once(lambda operation, path: operation == moment, lambda: os.mkfifo(ferry / "pipe")))
    with pytest.raises(Stopped, match=r"pipe cannot be carried \(a named pipe\)"):
        shift(workspace, ferry)
    (ferry / "pipe").unlink()
    resume(world.open().carry.work())


@pytest.mark.skipif(not hasattr(os, "geteuid") or os.geteuid() != 0, reason="only root gives files away")
def test_owners_and_attributes_are_set(world, ferry):
    os.chown(ferry / "start.bin", 1234, 1235)
    os.lchown(ferry / "data", 1236, 1237)
    shift(world.open(), ferry)
    facts, folder = (target_of(world) / "start.bin").stat(), (target_of(world) / "data").stat()
    assert (facts.st_uid, facts.st_gid, folder.st_uid, folder.st_gid) == (1234, 1235, 1236, 1237)


@pytest.mark.skipif(not hasattr(os, "getgroups"), reason="there are no groups here")
@pytest.mark.parametrize(
    ("user", "group", "groups", "counts"),
    [(0, 5, [5], True), (1000, 1234, [5], True), (1000, 5, [5, 1234], True), (1000, 5, [5], False)],
)
def test_a_group_counts_only_where_the_user_may_give_it(world, ferry, monkeypatch, user, group, groups, counts):
    shift(world.open(), ferry, on_trial=True)
    entry = world.open().carry.work().journal.entries(move_of(world))["start.bin"]
    monkeypatch.setattr(os, "geteuid", lambda: user)
    monkeypatch.setattr(os, "getegid", lambda: group)
    monkeypatch.setattr(os, "getgroups", lambda: groups)
    mark = difference(entry._replace(group=77), entry._replace(group=1234), rules_of("ext4"))
    assert mark == ("group" if counts else None)


# -- publishing and switching ------------------------------------------------------------------------------


def test_nothing_is_published_over_what_came_to_be_there(world, ferry):
    target, workspace, before = target_of(world), world.open(), picture(ferry)

    def in_the_way() -> None:
        target.mkdir(parents=True)
        (target / "mine.txt").write_text("mine")

    hook(workspace, once(lambda operation, path: operation == "rename" and path.endswith("content"), in_the_way))
    with pytest.raises(Stopped, match="appeared at"):
        shift(workspace, ferry)
    assert (target / "mine.txt").read_text() == "mine" and picture(ferry) == before
    shutil.rmtree(target)
    resume(world.open().carry.work())
    assert picture(target) == before


def test_a_copy_that_vanished_before_the_switch_leaves_the_original(world, ferry):
    before = picture(ferry)
    move = stop_when(world, ferry, "symlink", "content")
    assert move.state is State.PUBLISHED
    shutil.rmtree(target_of(world))
    resume(world.open().carry.work())
    assert picture(target_of(world)) == before, "copied once more"
    undo(world.open().carry.work(), "last")
    again = stop_when(world, ferry, "rename", "Ferry")
    shutil.rmtree(incoming(again))
    with pytest.raises(Stopped, match="no longer at"):
        resume(world.open().carry.work())
    assert picture(ferry) == before


def test_what_the_journal_says_is_on_the_medium(world):
    with world.open().computer.database.connect() as connection:
        assert connection.execute("PRAGMA synchronous").fetchone()[0] == 2  # FULL: a commit is on the medium
        assert connection.execute("PRAGMA foreign_keys").fetchone()[0] == 1


@pytest.mark.parametrize("change", ["content", "same size and time", "new file", "gone"])
def test_changed_at_both_places_at_the_switch_keeps_both(world, ferry, monkeypatch, change):
    target, workspace, real, late = target_of(world), world.open(), syscalls.exchange, []

    def exchange(first: str, second: str) -> bool:
        if not late:
            late.append(1)
            stamp = (ferry / "start.bin").stat()
            (ferry / "start.bin").write_bytes(b"9" * 5_000)
            os.utime(ferry / "start.bin", ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
            _harm(target, change)
        return real(first, second)

    monkeypatch.setattr(syscalls, "exchange", exchange)
    if change == "same size and time":  # then only the original is newer, and it is copied again
        shift(workspace, ferry)
        assert (target / "start.bin").read_bytes() == b"9" * 5_000
        return
    with pytest.raises(Stopped, match="Both are kept"):
        shift(workspace, ferry)
    move = move_of(world)
    assert move.state is State.ON_TRIAL
    assert Path(held(move), "start.bin").read_bytes() == b"9" * 5_000
    with pytest.raises(Refused, match="was changed since it was moved"):
        release(world.open().carry.work(), "1")


def _harm(root: Path, change: str) -> None:
    if change == "content":
        (root / "data" / "one.bin").write_bytes(b"8" * 5_000)
    elif change == "new file":
        (root / "new.bin").write_bytes(b"new")
    elif change == "gone":
        (root / "data" / "one.bin").unlink()
        (root / "data" / "one.bin").mkdir()


@pytest.mark.parametrize(
    ("harm", "says"),
    [
        ("missing", "one.bin is missing"),
        ("another size", "one.bin differs"),
        ("extra", "extra.bin was not copied"),
        ("unreadable", "cannot be read"),
    ],
)
def test_the_look_through_the_old_path_keeps_the_original(world, ferry, monkeypatch, harm, says):
    target, workspace = target_of(world), world.open()

    def spoil() -> None:
        if harm == "missing":
            (target / "data" / "one.bin").unlink()
        elif harm == "another size":
            os.truncate(target / "data" / "one.bin", 3)
        elif harm == "extra":
            (target / "extra.bin").write_bytes(b"x")
        else:
            monkeypatch.setattr(workspace.computer.host.files, "entries_in", refused_below(workspace, target))

    hook(workspace, once(lambda operation, path: operation == "flush" and path == str(ferry.parent), spoil))
    with pytest.raises(Stopped, match=r"The original is kept|is kept"):
        shift(workspace, ferry)
    monkeypatch.undo()
    assert move_of(world).state is State.ON_TRIAL
    assert "opened through" in (problem := str(move_of(world).problem)) and says in problem
    assert Path(held(move_of(world)), "data", "one.bin").stat().st_size == 5_000


def test_a_link_is_checked_repaired_and_never_put_over_anything(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    work, move = world.open().carry.work(), move_of(world)
    tether = tether_of(move)
    assert tether.leads_to(move) == str(ferry) and tether.check(work, move) is None
    assert not tether.repair(work, move)
    ferry.unlink()
    assert tether.check(work, move) is not None
    assert tether.repair(work, move) and tether.check(work, move) is None
    ferry.unlink()
    ferry.symlink_to("/where/heron/was")
    assert tether.repair(work, replace(move, was_target=("/where/heron/was",))) and tether.check(work, move) is None
    ferry.unlink()
    ferry.write_text("something else")
    with pytest.raises(Stopped, match="Something else is at"):
        tether.repair(work, move)
    assert ferry.read_text() == "something else"


def test_links_that_must_lead_elsewhere_have_to_be_here(world, ferry):
    """The library was moved twice; taking the second move back changes the link on the first drive."""
    shift(world.open(), ferry)
    shift(world.open(), target_of(world), drive="wren")
    world.attach("kestrel", False)
    with pytest.raises(Refused, match="Kestrel is away, and the link to Ferry is on it"):
        undo(world.open().carry.work(), "2")
    world.attach("kestrel")
    undo(world.open().carry.work(), "2")
    assert os.readlink(ferry) == str(target_of(world))


@pytest.mark.parametrize("in_one_call", [True, False])
@pytest.mark.parametrize("what", ["comes", "changes"])
def test_what_comes_into_an_original_while_it_is_removed_stays(world, ferry, monkeypatch, in_one_call, what):
    """Between the comparison and the removal."""
    monkeypatch.setattr(remove_tree, "IN_ONE_CALL", in_one_call and remove_tree.IN_ONE_CALL)
    workspace = world.open()

    def meddle() -> None:
        (place,) = Path(world.folder).rglob(".nuvik-held-*")
        name = "new.bin" if what == "comes" else "two.bin"
        (place / "content" / "data" / name).write_bytes(b"only here")

    hook(workspace, once(lambda operation, path: operation == "remove" and "held" in path, meddle))
    with pytest.raises(Stopped, match="is kept"):
        shift(workspace, ferry)
    (place,) = Path(world.folder).rglob(".nuvik-held-*")
    assert b"only here" in [path.read_bytes() for path in (place / "content" / "data").iterdir()]


def test_what_was_removed_from_a_copy_since_is_no_reason_not_to_read_the_rest(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    work = world.open().carry.work()
    work.journal.keep(replace(move_of(world), unread=True))
    (target_of(world) / "data" / "two.bin").unlink()
    with pytest.raises(Refused, match="is missing at"):
        release(work, "1")
    release(work, "1", even_if_changed=True)
    assert move_of(world).state is State.RELEASED and not move_of(world).unread


# -- settings that lead programs ---------------------------------------------------------------------------


def test_a_setting_that_cannot_be_changed_any_more_refuses_the_move_before_anything_is_touched(world, ferry):
    file = Path(world.folder) / "shelf.json"
    file.write_text(json.dumps({"place": str(ferry)}))
    workspace = world.surveyed()
    workspace.tethers.add(workspace.tethers.library(str(ferry)), "setting", str(file))
    move = stop_when(world, ferry, "create", "one.bin")
    work = world.open().carry.work()
    file.write_text(json.dumps({"place": "/somewhere/else"}))
    with pytest.raises(Refused, match="somewhere/else"):
        prepare_tethers(work, move)
    file.write_text(json.dumps({"place": str(ferry)}))
    resume(world.open().carry.work())
    assert json.loads(file.read_text()) == {"place": str(target_of(world))}
    file.write_text(json.dumps({"place": "/mine/now"}))  # what was set once is the user's from then on
    apply_tethers(world.open().carry.work(), move_of(world))
    assert json.loads(file.read_text()) == {"place": "/mine/now"}


def test_where_an_original_is_now_is_known_while_its_target_is_away(world, ferry, monkeypatch):
    shift(world.open(), ferry, on_trial=True)
    work = world.open().carry.work()
    move, anchors = move_of(world), work.host.anchors(work.drives())
    elsewhere = tuple(replace(anchor, point="/media/kestrel") for anchor in anchors["kestrel"])
    monkeypatch.setattr(type(work.host), "anchors", lambda host, drives: {"kestrel": elsewhere})
    now = work.now(move)
    assert now.source == "/media/kestrel/Games/Ferry" and now.target == move.target


def test_links_lead_on_though_a_stop_left_half_of_that(world, ferry):
    shift(world.open(), ferry)
    move = move_of(world)
    left = ferry.parent / f"{OURS_PREFIX}-link-{move.id}-{move.token}"
    left.symlink_to("/nowhere")
    after = world.path("wren", "Games", "Ferry")
    workspace = world.open()
    recorder = hook(workspace)
    lead_on(workspace.carry.work(), move.target, after)
    assert os.readlink(ferry) == after and not left.is_symlink()
    assert recorder.done[-1] == ("flush", str(ferry.parent)), "and it is durable"


def test_links_lead_back_when_a_way_without_a_link_is_given_up(world, ferry):
    shift(world.open(), ferry)
    work, move = world.open().carry.work(), move_of(world)
    onward = replace(move, id=2, source=move.target, target=world.path("wren", "Games", "Ferry"))
    lead_on(work, onward.source, onward.target)
    assert os.readlink(ferry) == onward.target
    NoTether().undo(work, onward)
    assert os.readlink(ferry) == move.target


def test_work_in_a_copy_is_taken_back_though_the_switch_was_never_written_down(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    work = world.open().carry.work()
    work.journal.keep(replace(move_of(world), state=State.PUBLISHED, ended_at=None))
    (target_of(world) / "start.bin").write_bytes(b"newer work")
    move, way = outlook_of_undo(world.open().carry.work(), "1")
    assert move.id == 1 and "at once" not in way.says
    undo(world.open().carry.work(), "1")
    assert (ferry / "start.bin").read_bytes() == b"newer work"


def test_only_the_move_that_was_looked_at_begins_without_another_look_and_only_once(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    work, move = world.open().carry.work(), move_of(world)
    work.checked = (move.id + 1, time.monotonic())
    assert not work.was_just_checked(move)
    work.checked = (move.id, time.monotonic())
    assert work.was_just_checked(move) and not work.was_just_checked(move)


def test_what_a_resumed_release_frees_is_not_taken_for_the_whole(world, ferry, monkeypatch):
    monkeypatch.setattr(remove_tree, "IN_ONE_CALL", False)
    shift(world.open(), ferry, on_trial=True)
    workspace, left = world.open(), [2]

    def fail(operation: str, path: str) -> None:
        left[0] -= operation == "remove" and "held" in path
        if left[0] == 0:
            raise OSError(5, "Input/output error", path)

    hook(workspace, fail)
    with pytest.raises(Stopped):
        release(workspace.carry.work(), "1")
    assert move_of(world).state is State.RELEASING
    resume(world.open().carry.work())
    assert move_of(world).state is State.RELEASED and move_of(world).freed_bytes is None
