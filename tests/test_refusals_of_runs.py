"""What a run refuses or keeps in mind while several moves, faults and programs meet; and each place a plan may name."""

from __future__ import annotations

import errno
import json
import os
from dataclasses import replace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import World, a_world, fill, leftovers, picture
from nuvik.core.carrying import work as work_module
from nuvik.core.carrying.aside_folders import ABOUT, held_folder, incoming, incoming_folder
from nuvik.core.carrying.run import carry_plan, outlook_of_undo, resume, undo
from nuvik.core.checks.check_step import check_step
from nuvik.core.hosts.base import Limits
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import Move, State
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.calibration_samples import as_step
from nuvik.core.stages.workspace import Workspace
from nuvik.core.store.json_codec import plan_to_json
from refusals import hook, move_of, once, shift, stop_when, target_of


@pytest.fixture
def two_moves(world, ferry):
    """A plan of two moves, not carried yet."""
    other = ferry.parent / "Second"
    other.mkdir()
    (other / "second.bin").write_bytes(b"2" * 4_000)
    os.utime(other / "second.bin", ns=(10**18, 10**18))

    def plan(workspace: Workspace):
        return make_plan(workspace.plan.draft([(str(ferry), "heron"), (str(other), "heron")]))

    return plan


# -- several moves -----------------------------------------------------------------------------------------


def test_a_stop_after_this_move_leaves_the_others_for_resume(world, two_moves):
    workspace = world.open()
    work, plan = workspace.carry.work(), two_moves(workspace)
    hook(workspace, once(lambda operation, path: operation == "create", work.stop.ask_after_step))
    with pytest.raises(Stopped, match="after 1 move; 1 move not started"):
        carry_plan(work, plan)
    assert [move.state for move in world.open().logbook.moves()] == [State.RELEASED, State.PLANNED]
    resume(world.open().carry.work())
    assert [move.state for move in world.open().logbook.moves()] == [State.RELEASED, State.RELEASED]


def test_taking_back_a_move_of_a_stopped_run_gives_up_what_has_not_begun(world, two_moves):
    workspace = world.open()
    work, plan = workspace.carry.work(), two_moves(workspace)
    hook(workspace, once(lambda operation, path: operation == "create", work.stop.ask_after_step))
    with pytest.raises(Stopped):
        carry_plan(work, plan)
    undo(world.open().carry.work(), "last")
    states = [move.state for move in world.open().logbook.moves()]
    assert states == [State.UNDONE, State.UNDONE, State.RELEASED], "the one done, the one not begun, the way back"


def test_another_move_is_not_taken_back_while_one_is_midway(world, ferry, two_moves):
    shift(world.open(), ferry)
    other = ferry.parent / "Second"
    workspace = world.open()
    hook(workspace, _fails_at("create", "second.bin", errno.EIO))
    with pytest.raises(Stopped):
        shift(workspace, other)
    for act in (
        lambda: undo(world.open().carry.work(), "1"),
        lambda: shift(world.open(), target_of(world), drive="wren"),
    ):
        with pytest.raises(Refused, match=r"Move 2 \(Second\) is unfinished"):
            act()
    undo(world.open().carry.work(), "2")
    undo(world.open().carry.work(), "1")


def test_a_refused_first_move_leaves_no_run_behind(world, ferry, two_moves, monkeypatch):
    monkeypatch.setattr(work_module, "_CHECK_STANDS_S", 0.0)
    workspace = world.open()
    plan = two_moves(workspace)
    seen = []

    def used_by(path: str) -> tuple[str, ...]:
        seen.append(path)
        return ("viewer (process 7)",) if seen.count(str(ferry)) > 1 else ()

    workspace.computer.host.used_by = used_by
    with pytest.raises(Refused, match="in use by viewer"):
        carry_plan(workspace.carry.work(), plan)
    moves = world.open().logbook.moves()
    assert {move.state for move in moves} == {State.UNDONE} and "in use by viewer" in (moves[0].problem or "")


def test_a_move_that_has_not_begun_is_cancelled_by_its_number(world, two_moves):
    workspace = world.open()
    work, plan = workspace.carry.work(), two_moves(workspace)
    hook(workspace, once(lambda operation, path: operation == "create", work.stop.ask_after_step))
    with pytest.raises(Stopped):
        carry_plan(work, plan)
    assert world.prints("undo", "2", "--yes") == f"{move_of(world, 2).library} taken back: it is where it was\n"
    assert [move.state for move in world.open().logbook.moves()] == [State.RELEASED, State.UNDONE]


def test_each_library_that_is_taken_back_is_named(world, ferry):
    """One that only returns to its place comes after one that is copied back; both were the first of their plans."""
    other = fill(world.path("kestrel", "Games", "Gull"))
    assert world.run("shift", str(ferry), "heron", "--yes", "--on-trial") == 0
    assert world.run("shift", str(other), "heron", "--yes") == 0
    lines = world.prints("undo", "all", "--yes").splitlines()
    assert lines[0].startswith("1. Gull: ") and "Ferry taken back: it is where it was" in lines


