"""What is said of every folder and link that may be left of a move, one situation after the other."""

from __future__ import annotations

import errno
import os
import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from conftest import World
from nuvik.core.carrying.aside_folders import held, held_folder
from nuvik.core.carrying.guards import Loss
from nuvik.core.carrying.mending import find_leftovers
from nuvik.core.carrying.mending.find_leftovers import _Folder, _held, _if_empty, _incoming, _link
from nuvik.core.carrying.mending.mend import _in_words
from nuvik.core.carrying.mending.seen_here import SeenMove
from nuvik.core.carrying.move import _difference, _not_released
from nuvik.core.carrying.proof import prove_again
from nuvik.core.carrying.sidecar import holding_of, read_sidecar
from nuvik.core.hosts.local import LocalHost
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import Move, State
from nuvik.core.model.leftover import Leftover, Repair
from nuvik.core.survey.walk.take_inventory import take_inventory
from refusals import move_of, shift

FILES = LocalHost().files
MB16 = 16 << 20


@pytest.fixture
def moved(world, ferry) -> Move:
    shift(world.open(), ferry, on_trial=True)
    return move_of(world)


def seen(move: Move, source_is_here: bool = True, target_is_here: bool = True) -> SeenMove:
    return SeenMove(
        move=move,
        source_is_here=source_is_here,
        target_is_here=target_is_here,
        source_label="Kestrel",
        target_label="Heron",
    )


def folder_of(world: World, path: str, role: str) -> _Folder:
    return _Folder(path, role, world.open().drives.find("kestrel"), True, None)


# -- links -------------------------------------------------------------------------------------------------


def test_what_is_said_of_a_link(moved):
    link, target = Path(moved.source), Path(moved.target)
    assert _link(FILES, seen(moved)) is None, "all is well"
    away = _link(FILES, seen(moved, target_is_here=False))
    assert away is not None and "Heron, which is away" in away[0]
    elsewhere = replace(moved, target=str(link.parent / "There"), was_target=(moved.target,))
    shutil.copytree(target, elsewhere.target)
    led = _link(FILES, seen(elsewhere))
    assert led is not None and led[2] is Repair.LEAD_ANEW and "mounted before" in led[0]
    link.unlink()
    gone = _link(FILES, seen(moved))
    assert gone is not None and gone[2] is Repair.LEAD_ANEW and "is gone" in gone[0]
    link.mkdir()
    assert _link(FILES, seen(moved)) is None, "something of the user's"
    assert _link(FILES, seen(moved, target_is_here=False)) is None
    link.rmdir()
    link.symlink_to(target)
    shutil.rmtree(target)
    lost = _link(FILES, seen(moved))
    assert lost is not None and lost[2] is Repair.NONE and "is not at" in lost[0]
    target.symlink_to(link.parent)
    assert _link(FILES, seen(moved)) == lost, "a link is no library"
    target.unlink()
    link.unlink()
    assert _link(FILES, seen(moved)) is None, "both were removed"


# -- folders -----------------------------------------------------------------------------------------------


def test_what_is_said_of_an_original(world, moved, monkeypatch):
    folder = folder_of(world, os.path.dirname(held(moved)), "held")
    whole = [True]
    monkeypatch.setattr(find_leftovers, "_is_whole", lambda files, folder: whole[0])

    def says(**facts: bool) -> tuple[str, Repair, State | None]:
        leftover = _held(FILES, folder, seen(moved, **facts))
        return leftover.what, leftover.repair, leftover.move and leftover.move.state

    assert says(target_is_here=False)[1] is Repair.NONE and "drive is away" in says(target_is_here=False)[0]
    assert says()[1:] == (Repair.RECORD, State.ON_TRIAL)
    whole[0] = False
    assert says()[1:] == (Repair.RECORD, State.RELEASING), "what is in pieces is never taken for the library"
    shutil.rmtree(moved.target)
    assert says()[1] is Repair.NONE and "What is left of the original" in says()[0]
    whole[0] = True
    assert says()[1] is Repair.PUT_BACK, "the link that leads nowhere is no hindrance"
    Path(moved.target).symlink_to(Path(moved.target).parent)
    assert says()[1] is Repair.PUT_BACK, "a link is no library"
    os.unlink(moved.source)
    assert says()[1] is Repair.PUT_BACK
    os.mkdir(moved.source)
    assert says()[1] is Repair.NONE and "something else is at" in says()[0]


def test_what_is_said_of_a_copy(world, moved):
    folder = folder_of(world, os.path.dirname(held(moved)), "incoming")

    def says(move: Move = moved, **facts: bool) -> Leftover:
        return _incoming(FILES, folder, seen(move, **facts))

    assert "Kestrel, which is away" in says(source_is_here=False).what
    kept = says()  # a link is at its old place, and its original beside it
    assert kept.repair is Repair.NONE and "whose original is kept at" in kept.what
    shutil.rmtree(held(moved))
    assert says().repair is Repair.NONE and "may be all there is of it" in says().what
    os.unlink(moved.source)
    os.mkdir(moved.source)
    assert says().repair is Repair.REMOVE_COPY and says().right != "The copy can go."
    assert says(replace(moved, visible=False)).right == "The copy can go."


