"""Which tests run a line, and how long each takes: measured by running them with coverage."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import xml.etree.ElementTree as ElementTree
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from coverage import CoverageData

QUICK_PLACE = "/dev/shm" if os.path.isdir("/dev/shm") else None
"""In memory where that is possible: what is tried thousands of times need not reach a drive each time."""


class TestsFail(Exception):
    """The tests fail although nothing is wrong in the sources; the message is what pytest printed last."""


@dataclass(frozen=True)
class TestMap:
    """The tests that run each line of each file, by file and line number, and the seconds that each test takes."""

    lines: dict[str, dict[int, tuple[str, ...]]]
    seconds: dict[str, float]

    def tests_of(self, file: str, lines: Iterable[int]) -> list[str]:
        """The tests that run any of these lines, the quickest first."""
        of_file = self.lines.get(file, {})
        tests = {test for line in lines for test in of_file.get(line, ())}
        return sorted(tests, key=lambda test: (self.seconds.get(test, 0.0), test))

    def save(self, path: Path) -> None:
        path.write_text(json.dumps({"lines": self.lines, "seconds": self.seconds}), encoding="utf-8")

    @classmethod
    def load(cls, path: Path) -> TestMap:
        saved = json.loads(path.read_text(encoding="utf-8"))
        lines = {
            file: {int(line): tuple(tests) for line, tests in of_file.items()}
            for file, of_file in saved["lines"].items()
        }
        return cls(lines, saved["seconds"])


def measure(root: Path, which: Sequence[str]) -> TestMap:
    """Run tests once, given as to pytest, and note what each of them runs.

    Raises TestsFail when one of them does not pass as things are.
    """
    with tempfile.TemporaryDirectory(prefix="nuvik-mutants-", dir=QUICK_PLACE) as folder:
        data_file, report = Path(folder) / "coverage", Path(folder) / "junit.xml"
        coverage_words = ["--cov=nuvik.core", "--cov-context=test", "--cov-report="]
        places = [f"--basetemp={folder}/tmp", f"--junitxml={report}"]
        words = [sys.executable, "-m", "pytest", "-q", *coverage_words, *places, *which]
        environment = {**os.environ, "COVERAGE_FILE": str(data_file), "PYTHONPATH": str(root / "src")}
        done = subprocess.run(words, cwd=root, env=environment, capture_output=True, text=True, check=False)
        if done.returncode:
            raise TestsFail("\n".join(done.stdout.splitlines()[-8:]))
        return TestMap(_tests_by_line(root, data_file), _seconds(report))


def _tests_by_line(root: Path, data_file: Path) -> dict[str, dict[int, tuple[str, ...]]]:
    data = CoverageData(str(data_file))
    data.read()
    return {
        str(Path(file).relative_to(root)): {
            line: tuple(sorted({context.rpartition("|")[0] for context in contexts if context}))
            for line, contexts in data.contexts_by_lineno(file).items()
        }
        for file in data.measured_files()
    }


def _seconds(report: Path) -> dict[str, float]:
    return {
        f"{case.get('classname', '').replace('.', '/')}.py::{case.get('name')}": float(case.get("time", 0))
        for case in ElementTree.parse(report).iter("testcase")
    }
