"""Tests that run in a process which has everything loaded already, so that a mutant costs no start of Python.

As a program, in a copy of the project, it loads the tests and answers lines of JSON, one after the other: for each it
splits off a process, puts the wrong statement in place of the right one there, and runs tests until one fails.
"""

from __future__ import annotations

import ast
import gc
import json
import os
import select
import signal
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from pathlib import Path
from types import CodeType, FunctionType
from typing import Any

from which_tests import TestsFail

NEVER_ENDED, COULD_NOT_RUN = "the tests never ended", "it could not run"
_OPTIMIZED = 0x1
"""Of the flags of a piece of code: it is that of a function, and not of a module or a class."""


class TestServer:
    """The process, from outside."""

    def __init__(self, place: Path, environment: dict[str, str], plainly: Sequence[str], tests: Sequence[str]) -> None:
        """Raises TestsFail where the tests cannot be loaded."""
        words = [sys.executable, __file__, json.dumps(plainly), *tests]
        self._process = subprocess.Popen(
            words, cwd=place, env=environment, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        loaded = self._answer()
        if loaded["code"] != 0:
            raise TestsFail(f"pytest cannot collect them in {place}")
        self.known = frozenset(loaded["tests"])
        """The tests that there are. A map made earlier may name others."""

    def failed_first(self, file: str, was: str, text: str, tests: Sequence[str], timeout_s: float) -> str | None:
        """The first of these tests that fails with `text` in the file in place of what it was; None when all pass.

        Raises ValueError where a file cannot be changed while it is in use.
        """
        asked = {"file": file, "was": was, "text": text, "tests": list(tests), "timeout_s": timeout_s}
        assert self._process.stdin is not None
        self._process.stdin.write(json.dumps(asked) + "\n")
        self._process.stdin.flush()
        answer = self._answer()
        if answer.get("fresh"):
            raise ValueError(file)
        failed: str | None = answer["failed"]
        return failed

    def _answer(self) -> dict[str, Any]:
        assert self._process.stdout is not None
        line = self._process.stdout.readline()
        if not line:
            raise RuntimeError("the process that runs the tests has ended")
        answer: dict[str, Any] = json.loads(line)
        return answer

    def end(self) -> None:
        self._process.kill()
        self._process.wait()


# -- inside ------------------------------------------------------------------------------------------------


class _Collected:
    """Learns which tests there are."""

    def __init__(self) -> None:
        self.tests: list[str] = []

    def pytest_collection_finish(self, session: Any) -> None:
        self.tests = [item.nodeid for item in session.items]


class _Watch:
    """Hears of tests; the first that fails ends the run."""

    def __init__(self) -> None:
        self.failed: str | None = None

    def pytest_runtest_logreport(self, report: Any) -> None:
        if report.failed and self.failed is None:
            self.failed = report.nodeid

    def pytest_collectreport(self, report: Any) -> None:
        if report.failed and self.failed is None:
            self.failed = COULD_NOT_RUN


def _serve(plainly: list[str], tests: list[str]) -> None:
    import pytest

    answers = os.fdopen(os.dup(1), "w")
    nothing = os.open(os.devnull, os.O_RDWR)
    os.dup2(nothing, 1)
    collected = _Collected()
    code = pytest.main(["--collect-only", "-q", *plainly, *tests], plugins=[collected])
    gc.collect()
    print(json.dumps({"code": int(code), "tests": collected.tests}), file=answers, flush=True)
    for line in sys.stdin:
        print(json.dumps(_answer(json.loads(line), plainly)), file=answers, flush=True)


def _answer(asked: dict[str, Any], plainly: list[str]) -> dict[str, Any]:
    reading, writing = os.pipe()
    child = os.fork()
    if child == 0:
        os.setsid()
        answer = _tried(asked, plainly)
        os.write(writing, json.dumps(answer).encode())
        os._exit(0)
    os.close(writing)
    until = time.monotonic() + asked["timeout_s"]
    ready, _, _ = select.select([reading], [], [], max(0.0, until - time.monotonic()))
    data = os.read(reading, 65_536) if ready else b""
    if not ready or not data:
        os.killpg(child, signal.SIGKILL)
    os.close(reading)
    os.waitpid(child, 0)
    return json.loads(data) if data else {"failed": NEVER_ENDED if not ready else COULD_NOT_RUN}


def _tried(asked: dict[str, Any], plainly: list[str]) -> dict[str, Any]:
    import pytest

    try:
        _put_in_place(asked["file"], asked["was"], asked["text"])
    except ValueError:
        return {"fresh": True}
    watch = _Watch()
    words = ["-x", "-q", *plainly, "--basetemp", str(Path.cwd() / "tmp"), *asked["tests"]]
    code = pytest.main(words, plugins=[watch])
    return {"failed": watch.failed or (None if code == 0 else COULD_NOT_RUN)}


def _put_in_place(file: str, was: str, text: str) -> None:
    """Give every function of a loaded file the code that it has in `text`. Raises ValueError where more than functions
    would have to change.
    """
    path = str(Path.cwd() / file)
    loaded = list(_pieces(compile(was, path, "exec")))
    right = list(_pieces(compile(ast.unparse(ast.parse(was)), path, "exec")))
    wrong = list(_pieces(compile(text, path, "exec")))
    if not len(loaded) == len(right) == len(wrong):
        raise ValueError(file)
    for before, after in zip(right, wrong, strict=True):
        if _own(before) != _own(after) and not before.co_flags & _OPTIMIZED:
            raise ValueError(file)
        if before.co_freevars != after.co_freevars:
            raise ValueError(file)
    becomes = dict(zip(loaded, wrong, strict=True))
    for each in gc.get_objects():
        if isinstance(each, FunctionType) and each.__code__.co_filename == path and each.__code__ in becomes:
            each.__code__ = becomes[each.__code__]


def _pieces(code: CodeType) -> Iterator[CodeType]:
    """A piece of code and all in it, in the order in which they are written."""
    yield code
    for inner in code.co_consts:
        if isinstance(inner, CodeType):
            yield from _pieces(inner)


def _own(code: CodeType) -> tuple[object, ...]:
    """What a piece does by itself."""
    return code.co_code, code.co_names, tuple(each for each in code.co_consts if not isinstance(each, CodeType))


if __name__ == "__main__":
    _serve(json.loads(sys.argv[1]), sys.argv[2:])
