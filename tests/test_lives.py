"""Whole lives of a household: moves, trials, undos, stops and deaths in any order, and nothing is ever lost."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from conftest import a_world, fill, leftovers, picture
from nuvik.core.carrying.aside_folders import held
from nuvik.core.carrying.run import carry_plan, release, resume, undo
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import Move, State
from nuvik.core.model.progress import Stop
from nuvik.core.planning.drafting.make_plan import make_plan
from test_promise import Dead, Fuse

DRIVES = ("kestrel", "heron", "wren")
NAMES = ("Ferrymoss", "[b]Lantern")
lives = st.sampled_from([None] * 9 + [20, 50, 70, 80, 100])


class Household(RuleBasedStateMachine):
    """Two libraries, three drives. The model knows only what each library must contain."""

    @initialize()
    def move_in(self) -> None:
        self.place = tempfile.mkdtemp(prefix="nuvik-life-")
        self.world = a_world(Path(self.place), **{drive: {} for drive in DRIVES})
        for number, name in enumerate(NAMES):
            path = self.world.path("kestrel", "Games", name)
            fill(path, files=3, seed=number)
            os.symlink("data/file-0001.bin", os.path.join(path, "inside"))
            os.symlink(f"../{NAMES[1 - number]}/file-0000.bin", os.path.join(path, "neighbour"))
        self.whole = {name: _contents(self.world.path("kestrel", "Games", name)) for name in NAMES}

    def teardown(self) -> None:
        if hasattr(self, "place"):
            shutil.rmtree(self.place)

    def moves(self) -> list[Move]:
        return self.world.open().logbook.moves()

    def midway(self) -> bool:
        return any(not move.state.finished for move in self.moves())

    def do(self, act, life: int | None) -> None:
        """Act on a machine that may die; whatever Nuvik says in words is fine, a fault is not."""
        workspace = self.world.open()
        if life is not None:
            workspace.computer.host.files.hook = Fuse(workspace.computer.host.files.hook, life)
        try:
            act(workspace)
        except (Refused, Stopped, Dead):
            pass

    @precondition(lambda self: not self.midway())
    @rule(name=st.sampled_from(NAMES), step=st.integers(0, 1), on_trial=st.booleans(), life=lives)
    def shift(self, name: str, step: int, on_trial: bool, life: int | None) -> None:
        """To one of the two drives where it is not."""
        source = os.path.realpath(self.world.path("kestrel", "Games", name))
        here = os.path.relpath(source, self.world.folder).split(os.sep)[0]
        drive = [drive for drive in DRIVES if drive != here][step]
        self.do(
            lambda workspace: carry_plan(
                workspace.carry.work(),
                make_plan(workspace.plan.draft([(source, drive)], dict.fromkeys(DRIVES, 0))),
                on_trial,
            ),
            life,
        )

    @precondition(lambda self: self.moves())
    @rule(move=st.sampled_from(["last", "last", "1", "2", "3"]), life=lives)
    def take_back(self, move: str, life: int | None) -> None:
        self.do(lambda workspace: undo(workspace.carry.work(), move), life)

    @precondition(lambda self: self.midway())
    @rule(life=lives)
    def go_on(self, life: int | None) -> None:
        self.do(lambda workspace: resume(workspace.carry.work()), life)

    @precondition(lambda self: any(move.state is State.ON_TRIAL for move in self.moves()))
    @rule(life=lives)
    def let_go(self, life: int | None) -> None:
        self.do(lambda workspace: release(workspace.carry.work(), "all"), life)

    @precondition(lambda self: not self.midway())
    @rule(name=st.sampled_from(NAMES), text=st.binary(min_size=1, max_size=9))
    def play(self, name: str, text: bytes) -> None:
        """The user changes something by the old path, when nothing is unfinished."""
        with open(self.world.path("kestrel", "Games", name, "save.dat"), "wb") as file:
            file.write(text)
        self.whole[name] = _contents(self.world.path("kestrel", "Games", name))

    @invariant()
    def every_library_opens_or_is_kept_whole(self) -> None:
        if not hasattr(self, "whole"):
            return
        moves = self.moves()
        for name, whole in self.whole.items():
            path = self.world.path("kestrel", "Games", name)
            if os.path.isdir(path):
                assert _contents(path) == whole, f"{name} is not what it was"
            else:  # only between the two renames of a switch, or of its undo
                kept = [place for move in moves for place in (held(move), move.source, move.target)]
                assert any(os.path.isdir(place) and _contents(place) == whole for place in kept)
        if all(move.state.finished and move.state is not State.ON_TRIAL for move in moves):
            assert not leftovers(self.place)


def _contents(path: str) -> dict:
    """What a library holds, by name; where a link leads counts, not how it says so."""
    seen = {name: facts[2] for name, facts in picture(path).items() if facts[0] == "file"}
    for link in ("inside", "neighbour"):
        with open(os.path.join(path, link), "rb") as file:
            seen[link.encode()] = file.read()
    return seen


Household.TestCase.settings = settings(
    max_examples=24, stateful_step_count=20, deadline=None, suppress_health_check=list(HealthCheck)
)
TestHousehold = Household.TestCase


def test_a_stop_at_any_moment_leaves_work_that_goes_on(tmp_path):
    """Asked to stop at each progress event in turn; the bytes told never run backwards and end at the total."""
    moments, stopped = 0, True
    while stopped:
        moments += 1
        world = a_world(tmp_path / str(moments), kestrel={}, heron={})
        source = fill(world.path("kestrel", "Games", "Ferry"), files=5)
        whole, stop, reports = picture(source), Stop(), []

        def watch(event, stop=stop, reports=reports, moment=moments) -> None:
            if event.event == "progress":
                reports.append(event)
                if len(reports) == moment:
                    stop.ask()

        workspace = world.open()
        plan = make_plan(workspace.plan.draft([(str(source), "heron")]))
        try:
            carry_plan(workspace.carry.work(watch, stop), plan)
            stopped = stop.asked and not source.is_symlink()
        except Stopped as end:
            assert "original untouched" in end.what and "nuvik resume" in end.next_step
        for phase in ("copying", "proving"):
            done = [event.done_bytes for event in reports if event.detail["phase"] == phase]
            assert done == sorted(done) and all(count <= plan.frees_bytes for count in done)
        if stopped:
            resume(world.open().carry.work())
        assert source.is_symlink() and picture(source) == whole
    assert moments >= 3
