"""Libraries that wait on a third drive for their place, and parts that go another way than their library: carried for
real, killed at every operation, and taken back.
"""

from __future__ import annotations

import itertools
import json
import os
from functools import partial
from pathlib import Path

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from conftest import MB, World, a_world, fill, leftovers, picture
from nuvik.core.carrying.run import carry_plan, resume, undo
from nuvik.core.model.errors import Refused
from nuvik.core.model.journal import State
from nuvik.core.model.plan import Plan
from nuvik.core.planning.ordering.move_order import Transfer, order_moves
from nuvik.core.planning.ordering.staging import Stage, legs
from nuvik.core.planning.ordering.untie import untie
from nuvik.core.stages.workspace import Workspace
from nuvik.core.store.plan_file import read_plan, write_plan
from test_ordering import keeps_floors
from test_promise import die_after


def grown(world: World, drive: str, *names: str, size: int, seed: int = 1) -> str:
    """A library of so many bytes, nearly all of them one hole."""
    path = fill(world.path(drive, *names), files=5, seed=seed, odd=True)
    with open(path / "big.bin", "wb") as file:
        file.truncate(size)
    return str(path)


def knot(folder) -> tuple[World, dict[str, dict]]:
    """Two libraries that want each other's place on two tight drives, and a third drive with room for one of them."""
    rooms = {"kestrel": 13 * MB, "heron": 12 * MB, "plover": 10 * MB}
    facts = {name: {"capacity_bytes": x, "usable_bytes": x, "headroom_bytes": MB} for name, x in rooms.items()}
    world = a_world(folder, **facts)
    paths = (
        grown(world, "kestrel", "Games", "Kite", size=5 * MB),
        grown(world, "heron", "Games", "Loom [x]", size=5_500_000, seed=2),
    )
    return world, {path: picture(path) for path in paths}


def swap(workspace: Workspace) -> Plan:
    workspace.survey.take()
    snapshot = workspace.survey.latest()
    kite, loom = sorted(snapshot.libraries, key=lambda library: library.name)
    return workspace.plan.make(workspace.plan.draft([(kite.path, "heron"), (loom.path, "kestrel")]))


def test_a_knot_is_carried_through_a_third_drive_and_taken_back(tmp_path, capsys):
    world, whole = knot(tmp_path / "w")
    workspace = world.open()
    file = str(tmp_path / "swap.nuvik-plan.json")
    write_plan(swap(workspace), file)
    plan = read_plan(file)
    assert [(step.via, step.to_drive) for step in plan.steps] == [
        ("plover", "plover"),
        (None, "kestrel"),
        ("plover", "heron"),
    ]
    timeline = workspace.rehearse.rehearse(plan)
    assert timeline.feasible, timeline.violations
    assert world.run("plan", file) == 0, "a staged step holds although it lies elsewhere yet"
    capsys.readouterr()
    carry_plan(workspace.carry.work(), plan)
    assert {path: picture(path) for path in whole} == whole
    assert os.readlink(plan.steps[0].path) == plan.steps[2].target_path, "straight to where it is, not by way of Plover"
    assert not os.path.lexists(plan.steps[0].target_path) and not leftovers(world.folder)
    with pytest.raises(Refused, match="moved on"):
        undo(workspace.carry.work(), "1")
    for number in (3, 2, 1):
        undo(workspace.carry.work(), str(number))
        assert {path: picture(path) for path in whole} == whole, f"after taking back move {number}"
    assert not any(os.path.islink(path) for path in whole) and not leftovers(world.folder)
    for change, words in ((0, "no other step takes it on"), (2, "no other step"), (1, "leave nothing where programs")):
        document = json.loads(Path(file).read_text())
        document["steps"][change].update({"tether": "none"} if change == 1 else {"via": "heron"})
        with open(file + "2", "w") as out:
            json.dump(document, out)
        with pytest.raises(Refused, match=words):
            read_plan(file + "2")


@pytest.mark.slow
@pytest.mark.parametrize("then", ["resume", "undo"])
def test_staging_survives_death_at_any_operation(tmp_path, then):
    """Whenever it dies, both old paths open everything: a library that leaves the staging drive is led to before."""
    life, died = 0, True
    while died:
        life += 29 if then == "resume" else 43
        world, whole = knot(tmp_path / f"w{life}")
        workspace = world.open()
        plan = swap(workspace)
        died = die_after(workspace, life, partial(carry_plan, workspace.carry.work(), plan))
        assert {path: picture(path) for path in whole} == whole, f"after {life} operations"
        again = world.open()
        if then == "resume" and again.logbook.midway():
            resume(again.carry.work())
        while then == "undo" and any(_stands(move) for move in again.logbook.moves()):
            undo(again.carry.work(), "last")
            assert {path: picture(path) for path in whole} == whole
        assert {path: picture(path) for path in whole} == whole and not leftovers(world.folder)
    assert life > 150