def test_only_a_folder_with_nothing_of_the_users_is_empty(world, moved, tmp_path):
    ours = tmp_path / "ours"
    ours.mkdir()
    folder = folder_of(world, str(ours), "held")

    def is_empty(move: Move | None = moved) -> bool:
        leftover = _if_empty(FILES, folder, move)
        return leftover is not None and leftover.repair is Repair.CLOSE

    assert is_empty()
    for ours_too in ("about.json", "about.json.new"):
        (ours / ours_too).write_text("x")
    assert is_empty() and is_empty(None)
    content = Path(folder.content)
    for goal, prepared in ((moved.target, True), (moved.source, True), ("/somewhere", False)):
        content.symlink_to(goal)
        assert is_empty() is prepared and not is_empty(None)
        content.unlink()
    content.mkdir()
    assert not is_empty()
    content.rmdir()
    (ours / "mine.txt").write_text("mine")
    assert not is_empty()


def test_a_fault_while_mending_is_one_of_the_move_or_of_the_folder(world, moved):
    work = world.open().carry.work()
    folder = folder_of(world, os.path.dirname(held(moved)), "held")
    leftover = folder.leftover(moved, "An original.", "It can go back.", Repair.PUT_BACK)
    fault = OSError(errno.EIO, os.strerror(errno.EIO), moved.source)
    assert isinstance(_in_words(work, leftover, fault), Stopped)
    for other in (replace(leftover, repair=Repair.CLOSE), replace(leftover, move=None)):
        words = _in_words(work, other, fault)
        assert isinstance(words, Refused) and "cannot be removed" in str(words)


def test_the_note_beside_an_original_says_where_its_move_stands(moved):
    sidecar = read_sidecar(FILES, held_folder(moved))
    assert sidecar is not None and sidecar.move.state is State.ON_TRIAL


def test_what_an_original_held_is_summed_up_whatever_the_order(moved):
    entries = list(take_inventory(FILES, moved.target).entries.values())
    held_then = holding_of(entries)
    assert held_then == holding_of(reversed(entries)) and held_then.files == 3
    for field, value in (("mode", 0o600), ("checksum", "x"), ("path", "y"), ("changed_ns", 5)):
        other = [entry._replace(**{field: value}) if entry.path == "start.bin" else entry for entry in entries]
        assert holding_of(other).checksum != held_then.checksum, field


# -- after a release ---------------------------------------------------------------------------------------


def test_why_a_drive_gained_less_or_more_than_the_library_was_large(moved):
    move = replace(moved, frees_bytes=100 * MB16)
    assert _difference(move, None) is None and _difference(move, 100 * MB16) is None
    assert _difference(move, 96 * MB16) is None is _difference(replace(moved, frees_bytes=0), MB16)
    assert "a snapshot of the drive may still hold it" in (_difference(move, 90 * MB16) or "")
    assert "other programs removed files" in (_difference(move, 110 * MB16) or "")


def test_an_original_that_cannot_go_is_on_trial_while_it_is_whole_else_released_later(world, moved):
    work, loss = world.open().carry.work(), Loss("a", "was changed since it was moved")
    for given, original, undoing, state, ways in (
        (loss, held(moved), False, State.ON_TRIAL, "takes the move back"),
        (replace(loss, whole=False), held(moved), False, State.RELEASING, "lets it go."),
        (loss, "/of another move", False, State.RELEASING, "lets it go."),
        (loss, held(moved), True, State.ON_TRIAL, "lets it go."),
    ):
        move = replace(moved, undoes=1 if undoing else None)
        stopped = _not_released(work, move, given, original)
        assert (stopped.next_step or "").endswith(f"{ways}" if ways.endswith(".") else f"{ways}.")
        kept = work.journal.move(1)
        assert kept.state is state and bool(kept.ended_at) == state.finished
        work.journal.keep(moved)


def test_a_copy_is_proven_again_but_for_what_somebody_changed_in_it(world, moved):
    work, target = world.open().carry.work(), Path(moved.target)
    move = work.settle(moved)
    assert prove_again(work, move) == []
    file = target / "data" / "one.bin"
    facts = file.stat()
    file.write_bytes(b"x" * facts.st_size)
    os.utime(file, ns=(facts.st_atime_ns, facts.st_mtime_ns))
    assert prove_again(work, move) == ["data/one.bin"], "nobody changed it"
    os.utime(file, ns=(facts.st_atime_ns, facts.st_mtime_ns + 10**9))
    assert prove_again(work, move) == [], "newer work"
    file.write_bytes(b"longer" * facts.st_size)
    os.utime(file, ns=(facts.st_atime_ns, facts.st_mtime_ns))
    assert prove_again(work, move) == []
    file.unlink()
    assert prove_again(work, move) == []
    work.let_go()
