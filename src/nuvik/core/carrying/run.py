"""Whole runs: carry a plan, continue after a stop, take moves back, let kept originals go."""

from __future__ import annotations

import json
import logging
import time
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace

from nuvik.core.carrying.aside_folders import held
from nuvik.core.carrying.explain_oserror import stopped_by
from nuvik.core.carrying.guards import loss_of_original
from nuvik.core.carrying.lock import carrying_lock
from nuvik.core.carrying.move import carry_move, unread_words
from nuvik.core.carrying.outcome import Outcome, sum_up
from nuvik.core.carrying.proof import prove_again
from nuvik.core.carrying.queue import Floors, carry_in_turn, faults_reported
from nuvik.core.carrying.undo import Way, move_back, take_back_without_target, way_back
from nuvik.core.carrying.work import Work
from nuvik.core.model.clock import days_since, now_text
from nuvik.core.model.errors import NotNamed, Refused, Stopped, StopRequested
from nuvik.core.model.journal import Move, State
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.plan import Plan
from nuvik.core.model.progress import Event
from nuvik.core.model.units import format_count
from nuvik.core.rehearsal.rehearse import check_plan, rehearse
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.store.json_codec import plan_to_json

log = logging.getLogger(__name__)


def carry_plan(work: Work, plan: Plan, on_trial: bool = False, pinned: Collection[str] = ()) -> Outcome:
    """Rehearse a plan once more and carry it out; nothing that lies at one of the `pinned` paths is moved.

    Raises Refused when a check says no (nothing was changed) and Stopped when it ended midway.
    """
    with _at_work(work, f"carrying {format_count(len(plan.steps), 'move')}"):
        _none_midway(work, touching=[step.path for step in plan.steps])
        began_s = time.monotonic()
        checked = check_plan(
            work.host,
            work.drives(),
            plan,
            work.state_folder,
            on_trial,
            calibration=work.learnt(),
            stop=work.stop,
            pinned=pinned,
        )
        timeline = rehearse(checked)
        if timeline.violations:
            first = timeline.violations[0]
            about = f"{shown(first.library)} cannot be moved: " if first.library else ""
            raise Refused(f"{about}{first.problem}", next_step=first.mend)
        times = [step.end_s - step.start_s for step in timeline.steps]
        moves = work.journal.begin_run(plan, json.dumps(plan_to_json(plan)), on_trial, times)
        work.checked = moves[0].id, began_s
        return _carry_all(work, moves, checked.scene.least_bytes if plan.side_by_side else None)


def resume(work: Work, without_marks: bool = False) -> Outcome:
    """Go on with everything that a stop left midway, if need be `without_marks` that a target cannot keep. Raises
    Refused when there is nothing, Stopped as carrying does.
    """
    with _at_work(work, "resuming after a stop"):
        unfinished = work.journal.unfinished()
        if not unfinished:
            raise Refused("Nothing is unfinished.", next_step="“nuvik logbook” shows every move.")
        if without_marks:
            unfinished = [replace(move, without_marks=True) for move in unfinished]
            work.journal.keep(*unfinished)
        return _carry_all(work, unfinished, _floors_of(work, unfinished))


@contextmanager
def _at_work(work: Work, what: str) -> Iterator[None]:
    """Hold the lock; a stop that is asked for before anything was changed ends in words, too."""
    with carrying_lock(work.state_folder, what):
        try:
            yield
        except StopRequested:
            raise Stopped("Stopped as asked, while looking. Nothing was changed.") from None


def _floors_of(work: Work, moves: list[Move]) -> Floors | None:
    """What the drives are to keep, when the plan that these moves carry out lets them go side by side."""
    plans = [work.journal.plan_of(run) for run in {move.run for move in moves}]
    if len(plans) != 1 or plans[0] is None or not plans[0].side_by_side:
        return None
    return Scene(plans[0], work.drives()).least_bytes


def undo(work: Work, wanted: str) -> Outcome:
    """Take back a move, by its number or `last`. Raises Refused and Stopped as carrying does."""
    with _at_work(work, f"taking back move {shown(wanted)}"):
        return _done(work, [_taken_back(work, find_move(work, wanted))])


