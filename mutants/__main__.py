"""Do the tests notice when a guard is gone? A small mutation run over the code that must not be wrong.

Called by `python3 start.py mutants`. One line at a time is made wrong in a copy of the sources: a guard is taken out, a
condition negated or halved, a call dropped; then the tests that watch over that file run until one fails. What no test
notices is listed, and more than the share allowed makes the exit code 1.

    --sample N     only N of them, chosen anew each week (0: all)
    --tests N      only the first N test files of each: quicker, and stricter
    --list         only say what would be tried
    FILE…          only in files whose path holds one of these words
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

sys.path[:0] = [str(Path(__file__).parent)]

from make_mutants import Mutant, mutants_of

ROOT = Path(__file__).resolve().parent.parent
CORE = "src/nuvik/core"
KILLED_SHARE = 0.95
_WEEK_S = 7 * 86_400
_PATIENCE, _PATIENCE_S = 4.0, 60.0
"""A mutant that makes a test run so many times as long, and seconds more, makes it run for ever."""


@dataclass(frozen=True)
class Target:
    """Files, and the tests that watch over them, the quick and likely ones first."""

    pattern: str
    tests: tuple[str, ...]


_CARRYING = (
    "tests/test_refusals.py",
    "tests/test_refusals_midway.py",
    "tests/test_guards.py",
    "tests/test_plan_and_rehearsal.py",
    "tests/test_staging_and_parts.py",
    "tests/test_promise.py",
)
TARGETS = (
    Target(f"{CORE}/carrying/**/*.py", _CARRYING),
    Target(
        f"{CORE}/checks/*.py",
        ("tests/test_refusals.py", "tests/test_plan_and_rehearsal.py", "tests/test_drives.py", "tests/test_promise.py"),
    ),
    Target(f"{CORE}/hosts/remove_tree.py", ("tests/test_refusals.py", "tests/test_guards.py", "tests/test_promise.py")),
    Target(
        f"{CORE}/planning/ordering/*.py",
        (
            "tests/test_ordering.py",
            "tests/test_staging_and_parts.py",
            "tests/test_plan_and_rehearsal.py",
            "tests/test_proposal.py",
            "tests/test_plans.py",
        ),
    ),
    Target(f"{CORE}/planning/placement/solver.py", ("tests/test_proposal.py", "tests/test_plans.py")),
    Target(f"{CORE}/planning/placement/proposal.py", ("tests/test_proposal.py", "tests/test_plans.py")),
)


def main() -> int:
    """Try the mutants; 1 when too many were not noticed."""
    parser = argparse.ArgumentParser(
        prog="start.py mutants", description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--sample", type=int, default=0)
    parser.add_argument("--tests", type=int, default=None)
    parser.add_argument("--list", action="store_true")
    parser.add_argument("words", nargs="*")
    asked = parser.parse_args()
    chosen = [(mutant, tests[: asked.tests]) for mutant, tests in _chosen(asked.words, asked.sample)]
    if asked.list:
        for mutant, _ in chosen:
            print(mutant)
        print(f"{len(chosen)} mutants")
        return 0
    began = time.monotonic()
    limits_s: dict[str, float] = {}
    for test in dict.fromkeys(test for _, tests in chosen for test in tests):
        began_test = time.monotonic()
        if failing := _failing_unchanged(test):
            print(f"Nothing can be said: {failing} with nothing wrong in the sources.")
            return 2
        limits_s[test] = _PATIENCE * (time.monotonic() - began_test) + _PATIENCE_S
    missed = _try_all(chosen, limits_s)
    killed = len(chosen) - len(missed)
    print(f"\n{killed} of {len(chosen)} noticed ({killed / max(1, len(chosen)):.0%}), {time.monotonic() - began:.0f} s")
    for mutant in missed:
        print(f"  not noticed: {mutant}")
    return int(killed < KILLED_SHARE * len(chosen))


def _chosen(words: list[str], sample: int) -> list[tuple[Mutant, tuple[str, ...]]]:
    every = []
    for target in TARGETS:
        for path in sorted(ROOT.glob(target.pattern)):
            name = str(path.relative_to(ROOT))
            if path.name != "__init__.py" and (not words or any(word in name for word in words)):
                every += [(mutant, target.tests) for mutant in mutants_of(name, path.read_text(encoding="utf-8"))]
    if not sample or sample >= len(every):
        return every
    return random.Random(int(time.time() // _WEEK_S)).sample(every, sample)


def _failing_unchanged(test: str) -> str | None:
    """The test file, if it fails although nothing was made wrong."""
    with tempfile.TemporaryDirectory(prefix="nuvik-mutants-") as folder:
        place = _copy_of_the_project(Path(folder) / "plain")
        file = f"{CORE}/__init__.py"
        plain = Mutant(file, 0, "nothing", (ROOT / file).read_text(encoding="utf-8"))
        return _noticed_by(plain, (test,), place, {})


def _copy_of_the_project(place: Path) -> Path:
    for part in ("src", "tests", "docs/schema"):
        shutil.copytree(ROOT / part, place / part, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(ROOT / "pyproject.toml", place)
    return place


def _try_all(chosen: list[tuple[Mutant, tuple[str, ...]]], limits_s: dict[str, float]) -> list[Mutant]:
    """As many at once as there are processors, each in a copy of its own."""
    places: Queue[Path] = Queue()
    missed: list[Mutant] = []
    with tempfile.TemporaryDirectory(prefix="nuvik-mutants-") as folder:
        workers = os.cpu_count() or 1
        for number in range(workers):
            place = _copy_of_the_project(Path(folder) / str(number))
            places.put(place)

        def attempt(pair: tuple[Mutant, tuple[str, ...]]) -> None:
            place = places.get()
            try:
                noticed_by = _noticed_by(pair[0], pair[1], place, limits_s)
            finally:
                places.put(place)
            if noticed_by is None:
                missed.append(pair[0])
            print(
                f"{'MISSED ' if noticed_by is None else 'noticed'} {pair[0]}"
                + (f"  [{noticed_by}]" if noticed_by else ""),
                flush=True,
            )

        with ThreadPoolExecutor(workers) as pool:
            list(pool.map(attempt, chosen))
    return missed


def _noticed_by(mutant: Mutant, tests: tuple[str, ...], place: Path, limits_s: dict[str, float]) -> str | None:
    """The first test file that fails with this mutant; None when all pass."""
    file = place / mutant.file
    whole = file.read_text(encoding="utf-8")
    file.write_text(mutant.text, encoding="utf-8")
    environment = {
        **os.environ,
        "PYTHONPATH": str(place / "src"),
        "PYTHONDONTWRITEBYTECODE": "1",
        "NUVIK_LOG": str(place / "log"),
        "HYPOTHESIS_STORAGE_DIRECTORY": str(place / "hypothesis"),
    }
    try:
        for test in tests:
            words = [
                sys.executable,
                "-m",
                "pytest",
                "-x",
                "-q",
                "-p",
                "no:xdist",
                "-p",
                "no:cacheprovider",
                "-o",
                "addopts=",
                "--basetemp",
                str(place / "tmp"),
                test,
            ]
            try:
                limit_s = limits_s.get(test)
                done = subprocess.run(
                    words, cwd=place, env=environment, capture_output=True, timeout=limit_s, check=False
                )
            except subprocess.TimeoutExpired:
                return f"{test}, which never ended"
            finally:
                subprocess.run(["rm", "-rf", str(place / "tmp")], check=False)
            if done.returncode == 1:
                return test
            if done.returncode != 0:
                return f"{test}, which could not run"
        return None
    finally:
        file.write_text(whole, encoding="utf-8")


if __name__ == "__main__":
    sys.exit(main())
