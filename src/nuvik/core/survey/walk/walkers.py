"""Walkers: who sizes a slice of a tree. A drive that stops answering holds up its walker, and nobody who waits for it.

A thread or process that hangs in a question to a drive cannot be ended from outside on every system; so it is left
behind, and ends when the drive answers or the computer is restarted.
"""

from __future__ import annotations

import subprocess
import sys
import threading
from collections.abc import Callable
from typing import Protocol, TypeVar

from nuvik.core.survey.walk.walk_job import WalkJob
from nuvik.core.survey.walk.walk_slice import Sums, WalkRules, walk_slice
from nuvik.core.survey.walk.walk_worker import READY, receive, send, serve, task, unpacked

Result = TypeVar("Result")
Walked = tuple[list[Sums], list[str], int]
"""The sums of a slice, the folders that were left, and how many names were looked at."""
_SLICE_THERE = 24_000
"""Entries of a slice that has to be sent."""
_END_LIMIT_S = 1.0
_SERVE = f"from {serve.__module__} import serve; serve()"
"""What a walker runs; with `-m` it would take longer to begin."""


def walk_here(
    rules: WalkRules, starts: list[str], budget: int, look_up_s: float, give_up: Callable[[], bool]
) -> Walked | None:
    """Size a slice in this process, in a thread; None when `give_up`, asked every so many seconds, says so first."""
    return in_a_thread(lambda: walk_slice(rules, starts, budget), look_up_s, give_up)


def in_a_thread(work: Callable[[], Result], look_up_s: float, give_up: Callable[[], bool]) -> Result | None:
    """What some work gives that may hang; None when `give_up`, asked every so many seconds, says so first."""
    answers: list[Result] = []
    faults: list[Exception] = []

    def run() -> None:
        try:
            answers.append(work())
        except Exception as fault:
            faults.append(fault)

    thread = threading.Thread(target=run, daemon=True, name="nuvik-walk-here")
    thread.start()
    thread.join(look_up_s)
    while thread.is_alive():
        if give_up():
            return None
        thread.join(look_up_s)
    if faults:
        raise faults[0]
    return answers[0]


class Giver(Protocol):
    """Gives slices to walkers, and takes what they come back with."""

    def next_task(self) -> tuple[WalkJob, list[str]] | None:
        """Wait for something to walk; None when there is no more."""
        ...

    def failed(self, job: WalkJob, starts: list[str]) -> None:
        """The walker died over this slice."""
        ...

    def done(self, job: WalkJob, sums: list[Sums], left: list[str], seen: int) -> None:
        """The slice is walked."""
        ...


class Walker:
    """A walker in a process of its own, and the thread that hands it slices."""

    def __init__(self, giver: Giver) -> None:
        self._giver = giver
        self.alive = False
        """It has started, and did not die."""
        self.at: WalkJob | None = None
        """The job that it is at."""
        words = [sys.executable, "-P", "-c", _SERVE]
        pipe = subprocess.PIPE
        self._process = subprocess.Popen(words, stdin=pipe, stdout=pipe, stderr=subprocess.DEVNULL)
        self._thread = threading.Thread(target=self._run, daemon=True, name="nuvik-walker")
        self._thread.start()

    def _run(self) -> None:
        tasks, answers = self._process.stdin, self._process.stdout
        assert tasks is not None and answers is not None
        self.alive = answers.read(len(READY)) == READY
        while self.alive and (at_hand := self._giver.next_task()) is not None:
            job, starts = at_hand
            self.at = job
            try:
                send(task(job.rules, starts, _SLICE_THERE), tasks)
                rows, left, seen = receive(answers)
            except (OSError, EOFError, ValueError, TypeError):
                self.alive = False
                self._giver.failed(job, starts)
                return
            self.at = None
            self._giver.done(job, unpacked(rows), left, seen)

    def end(self) -> None:
        """At once, whatever it is at."""
        self._process.kill()
        try:
            self._process.wait(timeout=_END_LIMIT_S)
        except subprocess.TimeoutExpired:
            return  # it waits for a drive that does not answer; nothing can end it before that does
        self._thread.join(timeout=_END_LIMIT_S)
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                try:
                    pipe.close()
                except OSError:
                    pass


class NoWalker(Walker):
    """Stands where none can be had, so that nobody asks again."""

    def __init__(self, giver: Giver) -> None:
        self._giver, self.alive, self.at = giver, False, None

    def end(self) -> None:
        pass
