"""Taking a move back: at once while the original is still kept, by the same protocol backwards once it is gone."""

from __future__ import annotations

import os
from dataclasses import dataclass, replace

from nuvik.core.carrying.aside_folders import incoming, unmake_way
from nuvik.core.carrying.guards import changed_copy, remove_copy
from nuvik.core.carrying.publish import unpublish
from nuvik.core.carrying.tethers.base import holds_original
from nuvik.core.carrying.tethers.registry import tether_of
from nuvik.core.carrying.tethers.settings import left_words, withdraw_tethers
from nuvik.core.carrying.work import Work
from nuvik.core.model.clock import now_text
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import Move, State
from nuvik.core.model.names import shown
from nuvik.core.model.tether import TetherKind
from nuvik.core.model.timing import WritePace
from nuvik.core.model.units import format_bytes
from nuvik.core.rehearsal.calibration_samples import as_step
from nuvik.core.rehearsal.phases import step_times
from nuvik.core.store.journal import new_token
from nuvik.core.survey.walk.walk_pool import size_tree

_CLOSE_IT = "Close the program that has it open"


def discard(work: Work, move: Move) -> Move:
    """Remove the incoming copy of a move that was not switched; the original lies where it always lay.

    Raises Stopped when something would be lost with the copy.
    """
    if loss := remove_copy(work, move):
        first = _CLOSE_IT if loss.still_written else "Take what you need out of it"
        raise Stopped(
            f"The copy of {shown(move.library)} at {shown(incoming(move))} is not removed: {loss}.",
            next_step=f"{first}, then run “nuvik resume”.",
        )
    unmake_way(work.files, move.made_folders)
    done = work.journal.keep(replace(move, state=State.UNDONE, ended_at=now_text()))
    work.tell("undone", done, problem=left_words(work, done) or None)
    return done


def take_back(work: Work, move: Move) -> Move:
    """Put the untouched original back, then give the copy's name up.

    Raises Stopped when the copy is newer by now: it must not be hidden behind the original.
    """
    files = work.files
    if files.exists(move.target) and not files.is_link(move.target) and (loss := changed_copy(work, move, move.target)):
        if holds_original(files, move):
            work.journal.keep(replace(move, state=State.ON_TRIAL, ended_at=now_text(), problem=f"since moved, {loss}"))
            if loss.still_written:
                raise Stopped(
                    f"{shown(move.library)} is in use in its new place: {loss}. Nothing was taken back.",
                    next_step=f"{_CLOSE_IT}, then run “nuvik undo {move.id}”.",
                )
            raise Stopped(
                f"{shown(move.library)} has been changed in its new place: {loss}. Nothing was taken back.",
                next_step=f"“nuvik undo {move.id}” now copies the newer contents back.",
            )
        raise Stopped(
            f"{shown(move.library)} is back at {shown(move.source)}, but its copy has been changed: {loss}.",
            next_step=f"Take what you need out of {shown(move.target)}, then run “nuvik resume”.",
        )
    withdraw_tethers(work, move)
    tether_of(move).undo(work, move)
    unpublish(work, move)
    problem = left_words(work, move) or move.problem
    return work.journal.keep(replace(move, state=State.DISCARDING, problem=problem))


@dataclass(frozen=True, slots=True)
class Way:
    """How a move can be taken back."""

    state: State | None
    """The state that takes it back in place; None when the library has to be copied back."""
    says: str
    without_target: bool = False
    """The target's drive is away, and not needed: the copy there, if there is one, is left."""