# -- faults ------------------------------------------------------------------------------------------------


def _fails_at(operation: str, ending: str, number: int):
    def fail(happening: str, path: str) -> None:
        if happening == operation and path.endswith(ending):
            raise OSError(number, os.strerror(number), path)

    return fail


@pytest.mark.parametrize(
    ("number", "what", "next_step"),
    [
        (errno.ENOSPC, "Heron is full (", "Free space on Heron"),
        (errno.ENODEV, "). Was its cable pulled?", "Attach Heron again"),
        (errno.EIO, "Heron could not be read or written (", "Check its cable"),
        (errno.EFBIG, "Heron cannot hold a file as big as this (", "“nuvik undo 1” takes the move back"),
        (errno.EPERM, "one.bin on Heron: operation not permitted.", "Fix that, then run “nuvik resume”"),
    ],
)
def test_a_fault_is_put_into_words_and_kept_with_its_move(world, ferry, number, what, next_step):
    workspace = world.open()
    hook(workspace, _fails_at("create", "one.bin", number))
    with pytest.raises(Stopped) as stopped:
        shift(workspace, ferry)
    assert what in stopped.value.what and stopped.value.next_step.startswith(next_step)
    assert "Ferry: copying; original untouched." in stopped.value.what
    assert move_of(world).problem == stopped.value.what
    resume(world.open().carry.work())
    assert move_of(world).state is State.RELEASED and move_of(world).problem is None


def test_what_lies_aside_says_what_it_is_and_folders_of_others_stay(world, ferry):
    move = stop_when(world, ferry, "create", "one.bin")
    with open(os.path.join(incoming_folder(move), ABOUT), encoding="utf-8") as file:
        assert str(ferry) in (text := file.read()) and "The original is untouched" in text
    beside = target_of(world).parent / "mine.txt"
    beside.write_text("mine")
    undo(world.open().carry.work(), "last")
    assert beside.read_text() == "mine" and not os.path.exists(incoming(move))
    beside.unlink()
    shift(world.open(), ferry, on_trial=True)
    again = move_of(world, 2)
    with open(os.path.join(held_folder(again), ABOUT), encoding="utf-8") as file:
        assert "The original of a library that Nuvik moved" in file.read()


# -- places ------------------------------------------------------------------------------------------------


def problems(workspace: Workspace, move: Move, state: str | None = None, **changes: object) -> str:
    step, state = replace(as_step(move), **changes), state or workspace.computer.state_folder
    checked = check_step(workspace.computer.host, workspace.drives.all(), step, state)
    return " ".join(violation.problem for violation in checked.violations)


def test_each_place_that_a_plan_may_name_is_looked_at(world: World, ferry, monkeypatch):
    shift(world.open(), ferry, on_trial=True)
    undo(world.open().carry.work(), "1")
    move, workspace = move_of(world), world.open()
    host, heron = workspace.computer.host, world.path("heron")
    assert problems(workspace, move) == ""
    link = ferry.parent / "Way"
    link.symlink_to(ferry)
    assert f"is a link to {ferry}" in problems(workspace, move, path=str(link))
    assert "is reached through a link; its real place" in problems(workspace, move, path=f"{link}/data")
    link.unlink()
    monkeypatch.setattr(host, "why_protected", lambda path: "it is holy" if path == str(ferry) else None)
    assert "must not be moved: it is holy" in problems(workspace, move)
    monkeypatch.undo()
    assert "holds Nuvik's own database" in problems(workspace, move, state=str(ferry / "state"))
    assert "holds Nuvik's own database" in problems(workspace, move, state=str(ferry.parent))
    assert "is in the folder of Nuvik's database" in problems(workspace, move, state=heron)
    (world.folder / "heron" / "there").symlink_to(world.folder / "heron" / "real")
    (world.folder / "heron" / "real" / "deep").mkdir(parents=True)
    assert "is reached through a link" in problems(workspace, move, target_path=f"{heron}/there/deep/Ferry")
    monkeypatch.setattr(os, "access", lambda path, mode: False)
    assert "is not writable" in problems(workspace, move)
    monkeypatch.undo()
    deep = "/".join(["d" * 200] * 22)
    assert "no link can say more than 4,095" in problems(workspace, move, target_path=f"{heron}/{deep}/Ferry")
    world.data["drive"][1].update(filesystem="exfat")
    world.write()
    assert "what? cannot be made" in problems(world.open(), move, target_path=f"{heron}/what?/Ferry")
    assert "aux cannot be made" in problems(world.open(), move, target_path=f"{heron}/aux")
    (world.folder / "heron" / "shelf").mkdir()
    twin = problems(world.open(), move, target_path=f"{heron}/Shelf/Ferry")
    assert "shelf is there, which is the same name on exFAT" in twin


