"""Plans add up, rehearsals foresee what carrying does, and everything that must not happen is refused by name."""

from __future__ import annotations

import itertools
import json
import os
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import MB, fill, leftovers, picture
from households import drive, home, library
from nuvik.core.carrying.lock import carrying_lock
from nuvik.core.carrying.run import carry_plan
from nuvik.core.model.errors import Refused
from nuvik.core.model.library import Kind
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate
from nuvik.core.store.plan_file import read_plan, write_plan
from nuvik.core.views.draft_sentences import consequence
from refusals import shift


@st.composite
def drafts(draw) -> Draft:
    """Some drives, some libraries on them, and a few put down elsewhere, fitting or not."""
    count = draw(st.integers(2, 4))
    libraries, drives = [], []
    for number in range(count):
        sizes = draw(st.lists(st.integers(0, 200), max_size=5))
        for position, size in enumerate(sizes):
            libraries.append(
                library(
                    f"d{number}:{position}",
                    f"d{number}",
                    kind=draw(st.sampled_from(list(Kind))),
                    bytes=size * MB,
                    files=size,
                    opens_per_week=draw(st.integers(0, 9)),
                )
            )
        used = sum(sizes) * MB + draw(st.integers(0, 100)) * MB
        usable = used + draw(st.integers(0, 400)) * MB + 1
        headroom = draw(st.integers(0, usable // MB)) * MB
        drives.append(drive(f"d{number}", usable_bytes=usable, used_bytes=used, headroom_bytes=headroom))
    draft = Draft(home(drives, libraries))
    for each in draw(st.lists(st.sampled_from(libraries), max_size=8)) if libraries else []:
        draft = draft.put_down(each.id, f"d{draw(st.integers(0, count - 1))}")
    return draft


@given(drafts(), st.booleans())
def test_bytes_are_conserved_and_no_feasible_step_breaks_a_floor(draft, on_trial):
    placed = [library for drive in draft.drives for library in draft.on_drive_then(drive.id)]
    assert sorted(library.id for library in placed) == sorted(library.id for library in draft.snapshot.libraries)
    assert sum(draft.free_then_bytes(d.id) for d in draft.drives) == sum(d.free_bytes for d in draft.drives)
    if not draft.places:
        with pytest.raises(Refused):
            make_plan(draft)
        return
    plan = make_plan(draft)
    scene = Scene(plan, draft.drives, on_trial=on_trial)
    timeline = simulate(scene)
    total, held = sum(timeline.free_before_bytes.values()), 0
    for step, planned in zip(timeline.steps, plan.steps, strict=True):
        held += planned.bytes if on_trial else 0
        assert sum(step.free_after_bytes.values()) == total - held
        assert sum(step.lowest_free_bytes.values()) == total - held - (0 if on_trial else planned.bytes)
        assert step.end_s >= step.start_s
        if timeline.feasible:
            assert step.lowest_free_bytes[planned.to_drive] >= scene.least_bytes[planned.to_drive]
    if not on_trial:
        assert timeline.free_after_bytes == {drive.id: draft.free_then_bytes(drive.id) for drive in draft.drives}
    dipped = any(
        step.lowest_free_bytes[planned.to_drive] < scene.least_bytes[planned.to_drive]
        for step, planned in zip(timeline.steps, plan.steps, strict=True)
    )
    reached = {planned.to_drive for planned in plan.steps}
    worse = any(
        free < min(timeline.floor_bytes[drive], timeline.free_before_bytes[drive])
        for drive, free in timeline.free_after_bytes.items()
        if drive in reached
    )
    assert timeline.feasible is not (dipped or worse)


@given(drafts())
def test_setting_down_and_back_restores_the_draft(draft):
    for each, to in itertools.product(draft.snapshot.libraries, draft.drives):
        moved = draft.put_down(each.id, to.id)
        assert moved.place_of(each) == to.id
        others = {library_id: place for library_id, place in draft.places.items() if library_id != each.id}
        assert moved.put_down(each.id, each.drive).places == others
        assert consequence(draft, each, to.id).endswith(".")


@pytest.mark.parametrize("on_trial", [False, True])
def test_a_rehearsal_foresees_what_carrying_does(world, on_trial):
    """Free space step by step to the byte, and time within five in a hundred."""
    for number in range(3):
        fill(world.path("kestrel", "Games", f"Game {number}"), files=20, seed=number)
        with open(world.path("kestrel", "Games", f"Game {number}", "big"), "wb") as file:
            file.truncate((number + 1) * 12 * MB)
    workspace = world.open()
    games = [world.path("kestrel", "Games", f"Game {number}") for number in range(3)]
    plan = make_plan(workspace.plan.draft([(games[0], "heron"), (games[1], "wren"), (games[2], "heron")]))
    timeline = workspace.rehearse.rehearse(plan, on_trial)
    assert timeline.feasible
    free_seen = []

    def note(event) -> None:
        if event.event in ("released", "on-trial"):
            free_seen.append({drive.id: drive.free_bytes for drive in world.open().drives.all()})

    outcome = carry_plan(workspace.carry.work(note), plan, on_trial)
    # While an original is held, its sidecar takes some two thousand bytes more.
    for seen, step in zip(free_seen, timeline.steps, strict=True):
        assert all(0 <= step.free_after_bytes[drive] - free <= 9_000 * on_trial for drive, free in seen.items())
    for move in outcome.moves:
        assert move.actual_s == pytest.approx(move.expected_s, rel=0.05, abs=0.1)  # the sidecars are small files too
    assert outcome.freed_bytes == outcome.expected_freed_bytes
    if not on_trial:
        assert outcome.freed_bytes == {"kestrel": plan.frees_bytes}


# -- bad input: each is refused with one clear message, and nothing is changed -------------------------------


def _cases(world):
    game = world.path("kestrel", "Games", "Ferrymoss")
    return {
        "an unknown drive": ((game, "albatross"), "no drive"),
        "no such path": ((game + "-not", "heron"), "There is nothing at"),
        "outside every drive": (("/usr/lib", "heron"), "none of the drives"),
        "a target outside": ((game, "/usr/lib"), "none of the drives"),
        "a drive's root": ((world.path("kestrel"), "heron"), "root of Kestrel"),
        "the same drive": ((game, "kestrel"), "already"),
        "inside itself": ((game, game + "/data"), "inside"),
        "a taken target": ((game, world.path("heron", "Taken")), "already"),
        "too little room": ((world.path("heron", "Huge"), "kestrel"), "short of its headroom"),
        "a drive that is away": ((game, "stork"), "away"),
        "a file too large": ((world.path("heron", "Large File"), "pipit"), "holds files up to"),
        "names it cannot hold": ((world.path("heron", "Odd Names"), "pipit"), "does not allow"),
        "links it cannot hold": ((world.path("heron", "Links"), "pipit"), "is a link"),
        "no tether from there": ((world.path("pipit", "Slides"), "heron"), "cannot hold the link"),
        "already a link": ((world.path("kestrel", "Way"), "heron"), "is a link"),
        "an unfinished download": ((world.path("heron", "Parcel"), "wren"), "unfinished download"),
        "a pipe inside": ((world.path("heron", "Pipe"), "wren"), "named pipe"),
        "shared outside": ((world.path("heron", "Shared"), "wren"), "second name"),
        "it stays": ((world.path("kestrel", "Dome"), "heron"), "opens the roof"),
        "the journal's own folder": ((world.path("heron", "State"), "wren"), "Nuvik's own database"),
    }


@pytest.fixture
def pitfalls(world):
    """A world in which everything that must be refused can be tried."""
    fill(world.path("kestrel", "Games", "Ferrymoss"))
    world.drive("pipit", filesystem="fat32", capacity_bytes=64_000 * MB, usable_bytes=64_000 * MB)
    world.drive("stork", attached=False)
    world.data["drive"][1].update(capacity_bytes=50_000 * MB, usable_bytes=50_000 * MB)
    world.cards = [{"path": "kestrel/Dome", "movable": False, "why_not": "it opens the roof"}]
    for folder in (
        "Huge",
        "Large File",
        "Odd Names",
        "Links",
        "Parcel",
        "Pipe",
        "Shared",
        "State",
        "Taken/Ferrymoss/mine",
    ):
        os.makedirs(world.path("heron", folder))
    os.mkdir(world.path("pipit", "Slides"))
    fill(world.path("kestrel", "Dome"))
    for path, size in (
        ("Huge/x", 190 * MB),
        ("Large File/x.dat", 2**32),
        ("Parcel/x.part", 10),
        ("Odd Names/what?", 1),
    ):
        with open(world.path("heron", path), "wb") as file:
            file.truncate(size)
    os.symlink("nowhere", world.path("heron", "Links", "link"))
    os.mkfifo(world.path("heron", "Pipe", "pipe"))
    for folder in ("", "Shared"):
        if not folder:
            with open(world.path("heron", "first name"), "w") as file:
                file.write("one content")
        else:
            os.link(world.path("heron", "first name"), world.path("heron", "Shared", "other name"))
    os.symlink(world.path("kestrel", "Games", "Ferrymoss"), world.path("kestrel", "Way"))
    world.write()
    return world


def test_what_must_not_happen_is_refused_and_changes_nothing(pitfalls):
    from nuvik.core.stages.workspace import open_workspace

    workspace = open_workspace(str(pitfalls.folder), pitfalls.path("heron", "State"))
    before = {drive: set(picture(pitfalls.path(drive))) for drive in ("kestrel", "wren", "pipit")}
    for case, ((path, goal), words) in _cases(pitfalls).items():
        with pytest.raises(Refused, match=words):
            carry_plan(workspace.carry.work(), make_plan(workspace.plan.draft([(path, goal)])))
            pytest.fail(f"{case} was not refused")
    assert {drive: set(picture(pitfalls.path(drive))) for drive in before} == before
    assert not leftovers(pitfalls.folder)
    assert not workspace.logbook.midway()


def test_a_plan_for_what_lay_there_before_is_refused(world):
    game = fill(world.path("kestrel", "Games", "Ferrymoss"))
    workspace = world.open()
    plan = make_plan(workspace.plan.draft([(str(game), "heron")]))
    (game / "grown.bin").write_bytes(b"new")
    assert "changed since the plan" in workspace.rehearse.rehearse(plan).violations[0].problem
    with pytest.raises(Refused, match="changed since the plan"):
        carry_plan(workspace.carry.work(), plan)
    assert game.is_dir() and not game.is_symlink()


def test_a_second_nuvik_is_told_who_holds_the_lock(world):
    game = fill(world.path("kestrel", "Games", "Ferrymoss"))
    workspace = world.open()
    plan = make_plan(workspace.plan.draft([(str(game), "heron")]))
    with (
        carrying_lock(workspace.computer.database.folder, "carrying 3 moves"),
        pytest.raises(Refused, match=rf"process {os.getpid()}, carrying 3 moves"),
    ):
        carry_plan(workspace.carry.work(), plan)


def test_something_open_is_named(world):
    import subprocess

    game = fill(world.path("kestrel", "Games", "Ferrymoss"))
    reader = subprocess.Popen(["tail", "-f", str(game / "file-0000.bin")], stdout=subprocess.PIPE)
    try:
        assert reader.stdout is not None and reader.stdout.read(1), "now it has the file open"
        workspace = world.open()
        with pytest.raises(Refused, match=rf"in use by tail \(process {reader.pid}\)"):
            shift(workspace, game, "heron")
    finally:
        reader.kill()
        reader.communicate()


def test_plan_files_come_back_exactly_and_broken_ones_are_refused(world, tmp_path):
    game = fill(world.path("kestrel", os.fsdecode(b"Ferry \xff\n")))
    plan = make_plan(world.open().plan.draft([(str(game), "heron")]))
    path = tmp_path / "a.nuvik-plan.json"
    write_plan(plan, str(path))
    assert read_plan(str(path)) == plan
    good = json.loads(path.read_text())
    assert {"from", "to", "target_path", "tether", "reason", "via"} <= good["steps"][0].keys()

    def broken(**changes) -> dict:
        return {**good, "steps": [{**good["steps"][0], **changes}]}

    for text, words in (
        ("{", "not valid JSON"),
        ("[]", "not a plan"),
        ("[" * 100_000, "not valid JSON"),
        (json.dumps({**good, "format": "nuvik-plan/2"}), "newer format"),
        (json.dumps(broken(bytes="many")), "bytes"),
        (json.dumps(broken(to=3)), "“steps.0.to”"),
        (json.dumps(broken(target_path="/heron/../../etc/x")), "not a clean absolute path"),
        (json.dumps(broken(path="Games/x")), "not a clean absolute path"),
        (json.dumps(broken(bytes=-1)), "below zero"),
        (json.dumps(broken(tether="glue")), "tether"),
        (json.dumps(broken(via="wren")), "staging"),
    ):
        path.write_text(text)
        with pytest.raises(Refused, match=words):
            read_plan(str(path))


def test_two_steps_may_not_want_one_place(world):
    for name in ("kestrel", "wren"):
        fill(world.path(name, "Games", "Ferrymoss"))
    workspace = world.open()
    both = [(world.path(drive, "Games", "Ferrymoss"), "heron") for drive in ("kestrel", "wren")]
    plan = workspace.plan.make(workspace.plan.draft(both))
    assert [os.path.basename(step.target_path) for step in plan.steps] == ["Ferrymoss", "Ferrymoss (2)"]
    assert (
        "is already taken, so it gets a number" in plan.steps[1].reason and workspace.rehearse.rehearse(plan).feasible
    )
    clash = replace(plan, steps=(plan.steps[0], replace(plan.steps[1], target_path=plan.steps[0].target_path)))
    assert any("Step 1 uses" in violation.problem for violation in workspace.rehearse.rehearse(clash).violations)
    fill(world.path("heron", "Games", "Ferrymoss (2)"))
    assert workspace.plan.make(workspace.plan.draft(both)).steps[1].target_path.endswith("(3)")


def test_headroom_asked_for_is_the_floor(world):
    game = fill(world.path("kestrel", "Games", "Ferrymoss"))
    workspace = world.open()
    plan = make_plan(workspace.plan.draft([(str(game), "wren")], {"wren": 999 * MB}))
    assert "short of its headroom" in workspace.rehearse.rehearse(plan).violations[0].problem
    assert workspace.rehearse.rehearse(replace(plan, headroom_bytes={"wren": 0})).feasible


def test_what_is_seldom_meant_gets_a_word(world):
    """A folder in a folder of its own name, and a shelf of libraries that moves as one."""
    for n, name in enumerate(("Kite", "Moor"), start=1):
        fill(world.path("kestrel", "Games", name), seed=n)
    os.mkdir(world.path("heron", "Games"))
    games = world.path("kestrel", "Games")
    assert world.run("survey") == 0
    printed = world.prints("shift", games, world.path("heron", "Games"))
    assert "in a folder of the same name" in printed and "Games holds 2 libraries (" in printed
    printed = world.prints("shift", games, world.path("heron", "Play", "Games"))
    assert world.path("heron", "Play", "Games") in printed and "same name" not in printed
    assert "Note" not in world.prints("shift", os.path.join(games, "Kite"), "heron")
