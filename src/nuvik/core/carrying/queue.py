"""The moves of a run in turn: the one whose turn it is, beside others where the user wants that, until all are done or
something ends the run; and that end in words, kept with its move.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ThreadPoolExecutor, wait
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from typing import Any

from nuvik.core.carrying.explain_oserror import stopped_by
from nuvik.core.carrying.move import carry_move
from nuvik.core.carrying.outcome import again, sum_up
from nuvik.core.carrying.work import Work
from nuvik.core.model.errors import DriveAway, NuvikError, Refused, Stopped, StopRequested
from nuvik.core.model.journal import Move, State
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Event
from nuvik.core.model.units import format_count
from nuvik.core.rehearsal.calibration_samples import as_step
from nuvik.core.rehearsal.side_by_side import needs_of, step_beside

log = logging.getLogger(__name__)
Floors = Mapping[str, int]
"""The free space, in bytes, that each drive of this id is to keep."""


def carry_in_turn(work: Work, moves: list[Move], side_by_side: Floors | None = None) -> list[Move]:
    """Carry moves to their ends, each time the one whose turn it is: the user may leave out some that wait, or bring
    them forward, while others are carried. Given the floors of the drives, moves that share no disk go `side_by_side`.

    Gives the moves as they are then. Raises Refused when nothing was touched, else Stopped.
    """
    queue = _Queue(work, moves, side_by_side)
    why = f"moving {format_count(len(moves), 'library', 'libraries')}"
    with work.host.kept_awake(why), _AtOnce() if side_by_side is None else ThreadPoolExecutor() as executor:
        queue.carry(executor)
    queue.raise_trouble()
    return [move for move in again(work, moves) if not move.left_out]


@dataclass(slots=True)
class _Queue:
    """Which moves wait, which are being carried, and what went wrong with any."""

    work: Work
    moves: list[Move]
    side_by_side: Floors | None
    running: dict[Future[Move], Move] = field(default_factory=dict)
    done: list[Move] = field(default_factory=list)
    aside: list[tuple[Move, Exception]] = field(default_factory=list)
    """Those whose drive is away: the others go on."""
    troubles: list[tuple[Move, Exception]] = field(default_factory=list)
    """What ends the run; moves that are being carried meanwhile are carried to their ends."""

    def carry(self, executor: Executor) -> None:
        while True:
            while (move := self._next()) is not None:
                self.running[executor.submit(carry_move, self._work_for(move), move)] = move
            if not self.running:
                return
            for future in wait(self.running, return_when=FIRST_COMPLETED).done:
                self._take(self.running.pop(future), future)

    def raise_trouble(self) -> None:
        """Whatever ended the run early; the first of several."""
        work, moves = self.work, self.moves
        refusals = [trouble for _, trouble in self.troubles if isinstance(trouble, Refused)]
        if refusals and all(move.state is State.PLANNED for move in again(work, moves)):  # nothing was touched
            work.journal.keep(*(replace(move, state=State.UNDONE, problem=refusals[0].what) for move in moves))
            raise refusals[0]
        stops = [
            _report_stop(work, moves, work.journal.move(move.id), trouble)
            for move, trouble in (*self.troubles, *self.aside)
        ]
        if stops:
            raise stops[0]
        if waiting := self._waiting():
            stopped = Stopped(
                f"Stopped as asked, after {format_count(len(self.done), 'move')}; "
                f"{format_count(len(waiting), 'move')} not started.",
                next_step="“nuvik resume” continues; “nuvik undo last” takes the last move back.",
            )
            raise _report_stop(work, moves, waiting[0], stopped)

    def _next(self) -> Move | None:
        """The move that begins now, if any does."""
        if self.troubles or ((self.done or self.running) and self.work.stop.asked_after_step):
            return None
        waiting = self._waiting()
        if not waiting or not self.running:
            return next(iter(waiting), None)
        return None if self.side_by_side is None else self._beside(waiting, self.side_by_side)

    def _beside(self, waiting: list[Move], floors: Floors) -> Move | None:
        drives = {drive.id: drive for drive in self.work.drives() if drive.attached}
        waiting = [move for move in waiting if {move.source_drive, move.target_drive} <= drives.keys()]
        running = [as_step(move) for move in self.running.values()]
        steps = [as_step(move) for move in waiting]
        spare = {drive.id: drive.free_bytes - floors.get(drive.id, drive.headroom_bytes) for drive in drives.values()}
        step = step_beside(steps, running, drives, needs_of([*running, *steps]), lambda step: step.takes_bytes, spare)
        return None if step is None else waiting[steps.index(step)]

    def _waiting(self) -> list[Move]:
        mine = {move.id for move in self.moves}
        handled = {move.id for move in (*self.done, *self.running.values())}
        handled |= {move.id for move, _ in (*self.aside, *self.troubles)}
        return [move for move in self.work.journal.unfinished() if move.id in mine - handled]

    def _work_for(self, move: Move) -> Work:
        return self.work if self.side_by_side is None else self.work.apart()

    def _take(self, move: Move, future: Future[Move]) -> None:
        """A move has ended, this way or that."""
        trouble = future.exception()
        if trouble is None:
            self.done.append(future.result())
        elif isinstance(trouble, DriveAway) and len(self.moves) > 1:
            self.aside.append((move, trouble))
        elif isinstance(trouble, (Refused, Stopped, StopRequested, OSError)):
            self.troubles.append((move, trouble))
        else:
            raise trouble


class _AtOnce(Executor):
    """Does each thing in the caller's own thread, before it returns."""

    def submit(self, act: Callable[..., Any], /, *args: Any, **named: Any) -> Future[Any]:
        future = Future[Any]()
        try:
            future.set_result(act(*args, **named))
        except BaseException as trouble:  # given back by the future, as from another thread
            future.set_exception(trouble)
        return future


@contextmanager
def faults_reported(work: Work, moves: list[Move]) -> Iterator[None]:
    """Whatever ends work on moves early is put into words, kept with the first that is unfinished, and reported."""
    try:
        yield
    except Refused:
        raise
    except (Stopped, StopRequested, OSError) as fault:
        then = again(work, moves)
        current = next((move for move in then if not move.state.finished), then[-1])
        raise _report_stop(work, moves, current, fault) from None


def _report_stop(work: Work, moves: list[Move], current: Move, fault: Exception) -> NuvikError:
    """Keep with a move what stopped it, let whoever listens hear of it, and give it in words."""
    stopped = _in_words(work, current, fault)
    log.info("move %d stopped while %s", current.id, current.state, exc_info=fault)
    work.journal.keep(replace(current, problem=stopped.what))
    outcome = sum_up(work, moves)
    detail = {
        "problem": stopped.what,
        "next_step": stopped.next_step,
        "state": current.state,
        "freed_bytes": outcome.freed_bytes,
        "expected_freed_bytes": outcome.expected_freed_bytes,
    }
    work.hear(Event("stopped", current.n, current.id, current.library, detail=detail))
    return stopped


def _in_words(work: Work, move: Move, fault: Exception) -> NuvikError:
    if isinstance(fault, Refused):
        # The run is midway, though nothing of this move was touched.
        return Stopped(fault.what, next_step=f"{fault.next_step} Then run “nuvik resume”.")
    if isinstance(fault, NuvikError):
        return fault
    if isinstance(fault, OSError):
        return stopped_by(work, move, fault)
    return Stopped(
        f"Stopped as asked. {shown(move.library)}: {move.state.in_words}.",
        next_step=f"“nuvik resume” continues; “nuvik undo {move.id}” takes it back.",
    )
