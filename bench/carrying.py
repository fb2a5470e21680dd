"""A move beside the plain tools for the same: copy, write to the medium, drop the cache, compare, remove the original.

Both do it by turns on the same volumes, and the medians count: of wall time, of processor time, and how much memory
Nuvik takes at most. A turn counts when the machine was calm before and after it: else Python may be half as quick,
while what the system does for both hardly is.
"""

from __future__ import annotations

import os
import random
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from operator import attrgetter
from pathlib import Path
from typing import NamedTuple

from calm import is_calm, wait_until_calm

from conftest import MB
from volumes import RealDrives

Row = tuple[str, str, str, str, bool | None]
_ROUNDS, _FEWEST, _MOST_ROUNDS, _WAIT_S = 5, 3, 8, 20.0
_WALL_TIMES, _PROCESSOR_TIMES, _MOST_BYTES = 1.1, 1.5, 150 * MB
_LARGE_MB, _SMALL_FILES = 4_000, 50_000


def carrying() -> Iterator[Row]:
    """One large file, and very many small ones."""
    with tempfile.TemporaryDirectory(dir="/tmp") as place, tempfile.TemporaryDirectory() as images:
        drives = RealDrives(Path(place), Path(images))
        try:
            source, target = (drives.up(name, "9000M", "ext4") for name in ("alpha", "beta"))
            for name, make in (("a file of 4 GB", _large), ("50,000 small files", _small)):
                yield from _compared(name, make, source, target)
        finally:
            drives.down()


def _compared(name: str, make: Callable[[Path], None], source: Path, target: Path) -> Iterator[Row]:
    turns: list[tuple[_Timed, _Timed]] = []
    calm_turns: list[tuple[_Timed, _Timed]] = []
    for _ in range(_MOST_ROUNDS):
        theirs = _timed(lambda: _plain_move(source / "L", target / "Programs" / "L"), make, source, target)
        mine = _timed(lambda: _nuvik(source / "L", target), make, source, target)
        turns.append((theirs, mine))
        calm_turns = [turn for turn in turns if turn[0].calm and turn[1].calm]
        if len(calm_turns) == _ROUNDS:
            break
    enough = len(calm_turns) >= _FEWEST
    for what, seconds, most in (
        ("wall time", attrgetter("wall_s"), _WALL_TIMES),
        ("processor time", attrgetter("processor_s"), _PROCESSOR_TIMES),
    ):
        plain_s, ours_s = zip(*(map(seconds, turn) for turn in (calm_turns if enough else turns)), strict=True)
        # Of turns taken one after the other: the machine may be half as quick a minute later.
        factors = [my_s / their_s for my_s, their_s in zip(ours_s, plain_s, strict=True)]
        factor = statistics.median(factors)
        yield (
            f"carry {name}: {what}",
            f"plain tools {statistics.median(plain_s):.1f} s",
            f"{statistics.median(ours_s):.1f} s, {factor:.2f} times ({min(factors):.2f} to {max(factors):.2f})",
            f"at most {most:.1f} times",
            factor <= most if enough else None,
        )
    largest_bytes = max(mine.result for _, mine in turns)
    yield (
        f"carry {name}: memory",
        "",
        f"{largest_bytes / MB:.0f} MB at most",
        f"under {_MOST_BYTES / MB:.0f} MB",
        largest_bytes < _MOST_BYTES,
    )


class _Timed(NamedTuple):
    result: int
    wall_s: float
    processor_s: float
    calm: bool
    """Whether the machine was, right before and right after."""


def _timed(act: Callable[[], int], make: Callable[[Path], None], source: Path, target: Path) -> _Timed:
    """An act on a fresh library, begun when the machine is calm if that comes soon."""
    for drive in (source, target):
        for path in drive.iterdir():
            if path.is_symlink():
                path.unlink()
            elif path.name != "lost+found":
                shutil.rmtree(path)
    (source / "L").mkdir()
    make(source / "L")
    _forget_cache()
    calm = wait_until_calm(_WAIT_S)
    began, before = time.perf_counter(), resource.getrusage(resource.RUSAGE_CHILDREN)
    result = act()
    wall_s, after = time.perf_counter() - began, resource.getrusage(resource.RUSAGE_CHILDREN)
    processor_s = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    return _Timed(result, wall_s, processor_s, calm and is_calm())


def _plain_move(library: Path, copy: Path) -> int:
    copy.parent.mkdir()
    subprocess.run(["cp", "-a", str(library), str(copy)], check=True)
    subprocess.run(["sync", "-f", str(copy)], check=True)
    Path("/proc/sys/vm/drop_caches").write_text("3\n")
    subprocess.run(["diff", "-rq", str(library), str(copy)], check=True)
    subprocess.run(["rm", "-r", str(library)], check=True)
    subprocess.run(["sync", "-f", str(library.parent)], check=True)
    return 0


def _nuvik(library: Path, target: Path) -> int:
    """In a process of its own, as the plain tools are; gives what it held at most."""
    with tempfile.TemporaryDirectory() as state:
        words = [sys.executable, "-m", "nuvik", "shift", str(library), str(target), "--yes", "--state", state]
        # As where it is installed: there its modules are compiled once.
        environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
        process = subprocess.Popen(words, stdout=subprocess.DEVNULL, env=environment)
        held_bytes = 0
        while process.poll() is None:
            for line in _status(process.pid):
                if line.startswith("VmHWM"):
                    held_bytes = int(line.split()[1]) * 1024
            time.sleep(0.05)
        assert process.returncode == 0
        return held_bytes


def _status(process: int) -> list[str]:
    try:
        return Path(f"/proc/{process}/status").read_text().splitlines()
    except OSError:
        return []  # it has just ended


def _large(root: Path) -> None:
    chance = random.Random(1)
    block = chance.randbytes(16 * MB)
    with open(root / "large.bin", "wb") as file:
        for number in range(_LARGE_MB // 16):
            file.write(number.to_bytes(8, "little") + block[8:])


def _small(root: Path) -> None:
    chance = random.Random(1)
    for number in range(_SMALL_FILES):
        folder = root / f"d{number // 200}"
        if number % 200 == 0:
            folder.mkdir()
        (folder / f"{number}.dat").write_bytes(chance.randbytes(chance.choice([300, 2_000, 6_000, 12_000])))


def _forget_cache() -> None:
    subprocess.run(["sync"], check=True)
    Path("/proc/sys/vm/drop_caches").write_text("3\n")
