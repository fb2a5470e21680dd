"""Do the tests notice when a guard is gone? A small mutation run over the code that must not be wrong.

Called by `python3 start.py mutants`. First the tests run once with coverage, to learn which of them runs each line.
Then one statement at a time is made wrong in a copy of the sources: a guard is taken out, a condition negated or
halved, a call dropped; and the tests that run that statement are run until one fails. What no test notices is listed,
and when fewer are noticed than the share allowed explains, the exit code is 1.

    --sample N     only N of them; always the same ones, as long as their code stays as it is
    --skip N       without the first N of these
    --workers N    try so many at once; as many as there are processors unless given
    --quick        only tests that are not marked as slow: stricter, and much sooner done
    --seconds S    only as many tests of each as take so many seconds: a first look at very many
    --again FILE   only those that the run whose output is in FILE missed
    --map FILE     keep what each test runs in FILE; when FILE exists, it is used instead of running the tests first
    --list         only say what would be tried
    WORDS…         only in files whose path holds one of these words; a number after a colon is a line (guards.py:40)
"""

from __future__ import annotations

import argparse
import hashlib
import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass
from math import comb
from pathlib import Path
from queue import Queue

sys.path[:0] = [str(Path(__file__).parent)]

from make_mutants import Mutant, mutants_of
from test_server import COULD_NOT_RUN, NEVER_ENDED, TestServer
from which_tests import QUICK_PLACE, TestMap, TestsFail, measure

ROOT = Path(__file__).resolve().parent.parent
CORE = "src/nuvik/core"
KILLED_SHARE = 0.95
_BY_CHANCE = 0.05
"""Fewer than the share are put down to the sample unless they are less likely than this."""
_PATIENCE, _PATIENCE_S = 3.0, 20.0
"""A mutant that makes its tests take so many times as long, and seconds more, makes them run for ever."""
_PASSES_WITHIN_S = 600.0
_FIRST_TESTS_S = 15.0
"""So many seconds of tests run before the others: a mutant that never ends is given up after minutes, not an hour."""
_PLAINLY = ("-p", "no:xdist", "-p", "no:cacheprovider", "-p", "no:pytest_cov", "-o", "addopts=")

TARGETS = (
    f"{CORE}/carrying/**/*.py",
    f"{CORE}/checks/*.py",
    f"{CORE}/hosts/remove_tree.py",
    f"{CORE}/planning/ordering/*.py",
    f"{CORE}/planning/placement/solver.py",
    f"{CORE}/planning/placement/proposal.py",
    f"{CORE}/settings/settings_file.py",
)
OF_GUARDS = (
    "tests/test_durability.py",
    "tests/test_guards_midway.py",
    "tests/test_mending_guards.py",
    "tests/test_single_guards.py",
    "tests/test_check_guards.py",
    "tests/test_records.py",
    "tests/test_aside_folders.py",
    "tests/test_places_of_moves.py",
    "tests/test_by_path.py",
    "tests/test_leftovers.py",
    "tests/test_faults.py",
    "tests/test_refusals_midway.py",
    "tests/test_refusals.py",
    "tests/test_copying.py",
    "tests/test_emptying_guards.py",
    "tests/test_emptying.py",
    "tests/test_refusals_of_runs.py",
)
"""Written for guards: their tests come first, the most searching before the others."""
TESTS = (
    *OF_GUARDS,
    "tests/test_guards.py",
    "tests/test_tethers.py",
    "tests/test_tether_commands.py",
    "tests/test_landings.py",
    "tests/test_settings_files.py",
    "tests/test_ordering.py",
    "tests/test_sense.py",
    "tests/test_staging_and_parts.py",
    "tests/test_plan_and_rehearsal.py",
    "tests/test_drives.py",
    "tests/test_plans.py",
    "tests/test_proposal.py",
    "tests/test_buying_and_advice.py",
    "tests/test_promise.py",
    "tests/test_real_traps.py",
    "tests/test_real_marks.py",
    "tests/test_mending.py",
    "tests/test_marks.py",
    "tests/test_queue.py",
)
_rank = {file: rank for rank, file in enumerate(OF_GUARDS)}