def undo_plan(work: Work, every: bool = False) -> Outcome:
    """Take back every move of the plan that was carried last, or of every plan, the last first. Raises Refused and
    Stopped; called again it goes on with those that are left.
    """
    with _at_work(work, "taking back every move" if every else "taking back a whole plan"):
        taken_back: list[Move] = []
        for move in reversed(standing_moves(work) if every else moves_of_last_plan(work)):
            asked = bool(taken_back) and work.stop.asked_after_step
            try:
                if not asked:
                    taken_back.append(_taken_back(work, work.journal.move(move.id)))
            except StopRequested:  # while it was looked at
                asked = bool(taken_back)
                if not asked:
                    raise
            if asked:
                raise Stopped(
                    f"Stopped as asked, with {format_count(len(taken_back), 'move')} taken back.",
                    next_step=f"“nuvik undo {'all' if every else 'plan'}” takes back the others.",
                )
        return _done(work, taken_back)


def moves_of_last_plan(work: Work) -> list[Move]:
    """The moves, not taken back yet, of the plan that was carried last: those that are done, those that stand midway,
    and those that wait, each in their order. Raises Refused when there are none.
    """
    standing = standing_moves(work)
    run = max(move.run for move in standing)
    return [move for move in standing if move.run == run]


def standing_moves(work: Work) -> list[Move]:
    """Every move that is not taken back yet, in the same order. Raises Refused when there are none."""
    standing = [move for move in work.journal.moves() if move.undoes is None and move.state is not State.UNDONE]
    if not standing:
        raise Refused("No move is left to take back.", next_step="“nuvik logbook” lists the moves.")
    return sorted(
        standing,
        key=lambda move: (not move.state.finished, move.state is State.PLANNED, move.started_at or "", move.id),
    )


def _taken_back(work: Work, move: Move) -> Move:
    _none_midway(work, besides=move)
    way = _way_of(work, move)
    move = work.now(move)
    _give_up_planned(work, move)
    with faults_reported(work, [move]):
        if move.state is State.RELEASING:
            move = carry_move(work, move)
        if way.state is None:
            return carry_in_turn(work, [work.journal.begin_undo(move, move_back(work, move))])[0]
        begun = work.journal.keep(replace(move, state=way.state))
        if way.without_target:
            return take_back_without_target(work, begun)
        if way.state is State.UNDONE:
            work.tell("undone", begun)
            return begun
        return carry_move(work, begun)


def outlook_of_undo(work: Work, wanted: str) -> tuple[Move, Way]:
    """The move meant, and how it would be taken back; changes nothing. Raises Refused."""
    move = find_move(work, wanted)
    _none_midway(work, besides=move)
    return move, _way_of(work, move)


def _way_of(work: Work, move: Move) -> Way:
    """How a move would be taken back. Raises Refused, also when that cannot be looked at now."""
    try:
        return way_back(work, move)
    except OSError as fault:
        raise Refused(
            stopped_by(work, move, fault).what, next_step="Nothing was changed. Check that drive, and try again."
        ) from None


def release(
    work: Work, wanted: str, even_if_changed: bool = False, even_if_unread: bool = False, older_than_days: float = 0.0
) -> Outcome:
    """Let the kept originals of one move, or of `all` on trial for at least so many days, go. Raises Refused and
    Stopped.

    Refuses while something of the original would be lost, and while its copy was not read from the medium, unless the
    user says that this is meant.
    """
    with _at_work(work, f"releasing {shown(wanted)}"):
        if wanted == "all":
            on_trial = [move for move in work.journal.moves() if move.state is State.ON_TRIAL]
            moves = [move for move in on_trial if days_since(move.ended_at or now_text()) >= older_than_days]
            if not moves:
                older = f" for {older_than_days:g} days" if on_trial else ""
                raise Refused(f"No move is on trial{older}.", next_step="“nuvik logbook” shows every move.")
        else:
            moves = [_known_move(work, wanted)]
        with faults_reported(work, moves):
            for move in moves:
                _check_release(work, work.now(move), even_if_changed)
                if move.unread and not even_if_unread:
                    _read_from_medium(work, work.now(move))
        moves = [work.journal.move(move.id) for move in moves]
        return _carry_all(work, [_begin_release(work, move, even_if_changed) for move in moves])


def _begin_release(work: Work, move: Move, even_if_changed: bool) -> Move:
    """Write down that an original is to go; of a move that takes another one back, that one's original too."""
    releasing = [replace(move, state=State.RELEASING, may_lose=even_if_changed)]
    if even_if_changed and move.undoes is not None:
        releasing.append(replace(work.journal.move(move.undoes), may_lose=True))
    return work.journal.keep(*releasing)


def find_move(work: Work, wanted: str) -> Move:
    """The move of this number, or the `last` that was begun and not taken back. Raises Refused."""
    if wanted == "last":
        moves = [move for move in work.journal.moves() if move.state not in (State.UNDONE, State.PLANNED)]
        originals = [move for move in moves if move.undoes is None or not move.state.finished]
        if not originals:
            raise Refused("There is no move to take back.", next_step="“nuvik logbook” shows every move.")
        return originals[-1]
    move = _known_move(work, wanted)
    if move.undoes is not None and move.state.finished:
        raise Refused(
            f"Move {move.id} undid move {move.undoes}; it cannot be taken back itself.",
            next_step="Move the library again instead.",
        )
    return move


