"""A move, from state to state, until it is finished: the promise in code.

Each state is written durably before the work it stands for; each piece of work looks at the disk first and does
only what is missing. So whatever stops it, calling `carry_move` again goes on from there.
"""

from __future__ import annotations

import logging
import os
import time
from collections.abc import Callable
from dataclasses import replace

from nuvik.core.carrying.aside_folders import (
    close_aside,
    existing_above,
    held,
    held_folder,
    incoming,
    missing_folders,
    note_state,
    unmake_way,
)
from nuvik.core.carrying.copying import copy_library
from nuvik.core.carrying.guards import Loss, changed_copy, remove_original, remove_outdated_original
from nuvik.core.carrying.proof import changed_since, prove_copy, unchanged
from nuvik.core.carrying.publish import publish, unpublish
from nuvik.core.carrying.tethers.base import holds_original
from nuvik.core.carrying.tethers.checks import failed_checks
from nuvik.core.carrying.tethers.registry import tether_of
from nuvik.core.carrying.tethers.settings import (
    apply_tethers,
    due_by_hand,
    left_words,
    prepare_tethers,
    withdraw_tethers,
)
from nuvik.core.carrying.undo import discard, take_back
from nuvik.core.carrying.work import Work
from nuvik.core.checks.check_step import check_step
from nuvik.core.checks.places import gives_way
from nuvik.core.model.clock import now_text
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import Move, State
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes_apart
from nuvik.core.rehearsal.calibration_samples import as_step

log = logging.getLogger(__name__)
_GAIN_LOOKS, _BETWEEN_LOOKS_S = 15, 0.1
_A_FEW_BLOCKS_BYTES = 8_192
_MOST_PASSES = 5
"""How often a library that keeps changing is copied again before Nuvik gives up."""


def carry_move(work: Work, move: Move) -> Move:
    """Carry one move on to its end: released, or on trial if that was asked.

    Raises Refused (nothing was touched), Stopped, StopRequested or OSError (midway, safe, may be called again).
    """
    began_s = work.host.timer_s()
    try:
        while not move.state.finished:
            before = move.state
            if before is not State.PLANNED:
                move = work.settle(move)
            move = _NEXT[before](work, move)
            log.info("move %d: %s -> %s", move.id, before, move.state)
    finally:
        work.let_go()
        # The journal may know more than this call does: an act may have written its state and then failed.
        kept = work.journal.move(move.id)
        if kept.state is not State.PLANNED:
            spent_s = work.host.timer_s() - began_s
            work.journal.keep(replace(kept, actual_s=kept.actual_s + spent_s))
    return work.journal.move(move.id)


def _begin(work: Work, move: Move) -> Move:
    if not work.was_just_checked(move):
        undoing = move.undoes is not None
        findings = check_step(
            work.host,
            work.drives(),
            as_step(move),
            work.state_folder,
            fresh=not undoing,
            replaces_links_to=(move.source, *move.was_source) if undoing else (),
            without_marks=move.without_marks,
            stop=work.stop,
        )
        if findings.violations:
            first = findings.violations[0]
            raise Refused(f"{shown(move.library)} cannot be moved: {first.problem}", next_step=first.mend)
    tether_of(move).prepare(work, move)
    prepare_tethers(work, move)
    move = work.settle(move)
    if gives_way(work.host, move.target):
        work.files.remove_folder(move.target)  # made for what is to come there
    made = missing_folders(work.files, move.target)
    begun = replace(move, state=State.COPYING, started_at=now_text(), made_folders=made, problem=None)
    if not work.journal.begin(begun):
        return work.journal.move(move.id)
    work.tell("step-started", begun)
    return begun


def _copy_and_prove(work: Work, move: Move) -> Move:
    if not work.files.exists(move.source) or work.files.is_link(move.source):
        raise Stopped(
            f"{shown(move.library)} is no longer at {shown(move.source)}, from where it was being copied.",
            next_step=f"“nuvik undo {move.id}” cancels this move.",
        )
    move = _own_again(work, move)
    for _ in range(_MOST_PASSES):
        copy_library(work, move)
        work.tell("copied", move)
        drive = work.drive(move.target_drive)
        assert drive is not None
        move = replace(move, unread=not work.host.reaches_medium(drive), attachment=work.host.attachment(drive))
        wrong = prove_copy(work, move)
        if not wrong:
            break
    else:
        if any(copied is not None and changed_since(work, move, copied) for copied in wrong.values()):
            raise _keeps_changing(move)
        raise Stopped(
            f"{shown(next(iter(wrong)))} of {shown(move.library)} came back different from the target drive "
            f"{_MOST_PASSES} times. The drive or its cable is faulty. The original is untouched.",
            next_step="Choose another drive; “nuvik undo last” cancels the move.",
        )
    move = work.journal.keep(replace(move, state=State.PROVEN))
    work.tell("proven", move, read_from_medium=not move.unread)
    return move