def _stands(move) -> bool:
    return move.undoes is None and move.state not in (State.UNDONE, State.PLANNED)


def test_a_part_goes_its_own_way_before_its_library(world):
    project = str(fill(world.path("kestrel", "Projects", "Mosaic")))
    for name, size in (("Cache", 6 * MB), ("Backups", 4 * MB)):
        os.makedirs(os.path.join(project, name))
        with open(os.path.join(project, name, "data.bin"), "wb") as file:
            file.truncate(size)
    whole = picture(project, times=False, follow=True)
    workspace = world.surveyed()
    mosaic = next(library for library in workspace.survey.latest().libraries if library.path == project)
    draft = workspace.plan.draft([])
    parted = draft.parted(mosaic.id)
    assert sum(library.bytes for library in parted.snapshot.libraries) == mosaic.bytes
    assert parted.waiting[1].likely == pytest.approx(draft.waiting[1].likely), "in pieces it opens as it did"
    cache = f"{mosaic.id}/Cache"
    assert len(parted.put_down(mosaic.id, "heron").loads) == 1, "what stands together goes together"
    gone = parted.put_down(mosaic.id, "heron").put_down(cache, "wren")
    with pytest.raises(Refused, match="cannot stay behind"):
        gone.put_down(cache, "kestrel")
    plan = workspace.plan.make(gone)
    assert [(step.library, step.to_drive) for step in plan.steps] == [("Mosaic · Cache", "wren"), ("Mosaic", "heron")]
    assert plan.steps[0].target_path == world.path("wren", "Caches", "Mosaic Cache")
    assert sum(step.bytes for step in plan.steps) == mosaic.bytes
    assert workspace.rehearse.rehearse(plan).feasible
    carry_plan(workspace.carry.work(), plan)
    assert picture(project, times=False, follow=True) == whole and os.path.islink(os.path.join(project, "Cache"))
    with pytest.raises(Refused, match="itself been moved since"):
        undo(workspace.carry.work(), "1")
    for _ in plan.steps:
        undo(workspace.carry.work(), "last")
    assert picture(project, times=False, follow=True) == whole and not leftovers(world.folder)


@st.composite
def knots(draw):
    """Moves between tight drives, of which perhaps no order works, and a drive without moves to wait on."""
    names = [f"d{n}" for n in range(3)]
    moves, stages = [], []
    for number in range(draw(st.integers(2, 4))):
        source, target = draw(st.permutations(names))[:2]
        size = draw(st.integers(1, 8))
        moves.append(Transfer(f"m{number}", source, target, size, size, draw(st.integers(0, 2))))
        stages += [Stage(f"m{number}", via, size, size) for via in (*names, "spare") if via not in (source, target)]
    return moves, stages, {name: draw(st.integers(0, 9)) for name in (*names, "spare")}


_TWO_SMALL = [Transfer("m0", "d1", "d0", 1, 1), Transfer("m1", "d1", "d0", 1, 1), Transfer("m2", "d0", "d1", 3, 3)]
_WAITING = [Stage(move.key, "d2", move.room_bytes, move.room_bytes) for move in _TWO_SMALL]
"""The two that come first could wait together, with fewer bytes than the third."""


@settings(max_examples=300, deadline=None)
@given(case=knots())
@example(case=(_TWO_SMALL, _WAITING, {"d0": 0, "d1": 1, "d2": 3}))
def test_staging_is_found_whenever_it_helps_with_the_fewest_bytes(case):
    moves, stages, free = case
    floors = dict.fromkeys(free, 0)
    order = untie(moves, stages, free, floors)
    assert keeps_floors(order.ordered.done, free, floors)
    fewest = None
    for chosen in itertools.chain.from_iterable(itertools.combinations(stages, n) for n in range(len(moves) + 1)):
        by_key = {stage.key: stage for stage in chosen}
        if len(by_key) == len(chosen):
            split = [leg for move in moves for leg in (legs(move, by_key[move.key]) if move.key in by_key else [move])]
            extra = sum(stage.room_bytes for stage in chosen)
            if (fewest is None or extra < fewest) and not order_moves(split, free, floors).stuck:
                fewest = extra
    assert (fewest is None) is bool(order.ordered.stuck)
    if fewest is not None:
        assert sum(stage.room_bytes for stage in order.staged) == fewest
        done = [move.key for move in order.ordered.done]
        assert all(done.index(f"{library.key}\0001") < done.index(f"{library.key}\0002") for library in order.staged)