def test_a_drive_that_lies_in_the_library_is_no_place_for_it(world: World, ferry):
    shift(world.open(), ferry, on_trial=True)
    undo(world.open().carry.work(), "1")
    world.data["drive"][1]["folder"] = "kestrel/Games/Ferry/inner"
    (ferry / "inner").mkdir()
    world.write()
    assert "is inside" in problems(world.open(), move_of(world), target_path=f"{ferry}/inner/Ferry")


# -- marks and links on the way ----------------------------------------------------------------------------


def test_a_folder_that_nobody_may_write_to_is_moved_and_stays_so(world, ferry):
    """Systems ask for that permission on a folder that gets another parent; it is given for that moment only."""
    ferry.chmod(0o555)
    target = target_of(world)
    shift(world.open(), ferry)
    assert target.stat().st_mode & 0o777 == 0o555
    undo(world.open().carry.work(), "last")
    assert ferry.stat().st_mode & 0o777 == 0o555
    shift(world.open(), ferry, on_trial=True)
    undo(world.open().carry.work(), "last")
    assert ferry.stat().st_mode & 0o777 == 0o555
    ferry.chmod(0o755)


def test_a_link_that_had_to_be_rewritten_does_not_count_as_changed(world, ferry):
    (ferry.parent / "beside.txt").write_text("beside")
    (ferry / "way").symlink_to("../beside.txt")
    shift(world.open(), ferry, on_trial=True)
    assert os.readlink(target_of(world) / "way") == str(ferry.parent / "beside.txt")
    move, way = outlook_of_undo(world.open().carry.work(), "last")
    assert (move.id, way.state) == (1, State.TAKING_BACK), "at once, since nothing was changed"
    undo(world.open().carry.work(), "last")
    assert os.readlink(ferry / "way") == "../beside.txt"


@pytest.mark.parametrize("on_trial", [True, False], ids=["put back", "copied back"])
def test_a_link_that_a_stop_left_aside_is_cleared_away(world, ferry, on_trial):
    before = picture(ferry)
    shift(world.open(), ferry, on_trial=on_trial)
    workspace = world.open()
    hook(workspace, _fails_at("remove", "content", errno.EIO))
    with pytest.raises(Stopped):
        undo(workspace.carry.work(), "last")
    resume(world.open().carry.work())
    assert picture(ferry) == before and not leftovers(world.folder)


NAMES = st.sampled_from(
    ["Games", "x" * 256, "y" * 5_000, "..", ".", "", "\0", "\udcff", "\ud800", "a\nb", "\x1b[31m", "~"]
)
PATHS = st.lists(NAMES, max_size=30).map(lambda names: "/".join(["", *names]))
FIELDS = st.fixed_dictionaries(
    {},
    optional={
        "path": PATHS,
        "target_path": PATHS.map(lambda path: f"HERON{path}"),
        "library": NAMES,
        "bytes": st.sampled_from([-1, 0, 10**30, 1.5, "many"]),
        "files": st.integers(-1, 3),
        "n": st.integers(0, 2),
        "kind": st.sampled_from(["game", "nonsense", 7]),
        "tether": st.sampled_from(["link", "none", "rope"]),
        "to": st.sampled_from(["heron", "kestrel", "", "\0"]),
    },
)


@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
@given(fields=FIELDS)
def test_no_plan_file_is_a_fault_of_nuvik(tmp_path_factory, fields):
    world = a_world(tmp_path_factory.mktemp("plan"), kestrel={}, heron={})
    fill(world.path("kestrel", "Games", "Ferry"), files=3)
    plan = make_plan(world.open().plan.draft([(world.path("kestrel", "Games", "Ferry"), "heron")]))
    data = plan_to_json(plan)
    if "target_path" in fields:
        fields["target_path"] = fields["target_path"].replace("HERON", world.path("heron"))
    data["steps"][0].update(fields)
    file = world.folder / "plan.json"
    file.write_text(json.dumps(data))
    for words in (["plan"], ["rehearse"], ["carry", "--yes"]):
        assert world.run(words[0], str(file), *words[1:]) in (0, 3, 5)


@pytest.mark.parametrize(
    "limits, words",
    [(Limits(quota_bytes=1), "Your quota on Heron leaves 1 B"), (Limits(entries=1), "only 1 more entry")],
)
def test_a_quota_and_a_volume_full_of_entries_are_found_before_the_start(world, ferry, monkeypatch, limits, words):
    workspace = world.open()
    plan = make_plan(workspace.plan.draft([(str(ferry), "heron")]))
    monkeypatch.setattr(type(workspace.computer.host), "limits", lambda host, drive: limits)
    with pytest.raises(Refused, match=words):
        carry_plan(workspace.carry.work(), plan)
    assert not leftovers(world.folder) and not ferry.is_symlink()