def main() -> int:
    """Try the mutants; 1 when too many were not noticed, 2 when the tests fail without any."""
    parser = argparse.ArgumentParser(
        prog="start.py mutants", description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--sample", type=int, default=0)
    parser.add_argument("--skip", type=int, default=0)
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 1)
    parser.add_argument("--quick", action="store_true")
    parser.add_argument("--seconds", type=float, default=float("inf"))
    parser.add_argument("--again", type=Path, default=None)
    parser.add_argument("--map", type=Path, default=None)
    parser.add_argument("--list", action="store_true")
    parser.add_argument("words", nargs="*")
    asked = parser.parse_args()
    chosen = _chosen(asked.words, asked.sample)[asked.skip :]
    if asked.again is not None:
        missed_then = set(re.findall(r"^MISSED +(.*?):\d+: (.*?)  \[", asked.again.read_text("utf-8"), re.MULTILINE))
        chosen = [mutant for mutant in chosen if (mutant.file, mutant.what) in missed_then]
    if asked.list:
        for mutant in chosen:
            print(mutant)
        print(f"{len(chosen)} mutants")
        return 0
    began = time.monotonic()
    try:
        test_map = _test_map(asked.quick, asked.map)
    except TestsFail as failure:
        print(f"Nothing can be said: the tests fail with nothing wrong in the sources.\n{failure}")
        return 2
    print(f"The tests pass as things are ({time.monotonic() - began:.0f} s). {len(chosen)} mutants:", flush=True)
    try:
        missed = _try_all(chosen, test_map, asked.workers, asked.seconds)
    except TestsFail as failure:
        print(f"Nothing can be said: the tests cannot run in a copy of the project.\n{failure}")
        return 2
    killed = len(chosen) - len(missed)
    print(f"\n{killed} of {len(chosen)} noticed ({killed / max(1, len(chosen)):.1%}), {time.monotonic() - began:.0f} s")
    for mutant in sorted(missed, key=str):
        print(f"  not noticed: {mutant}")
    if (chance := chance_of_so_few(killed, len(chosen))) < _BY_CHANCE:
        print(f"Were {KILLED_SHARE:.0%} of all noticed, so few would be with a chance of {chance:.1%} only.")
        return 1
    return 0


def chance_of_so_few(killed: int, tried: int) -> float:
    """How likely at most so many are noticed when the share allowed of all are: a sample of ten says little."""
    return sum(
        comb(tried, count) * KILLED_SHARE**count * (1 - KILLED_SHARE) ** (tried - count) for count in range(killed + 1)
    )


def _chosen(words: list[str], sample: int) -> list[Mutant]:
    every: list[Mutant] = []
    for pattern in TARGETS:
        for path in sorted(ROOT.glob(pattern)):
            if path.name != "__init__.py":
                every += mutants_of(str(path.relative_to(ROOT)), path.read_text(encoding="utf-8"))
    if words:
        every = [mutant for mutant in every if any(word in f"{mutant}:" for word in words)]
    if not sample or sample >= len(every):
        return every
    # By what they are and not by their lines: an edit elsewhere in the file leaves the sample as it is.
    return sorted(every, key=lambda mutant: hashlib.sha256(mutant.name.encode()).digest())[:sample]


def _test_map(quick: bool, kept_in: Path | None) -> TestMap:
    if kept_in is not None and kept_in.exists():
        return TestMap.load(kept_in)
    test_map = measure(ROOT, [*TESTS, *(["-m", "not slow"] if quick else [])])
    if kept_in is not None:
        test_map.save(kept_in)
    return test_map


@dataclass
class _Copy:
    """A copy of the project in which a worker tries mutants, and its process that runs the tests. Where these cannot
    run in it, TestsFail is raised: else every mutant would be noticed.
    """

    place: Path
    server: TestServer

    @classmethod
    def made(cls, place: Path) -> _Copy:
        _copy_of_the_project(place)
        return cls(place, TestServer(place, _environment(place), _PLAINLY, TESTS))

    def failed_first(self, mutant: Mutant, was: str, tests: Sequence[str], timeout_s: float) -> str | None:
        """The first of these tests that fails with the mutant in place; None when all pass."""
        try:
            return self.server.failed_first(mutant.file, was, mutant.text, tests, timeout_s)
        except ValueError:
            pass  # more than functions change: in a process of its own
        finally:
            subprocess.run(["rm", "-rf", str(self.place / "tmp")], check=False)
        try:
            done = self._run(tests, timeout_s)
        except subprocess.TimeoutExpired:
            return NEVER_ENDED
        if not done.returncode:
            return None
        failed = (line.split(" - ")[0].split(" ", 1) for line in done.stdout.splitlines())
        return next((words[1] for words in failed if words[0] in ("FAILED", "ERROR")), COULD_NOT_RUN)

    def passes(self, test: str) -> bool:
        """Whether a test passes with nothing wrong."""
        try:
            return self.server.failed_first("", "", "", [test], _PASSES_WITHIN_S) is None
        finally:
            subprocess.run(["rm", "-rf", str(self.place / "tmp")], check=False)

    def _run(self, tests: Sequence[str], timeout_s: float) -> subprocess.CompletedProcess[str]:
        """Run tests in a process of its own until one fails. Raises subprocess.TimeoutExpired."""
        words = [sys.executable, "-m", "pytest", "-x", "-q", *_PLAINLY, "--basetemp", str(self.place / "tmp"), *tests]
        environment = _environment(self.place)
        try:
            return subprocess.run(
                words,
                cwd=self.place,
                env=environment,
                capture_output=True,
                text=True,
                timeout=timeout_s,
                check=False,
            )
        finally:
            subprocess.run(["rm", "-rf", str(self.place / "tmp")], check=False)


