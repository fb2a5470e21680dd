"""How well a rehearsal foresees: a thousand moves simulated, and the time of real moves on real small drives."""

from __future__ import annotations

import os
import random
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from conftest import GB, MB, a_drive
from nuvik.core.carrying.run import carry_plan
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate
from nuvik.core.stages.workspace import Workspace, open_workspace
from nuvik.core.survey.drives.gauge import budget_for
from volumes import RealDrives

Row = tuple[str, str, str, str, bool | None]
_MOVES, _SIMULATED_S = 1_000, 0.2
_FIRST_WITHIN, _LATER_WITHIN = 0.20, 0.10
_PLAIN_WITHIN = 0.08
"""When the plain tool itself takes so much more or less than the time before, times tell nothing."""


def simulating() -> Iterator[Row]:
    """A thousand moves between eight drives, the figures of a survey included."""
    drives = tuple(
        a_drive(
            id=f"d{n}",
            label=f"D{n}",
            path=f"/d{n}",
            disk=f"s{n}",
            portable=False,
            headroom_bytes=0,
            usable_bytes=9000 * GB,
        )
        for n in range(8)
    )
    libraries = tuple(
        Library(
            id=f"l{n}",
            name=f"L{n}",
            kind=Kind.GAME,
            path=f"/d{n % 8}/{n}",
            drive=f"d{n % 8}",
            bytes=GB,
            on_disk_bytes=GB,
            files=40,
            largest_file_bytes=GB,
            last_used=None,
            opens_per_week=1,
        )
        for n in range(_MOVES)
    )
    draft = Draft(Snapshot(taken_at="", host="bench", drives=drives, libraries=libraries))
    for n in range(_MOVES):
        draft = draft.put_down(f"l{n}", f"d{(n + 1) % 8}")
    scene = Scene(make_plan(draft), drives, draft.snapshot)
    began = time.perf_counter()
    steps = simulate(scene).steps
    seconds = time.perf_counter() - began
    yield (
        f"simulate {len(steps)} moves",
        "",
        f"{1000 * seconds:.0f} ms",
        f"within {1000 * _SIMULATED_S:.0f} ms",
        seconds <= _SIMULATED_S,
    )


def foreseeing() -> Iterator[Row]:
    """One large library, one of 20,000 small files and a mixed one, carried between volumes held to known speeds; then
    three more of each, with what the first ones taught, of which the middle counts.
    """
    with (
        tempfile.TemporaryDirectory(dir="/tmp") as place,
        tempfile.TemporaryDirectory() as images,
        tempfile.TemporaryDirectory() as state,
    ):
        drives = RealDrives(Path(place), Path(images))
        try:
            source = drives.up("alpha", "1500M", "ext4", 80, 40)
            target = drives.up("beta", "1500M", "ext4", 120, 60)
            workspace = open_workspace(None, state)
            workspace.drives.gauge([budget_for(workspace.drives.find(name), quick=True) for name in ("alpha", "beta")])
            plain: dict[str, float] = {}
            for turn, rounds, within in (("first time", 1, _FIRST_WITHIN), ("once calibrated", 3, _LATER_WITHIN)):
                for number, make in enumerate((_large, _small, _mixed)):
                    name = make.__name__.strip("_")
                    seen = [
                        _carried(workspace, source / f"{turn.split()[0]}-{name}-{again}", target, make, number)
                        for again in range(rounds)
                    ]
                    theirs, took_s, foreseen_s, off = sorted(seen, key=lambda each: each[3])[rounds // 2]
                    good: bool | None = abs(off) <= within
                    if not good and abs(theirs / plain.get(name, theirs) - 1) > _PLAIN_WITHIN:
                        good = None  # the plain tool took another time than before, too
                    plain[name] = theirs
                    yield (
                        f"foresee {name} library, {turn}",
                        f"copy {theirs:.1f} s, carry {took_s:.1f} s",
                        f"foreseen {foreseen_s:.1f} s, {100 * off:+.0f} % off",
                        f"within {100 * within:.0f} %",
                        good,
                    )
        finally:
            drives.down()


def _carried(
    workspace: Workspace, root: Path, target: Path, make: Callable[[Path, random.Random], None], number: int
) -> tuple[float, float, float, float]:
    """Seconds of a plain copy of a fresh library, of carrying it, and foreseen for that; by what share that was off."""
    root.mkdir(parents=True)
    make(root, random.Random(number))
    theirs = _plain_copy(root, target)
    plan = workspace.plan.make(workspace.plan.draft([(str(root), "beta")]))
    foreseen_s = workspace.rehearse.rehearse(plan).total_s
    _forget_cache()
    (move,) = carry_plan(workspace.carry.work(), plan).moves
    shutil.rmtree(move.target)  # the volumes are small
    root.unlink()
    return theirs, move.actual_s, foreseen_s, move.actual_s / foreseen_s - 1


def _plain_copy(root: Path, drive: Path) -> float:
    """Seconds that Python's own copying takes, file by file as carrying does; the copy is removed again."""
    _forget_cache()
    began = time.perf_counter()
    shutil.copytree(root, drive / "plain")
    subprocess.run(["sync", "-f", str(drive)], check=True)
    seconds = time.perf_counter() - began
    shutil.rmtree(drive / "plain")
    return seconds


def _forget_cache() -> None:
    os.sync()
    Path("/proc/sys/vm/drop_caches").write_text("3\n")


def _large(root: Path, chance: random.Random) -> None:
    with open(root / "big.bin", "wb") as file:
        for _ in range(200):
            file.write(chance.randbytes(MB))


def _small(root: Path, chance: random.Random) -> None:
    for folder in range(200):
        (root / f"d{folder}").mkdir()
        for number in range(100):
            (root / f"d{folder}" / f"{number}.bin").write_bytes(chance.randbytes(chance.choice([300, 2_000, 6_000])))


def _mixed(root: Path, chance: random.Random) -> None:
    for number in range(3):
        with open(root / f"big{number}.bin", "wb") as file:
            for _ in range(30):
                file.write(chance.randbytes(MB))
    for folder in range(30):
        (root / f"d{folder}").mkdir()
        for number in range(100):
            (root / f"d{folder}" / f"{number}.bin").write_bytes(chance.randbytes(chance.choice([300, 2_000, 30_000])))