def unread_words(label: str) -> str:
    """Why a copy is not fully proven, as the end of a sentence."""
    return f"its copy was compared, but could not be read from the medium of {shown(label)} itself"


def _own_again(work: Work, move: Move) -> Move:
    """A copy that had its final name and was taken in again is looked at before anything in it is replaced."""
    if not move.visible:
        return move
    if work.files.exists(incoming(move)) and (loss := changed_copy(work, move, incoming(move))):
        raise Stopped(
            f"The copy of {shown(move.library)} at {shown(incoming(move))} holds newer work: {loss}.",
            next_step="Take what you need out of it, then run “nuvik resume”.",
        )
    return work.journal.keep(replace(move, visible=False))


def _publish(work: Work, move: Move) -> Move:
    published = work.files.exists(move.target) and not work.files.is_link(move.target)
    if not published and not unchanged(work, move, move.source):
        return _again(work, move)
    if not move.visible:
        move = work.journal.keep(replace(move, visible=True))
    publish(work, move)
    return work.journal.keep(replace(move, state=State.PUBLISHED))


def _again(work: Work, move: Move) -> Move:
    """The source changed after it was copied: copy what changed, unless it never comes to rest."""
    passes = work.passes.get(move.id, 0) + 1
    work.passes[move.id] = passes
    if passes >= _MOST_PASSES:
        raise _keeps_changing(move)
    return _copy_anew(work, move)


def _copy_anew(work: Work, move: Move) -> Move:
    """A proven copy is brought up to date: what did not change need not be read back once more."""
    work.journal.mark_proven(move, [path for path, entry in work.journal.entries(move).items() if entry.kind == "file"])
    return work.journal.keep(replace(move, state=State.COPYING))


def _keeps_changing(move: Move) -> Stopped:
    return Stopped(
        f"{shown(move.library)} keeps changing while it is copied. The original is untouched.",
        next_step="Close the program that writes to it and run “nuvik resume”, or “nuvik undo last”.",
    )


def _switch(work: Work, move: Move) -> Move:
    if not work.files.exists(move.target):
        # Stopped while the copy was being taken back below, or somebody removed it: the original counts.
        tether_of(move).undo(work, move)
        return _copy_anew(work, move)
    tether_of(move).apply(work, move)
    if not unchanged(work, move, held(move), renamed=True):
        # Something wrote to the original between the last look and the switch.
        if changed_copy(work, move, move.target):
            problem = f"both copies changed; the older one is kept at {held(move)}"
            work.journal.keep(replace(move, state=State.ON_TRIAL, problem=problem, ended_at=now_text()))
            raise Stopped(
                f"{shown(move.library)} was changed in its old place and its new place at the same moment. Both are "
                f"kept: {shown(move.target)} and {shown(held(move))}.",
                next_step="Compare the two, then “nuvik release” or “nuvik undo” the move.",
            )
        tether_of(move).undo(work, move)
        unpublish(work, move)
        return _again(work, move)
    move = work.journal.keep(replace(move, state=State.SWITCHED))
    work.tell("switched", move, by_old_path=move.tether.keeps_old_path)
    return move


def _look(work: Work, move: Move) -> Move:
    if move.undoes is None:
        apply_tethers(work, move)
    else:
        withdraw_tethers(work, work.journal.move(move.undoes))
    tether = tether_of(move)
    path = tether.leads_to(move)
    if difference := tether.check(work, move):
        # Perhaps somebody works with it already; perhaps not. Either way the original must not go now.
        problem = f"opened through {shown(path)}, {difference}"
        work.journal.keep(replace(move, state=State.ON_TRIAL, problem=problem, ended_at=now_text()))
        raise Stopped(
            f"{shown(move.library)} was moved, but {problem}. The original is kept.",
            next_step=f"Look at it. If all is well, run “nuvik release {move.id}”, otherwise “nuvik undo {move.id}”.",
        )
    users = work.host.used_by(held(move))
    by_hand = due_by_hand(work, move) if move.undoes is None and not move.tether.keeps_old_path else ""
    failed = failed_checks(work, move) if move.undoes is None else ""
    if move.on_trial or users or move.unread or by_hand or failed:
        # A program that opened a file before the switch still writes to the original: it must not go now.
        if users:
            move = replace(move, problem=f"its original is kept because {users[0]} has it open")
        elif failed:
            move = replace(move, problem=f"its original is kept because a check failed: {failed.rstrip('.')}")
        elif by_hand:
            move = replace(move, problem=f"its original is kept until you have done this: {by_hand}")
        elif move.unread:
            drive = work.drive(move.target_drive)
            move = replace(move, problem=f"its original is kept because {unread_words(drive.label if drive else '')}")
        return _keep_on_trial(work, move)
    return work.journal.keep(replace(move, state=State.RELEASING))