def _try_all(chosen: Sequence[Mutant], test_map: TestMap, workers: int, seconds: float) -> list[Mutant]:
    """Those that no test notices. As many are tried at once as there are workers, each in a copy of its own."""
    copies: Queue[_Copy] = Queue()
    missed: list[Mutant] = []
    sharp: Counter[tuple[str, str]] = Counter()
    passes: dict[str, bool] = {}

    def attempt(mutant: Mutant) -> None:
        # What noticed the last mutants of a file likely notices the next; the quickest first among the others.
        tests = test_map.tests_of(mutant.file, mutant.lines)
        tests.sort(key=lambda test: (-sharp[mutant.file, test], _rank.get(test.partition("::")[0], len(_rank))))
        tests = list(_within(seconds, tests, test_map))
        copy = copies.get()
        try:
            while True:
                tests = [test for test in tests if passes.get(test, True) and test in copy.server.known]
                noticed_by = _noticed_by(mutant, tests, test_map, copy)
                # A test that fails without the mutant, too, notices nothing: each is asked that once.
                if noticed_by not in test_map.seconds or passes.get(noticed_by):
                    break
                passes[noticed_by] = copy.passes(noticed_by)
                if not passes[noticed_by]:
                    print(f"FAILS WITHOUT ANY MUTANT, and is left out: {noticed_by}", flush=True)
        finally:
            copies.put(copy)
        if noticed_by is None:
            missed.append(mutant)
        sharp[mutant.file, noticed_by or ""] += 1
        print(f"{'MISSED ' if noticed_by is None else 'noticed'} {mutant}  [{noticed_by or f'{len(tests)} tests'}]")
        sys.stdout.flush()

    with tempfile.TemporaryDirectory(prefix="nuvik-mutants-", dir=QUICK_PLACE) as folder, ExitStack() as at_end:
        for number in range(workers):
            copies.put(copy := _Copy.made(Path(folder) / str(number)))
            at_end.callback(copy.server.end)
        with ThreadPoolExecutor(workers) as pool:
            list(pool.map(attempt, chosen))
    return missed


def _within(seconds: float, tests: Sequence[str], test_map: TestMap) -> Iterator[str]:
    """The first of these tests, as many as take so long; at least one where there is any."""
    spent_s = 0.0
    for test in tests:
        if spent_s >= seconds:
            return
        yield test
        spent_s += test_map.seconds.get(test, 0.0)


def _copy_of_the_project(place: Path) -> None:
    for part in ("src", "tests", "bench", "docs"):
        shutil.copytree(ROOT / part, place / part, ignore=shutil.ignore_patterns("__pycache__", "screenshots"))
    shutil.copy(ROOT / "pyproject.toml", place)


def _environment(place: Path) -> dict[str, str]:
    """In which tests of a copy run with its sources."""
    return {
        **os.environ,
        "PYTHONPATH": str(place / "src"),
        "PYTHONDONTWRITEBYTECODE": "1",
        "NUVIK_LOG": str(place / "log"),
        "HYPOTHESIS_STORAGE_DIRECTORY": str(place / "hypothesis"),
    }


def _noticed_by(mutant: Mutant, tests: Sequence[str], test_map: TestMap, copy: _Copy) -> str | None:
    """What failed first with this mutant; None when all tests pass, or none runs the statement at all."""
    file = copy.place / mutant.file
    was = file.read_text(encoding="utf-8")
    file.write_text(mutant.text, encoding="utf-8")  # for what starts Nuvik as a program
    try:
        for batch in _in_batches(tests, test_map):
            usual_s = sum(test_map.seconds.get(test, 0) for test in batch)
            failed = copy.failed_first(mutant, was, batch, _PATIENCE * usual_s + _PATIENCE_S)
            if failed is not None:
                return failed
    finally:
        file.write_text(was, encoding="utf-8")
    return None


def _in_batches(tests: Sequence[str], test_map: TestMap) -> list[Sequence[str]]:
    """The first tests apart, as they mostly notice; then all others. None that is empty."""
    first, seconds = 0, 0.0
    while first < len(tests) and (not first or seconds < _FIRST_TESTS_S):
        seconds += test_map.seconds.get(tests[first], 0)
        first += 1
    return [batch for batch in (tests[:first], tests[first:]) if batch]


if __name__ == "__main__":
    sys.exit(main())