def way_back(work: Work, move: Move) -> Way:
    """Find out how a move would be taken back; changes nothing. Raises Refused when it cannot be."""
    move = work.now(move)
    name, files = shown(move.library), work.files
    if move.state is State.UNDONE:
        raise Refused(f"Move {move.id} has already been taken back.", next_step="“nuvik logbook” shows every move.")
    if move.state is State.PLANNED:
        return Way(State.UNDONE, f"{name} has not been touched yet; its move is cancelled.")
    if (way := _way_without_target(work, move)) is not None:
        return way
    for drive_id in (move.source_drive, move.target_drive):
        drive = work.drive(drive_id)
        if drive is None or not drive.attached:
            label = shown(drive.label if drive else drive_id)
            raise Refused(f"{label} is away, so {name} cannot be taken back.", next_step=f"Attach {label}.")
    copying = move.state in (State.COPYING, State.DISCARDING)
    if copying or (move.state is State.PROVEN and files.exists(incoming(move))):
        return Way(
            State.DISCARDING, f"{name} is still untouched at {shown(move.source)}; the unfinished copy is removed."
        )
    if move.undoes is not None:
        raise Refused(
            f"Move {move.id} is already taking {name} back and is nearly done.", next_step="Run “nuvik resume”."
        )
    # An original that is being released may be in pieces: then only the copy counts.
    switched = move.state is not State.RELEASING and holds_original(files, move)
    if users := work.host.used_by(move.target):
        raise Refused(f"{name} is in use by {users[0]}.", next_step="Close it and try again.")
    at_place = not switched and move.state in (State.PROVEN, State.PUBLISHED, State.TAKING_BACK)
    if at_place or (switched and files.exists(move.target) and changed_copy(work, move, move.target) is None):
        return Way(
            State.TAKING_BACK, f"The original of {name} is still kept and goes back to {shown(move.source)} at once."
        )
    if files.is_link(move.target) or _moved_on(work, move):
        raise Refused(
            f"{name} has since been moved on from {shown(move.target)}.", next_step="Take that later move back first."
        )
    if os.path.realpath(os.path.dirname(move.source)) != os.path.dirname(move.source):
        raise Refused(
            f"The folder that held {name} has itself been moved since: {shown(os.path.dirname(move.source))}.",
            next_step="Take that later move back first.",
        )
    if not files.exists(move.target):
        raise Refused(
            f"{name} is no longer at {shown(move.target)}, where it was moved to.",
            next_step="Move it back there, or find it with a survey.",
        )
    changed = " It was changed since it moved; the newer contents go back." if switched else ""
    return Way(
        None, f"{name} is copied back to {shown(move.source)} and proven ({format_bytes(move.frees_bytes)}).{changed}"
    )


def _way_without_target(work: Work, move: Move) -> Way | None:
    """How a move is taken back while its target's drive is away; None when it is here, or is needed."""
    if work.is_here(move.target_drive) or not work.is_here(move.source_drive) or move.undoes is not None:
        return None
    name, label = shown(move.library), shown(move.target_drive)
    there = work.files.exists(move.source) and not work.files.is_link(move.source)
    if move.state is not State.RELEASING and holds_original(work.files, move):
        return Way(
            State.TAKING_BACK,
            f"The original of {name} is still kept and goes back to {shown(move.source)}. {label} is away: the copy on "
            "it stays there, with whatever was changed in it.",
            without_target=True,
        )
    if there and move.state in (State.COPYING, State.PROVEN, State.PUBLISHED, State.TAKING_BACK, State.DISCARDING):
        return Way(
            State.TAKING_BACK,
            f"{name} is at {shown(move.source)}, untouched; the move is given up. {label} is away: what was copied to "
            "it stays there.",
            without_target=True,
        )
    return None


def take_back_without_target(work: Work, move: Move) -> Move:
    """Put the original back, or leave it where it is, while the target's drive is away. Raises Stopped and OSError."""
    move = work.settle(move, without_target=True)
    try:
        withdraw_tethers(work, move)
        tether_of(move).undo(work, move)
    finally:
        work.let_go()
    left = f"its copy is left on {shown(move.target_drive)}, which was away. {left_words(work, move)}".rstrip()
    done = work.journal.keep(replace(move, state=State.UNDONE, ended_at=now_text(), problem=left))
    work.tell("undone", done, problem=left)
    return done


def _moved_on(work: Work, move: Move) -> bool:
    """Whether a later move, not taken back, took the library on from where this one put it."""
    return any(
        later.id > move.id
        and later.source == move.target
        and later.state in (State.SWITCHED, State.ON_TRIAL, State.RELEASING, State.RELEASED)
        for later in work.journal.moves()
    ) and not work.files.exists(move.target)


def move_back(work: Work, move: Move) -> Move:
    """The move that copies a library back to where it came from, not begun yet."""
    now = size_tree(work.host, work.drives(), move.target, work.stop).root.extent
    here, there = work.drive(move.target_drive), work.drive(move.source_drive)
    assert here is not None and there is not None  # way_back has seen both
    step = replace(as_step(move), bytes=now.bytes, files=now.files, on_disk_bytes=now.on_disk_bytes)
    learnt = work.learnt()
    pace, factor = work.host.pace.working(learnt.work.likely), learnt.of(here.id, there.id).likely
    times = step_times(step, here, WritePace(there), 0.0, False, pace, factor)
    return Move(
        id=0,
        run=move.run,
        token=new_token(),
        n=move.n,
        library=move.library,
        kind=move.kind,
        source=move.target,
        target=move.source,
        source_drive=move.target_drive,
        target_drive=move.source_drive,
        bytes=now.bytes,
        files=now.files,
        frees_bytes=now.on_disk_bytes,
        tether=TetherKind.NONE,
        state=State.PLANNED,
        source_place=move.target_place,
        target_place=move.source_place,
        was_source=move.was_target,
        was_target=move.was_source,
        on_trial=False,
        without_marks=True,  # nothing may stand in the way back
        expected_s=times.total_s,
    )