def _keep_on_trial(work: Work, move: Move) -> Move:
    move = replace(move, state=State.ON_TRIAL, ended_at=now_text())
    note_state(work, move, "held")
    work.journal.keep(move)
    work.tell("on-trial", move)
    return move


def _release(work: Work, move: Move) -> Move:
    if not work.files.exists(move.target) or work.files.is_link(move.target):
        raise Stopped(
            f"The copy of {shown(move.library)} is not at {shown(move.target)}, so its original is not released.",
            next_step="Bring it back, then run “nuvik resume”.",
        )
    # What was not written to the medium yet counts as free on some (Btrfs): then its removal would free nothing.
    work.files.sync_volume(existing_above(work.files, move.source))
    free_before = _free(work, move.source_drive)
    whole = holds_original(work.files, move)
    removal = remove_original(work, move)
    if loss := removal.loss:
        if loss.still_written and move.undoes is None:
            place = os.path.join(held(move), loss.path) if loss.path else held(move)
            problem = f"its original is kept because some program may still write to {shown(place)}"
            return _keep_on_trial(work, replace(move, problem=problem))
        raise _not_released(work, move, loss, held(move))
    # On a resumed way, a part of it may have gone before, and with it the folder that was made for the library.
    whole = whole and removal.whole
    if work.files.sync_volume(existing_above(work.files, move.source)) and whole and free_before is not None:
        freed = _gained(work, move, free_before)
        move = replace(move, freed_bytes=freed, problem=_difference(move, freed))
    close_aside(work.files, held_folder(move))
    done = replace(move, state=State.RELEASED, ended_at=now_text())
    if move.undoes is None:
        work.journal.keep(done)
        work.tell("released", done, freed_bytes=done.freed_bytes)
    else:
        original = work.now(work.journal.move(move.undoes))
        if loss := remove_outdated_original(work, original):
            raise _not_released(work, move, loss, held(original))
        tether_of(original).withdraw(work, original)
        unmake_way(work.files, original.made_folders)
        undone = replace(original, state=State.UNDONE, ended_at=now_text(), problem=left_words(work, original) or None)
        work.journal.keep(done, undone)
        work.tell("undone", done, freed_bytes=done.freed_bytes, problem=undone.problem)
    return done


def _not_released(work: Work, move: Move, loss: Loss, original: str) -> Stopped:
    """The original stays: on trial while it is whole, else the release goes on once the user has decided."""
    state = State.ON_TRIAL if loss.whole and original == held(move) else State.RELEASING
    problem = f"its original is kept: {loss}"
    work.journal.keep(replace(move, state=state, problem=problem, ended_at=now_text() if state.finished else None))
    return Stopped(
        f"{shown(move.library)}: the original at {shown(original)} is kept: {loss}.",
        next_step=f"Look at both. “nuvik release {move.id} --even-if-changed” lets it go"
        + (f", “nuvik undo {move.id}” takes the move back." if state.finished and move.undoes is None else "."),
    )


def _gained(work: Work, move: Move, free_before: int) -> int | None:
    """What the source drive gained. Some file systems (XFS) give space back a moment after the removal."""
    gained = None
    for _ in range(_GAIN_LOOKS):
        free_now = _free(work, move.source_drive)
        gained = None if free_now is None else free_now - free_before
        # A block more or less, as for the folder itself, is none to wait for.
        if gained is None or gained >= move.frees_bytes - move.frees_bytes // 50 - _A_FEW_BLOCKS_BYTES:
            break
        time.sleep(_BETWEEN_LOOKS_S)
    return gained


def _difference(move: Move, freed: int | None) -> str | None:
    """Why the drive gained more or less than the library's size, as far as that is known."""
    if freed is None or abs(freed - move.frees_bytes) <= max(move.frees_bytes // 20, 16 << 20):
        return None
    if freed < move.frees_bytes:
        why = (
            "a snapshot of the drive may still hold it, it may share contents with other files (copies that the file "
            "system made without copying), or other programs wrote to the drive in the meantime"
        )
    else:
        why = "other programs removed files there in the meantime"
    gained, expected = format_bytes_apart(freed, move.frees_bytes)
    return f"{gained} were freed instead of {expected}: {why}"


_NEXT: dict[State, Callable[[Work, Move], Move]] = {
    State.PLANNED: _begin,
    State.COPYING: _copy_and_prove,
    State.PROVEN: _publish,
    State.PUBLISHED: _switch,
    State.SWITCHED: _look,
    State.RELEASING: _release,
    State.DISCARDING: discard,
    State.TAKING_BACK: take_back,
}


def _free(work: Work, drive_id: str) -> int | None:
    drive = work.drive(drive_id)
    return drive.free_bytes if drive is not None and drive.attached else None