def _known_move(work: Work, wanted: str) -> Move:
    """The move of this number. Raises Refused."""
    if not wanted.isdecimal() or len(wanted) > 18:
        raise NotNamed(
            f"“{shown(wanted)}” is not a move. Give its number or “last”.", next_step="“nuvik logbook” lists them."
        )
    return work.journal.move(int(wanted))


def _check_release(work: Work, move: Move, even_if_changed: bool) -> None:
    name = shown(move.library)
    # A release that stopped since something would be lost goes on once the user has decided.
    if move.state is not State.ON_TRIAL and not (even_if_changed and move.state is State.RELEASING):
        raise Refused(
            f"Move {move.id} ({name}) is not on trial: {move.state.in_words}.",
            next_step="Only a move on trial keeps an original to release.",
        )
    drive = work.drive(move.target_drive)
    if drive is None or not drive.attached or not work.files.exists(move.target):
        raise Refused(
            f"{name} is not visible at {shown(move.target)}, so its original is kept.",
            next_step="Attach its drive, or take the move back.",
        )
    if not even_if_changed and (loss := loss_of_original(work, move)):
        raise Refused(
            f"{name}: the original at {shown(held(move))} is kept: {loss}.",
            next_step="Look at both. To let it go anyway, release it with --even-if-changed.",
        )


def _read_from_medium(work: Work, move: Move) -> None:
    """Prove a copy that was only compared, now that it can be read from its medium. Raises Refused when it cannot, or
    comes back different.
    """
    drive = work.drive(move.target_drive)
    assert drive is not None  # the check before has seen it
    name, label = shown(move.library), shown(drive.label)
    attached_again = work.host.attachment(drive) != move.attachment
    if not work.host.reaches_medium(drive) and not attached_again:
        raise Refused(
            f"{name}: {unread_words(drive.label)}, so its original is kept.",
            next_step=f"Detach {label}, attach it again and release it then: that reads the copy. To let the original "
            "go unread, release it with --even-if-unread.",
        )
    if wrong := prove_again(work, move):
        raise Refused(
            f"{name}: {shown(wrong[0])} came back different from {label}. Its original at {shown(held(move))} is kept.",
            next_step=f"{label} or its cable is faulty: “nuvik undo {move.id}” takes the move back.",
        )
    work.journal.keep(replace(work.journal.move(move.id), unread=False, problem=None))


def _none_midway(work: Work, besides: Move | None = None, touching: Sequence[str] = ()) -> None:
    """Refuse new work while an earlier move stands midway. What waits in the run of `besides` does not count, nor what
    was carried side by side with it when both stand midway; nor does a move whose drive is away, unless the new work is
    `touching` its library.
    """
    for move in work.journal.unfinished():
        away = not (work.is_here(move.source_drive) and work.is_here(move.target_drive))
        if away and not any(is_within(move.source, path) or is_within(path, move.source) for path in touching):
            continue
        if (
            besides is not None
            and move.run == besides.run
            and (move.state is State.PLANNED or not besides.state.finished)
        ):
            continue
        raise Refused(
            f"Move {move.id} ({shown(move.library)}) is unfinished: {move.state.in_words}.",
            next_step="Run “nuvik resume” to finish it, or “nuvik undo last” to take it back.",
        )


def _give_up_planned(work: Work, move: Move) -> None:
    """Taking back a move of a run that stopped gives up what of that run has not begun."""
    waiting = [other for other in work.journal.unfinished() if other.run == move.run and other.state is State.PLANNED]
    if waiting := [replace(waiting_item, state=State.UNDONE) for waiting_item in waiting if waiting_item.id != move.id]:
        work.journal.keep(*waiting)


def _carry_all(work: Work, moves: list[Move], side_by_side: Floors | None = None) -> Outcome:
    return _done(work, carry_in_turn(work, moves, side_by_side))


def _done(work: Work, moves: list[Move]) -> Outcome:
    outcome = sum_up(work, moves)
    freed = {"freed_bytes": outcome.freed_bytes, "expected_freed_bytes": outcome.expected_freed_bytes}
    last = outcome.moves[-1] if outcome.moves else None
    work.hear(Event("done", last.n, last.id, last.library, detail=freed) if last else Event("done", detail=freed))
    return outcome
