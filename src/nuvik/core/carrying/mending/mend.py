"""Doing what is safe about leftovers: each is looked at once more, and goes the way that carrying itself would go."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass, replace

from nuvik.core.carrying.aside_folders import CONTENT, close_aside, held, incoming
from nuvik.core.carrying.explain_oserror import stopped_by
from nuvik.core.carrying.lock import carrying_lock
from nuvik.core.carrying.marks import checksum_of_attributes, read_attributes
from nuvik.core.carrying.mending.find_leftovers import judge_again
from nuvik.core.carrying.move import carry_move
from nuvik.core.carrying.proof import checksum_of
from nuvik.core.carrying.renames import forget_link
from nuvik.core.carrying.tethers.registry import tether_of
from nuvik.core.carrying.tethers.settings import repair_tether
from nuvik.core.carrying.work import Meter, Work
from nuvik.core.model.clock import now_text
from nuvik.core.model.errors import NuvikError, Refused, system_words
from nuvik.core.model.inventory import plain_kind
from nuvik.core.model.journal import Move, State
from nuvik.core.model.leftover import Leftover, Repair
from nuvik.core.model.names import shown
from nuvik.core.model.paths import below
from nuvik.core.survey.walk.take_inventory import take_inventory


@dataclass(frozen=True, slots=True)
class Mended:
    """What became of a leftover."""

    leftover: Leftover
    done: str
    """What was done, in a sentence; empty when nothing could be."""
    problem: NuvikError | None = None


def mend(work: Work, leftovers: Iterable[Leftover]) -> list[Mended]:
    """Do for each leftover what is safe; one that cannot be mended holds up none of the others.

    Raises Refused while another Nuvik is at work, and StopRequested.
    """
    with carrying_lock(work.state_folder, "mending"):
        results = []
        for leftover in leftovers:
            if leftover.repair is Repair.NONE:
                continue
            now = judge_again(work, leftover)
            if now is None or now.repair is not leftover.repair:
                continue
            try:
                results.append(Mended(now, _REPAIRS[now.repair](work, now)))
            except NuvikError as problem:
                results.append(Mended(now, "", problem))
            except OSError as fault:
                results.append(Mended(now, "", _in_words(work, now, fault)))
            finally:
                work.let_go()
        return results


def _in_words(work: Work, leftover: Leftover, fault: OSError) -> NuvikError:
    if leftover.move is not None and leftover.repair is not Repair.CLOSE:
        return stopped_by(work, leftover.move, fault)
    words = system_words(fault)
    return Refused(f"It cannot be removed: {words}.", next_step="Get permission to change it, or delete it yourself.")


def _close(work: Work, leftover: Leftover) -> str:
    anchors = work.host.anchors(work.drives()).get(leftover.drive, ())
    files = work.host.files.anchored(tuple(anchors))
    try:
        forget_link(files, os.path.join(leftover.path, CONTENT))
        close_aside(files, leftover.path)
    finally:
        files.let_go()
    return f"The empty folder {shown(leftover.path)} is gone."


def _remove_copy(work: Work, leftover: Leftover) -> str:
    move = _recorded(work, leftover, State.DISCARDING)
    if move.visible:
        # Somebody may have worked in it: what the original does not have must not go.
        _record_equal(work, move, copy=incoming(move), original=move.source)
    carry_move(work, move)
    return f"The copy is gone; {shown(move.library)} is at {shown(move.source)}."


def _put_back(work: Work, leftover: Leftover) -> str:
    move = carry_move(work, _recorded(work, leftover, State.TAKING_BACK))
    return f"The original of {shown(move.library)} is back at {shown(move.source)}."


def _record(work: Work, leftover: Leftover) -> str:
    """Into the journal again: on trial, or still being released when that had begun."""
    assert leftover.move is not None
    releasing = leftover.move.state is State.RELEASING
    move = _recorded(work, leftover, State.RELEASING if releasing else State.ON_TRIAL)
    _record_equal(work, move, copy=move.target, original=held(move))
    if releasing:
        return f"The release of {shown(move.library)} is move {move.id} now; “nuvik resume” goes on with it."
    return f"{shown(move.library)} is move {move.id} now, on trial: release it, or take it back."


def _lead_anew(work: Work, leftover: Leftover) -> str:
    assert leftover.move is not None
    move = work.journal.keep(work.settle(leftover.move))
    tether_of(move).repair(work, move)
    return f"The link at {shown(move.source)} leads to {shown(move.target)}."


def _set_again(work: Work, leftover: Leftover) -> str:
    assert leftover.move is not None
    record = next(each for each in work.journal.tethers(leftover.move) if each.n == leftover.number)
    repair_tether(work, leftover.move, record)
    return f"“{shown(record.tether.key)}” in {shown(leftover.path)} leads to {shown(leftover.move.target)} again."


def _recorded(work: Work, leftover: Leftover, state: State) -> Move:
    """The move of a leftover as the journal has it from now on."""
    move = leftover.move
    assert move is not None
    finished = now_text() if state.finished else None
    move = replace(move, state=state, ended_at=finished, problem="found again by mending")
    return work.journal.keep(move) if leftover.known else work.journal.adopt(move)


def _record_equal(work: Work, move: Move, copy: str, original: str) -> None:
    """Write down the entries of which copy and original were read and are equal: only these may ever be removed."""
    move = work.settle(move)
    theirs, mine = (take_inventory(work.files, root, work.stop).entries for root in (copy, original))
    meter = Meter(work, move, "proving", 2 * sum(entry.size for entry in mine.values() if entry.kind == "file"))
    equal = []
    for path, entry in mine.items():
        there = theirs.get(path)
        if there is None or plain_kind(there) != plain_kind(entry):
            continue
        if entry.kind == "file":
            entry = entry._replace(checksum=checksum_of(work, below(original, path), meter))
            if checksum_of(work, below(copy, path), meter) != entry.checksum:
                continue
        if entry.kind == "link" and there.link not in (entry.link, entry.carried_link):
            continue
        attributes = read_attributes(work.files, below(copy, path))
        equal.append(entry._replace(attributes=checksum_of_attributes(attributes), proven=True))
    work.journal.drop_entries(move, work.journal.entries(move))
    work.journal.keep_entries(move, equal)


_REPAIRS = {
    Repair.CLOSE: _close,
    Repair.REMOVE_COPY: _remove_copy,
    Repair.PUT_BACK: _put_back,
    Repair.RECORD: _record,
    Repair.LEAD_ANEW: _lead_anew,
    Repair.SET_AGAIN: _set_again,
}
