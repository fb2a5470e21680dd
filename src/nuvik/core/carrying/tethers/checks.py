"""Checks that the user taught: what must hold once a library is at its new place. They change nothing."""

from __future__ import annotations

from dataclasses import replace

from nuvik.core.carrying.work import Work
from nuvik.core.model.journal import Move
from nuvik.core.model.tether import TetherKind, TetherState
from nuvik.core.settings.taught_check import why_not_held


def failed_checks(work: Work, move: Move) -> str:
    """Look at each check of a move, and write down how it stands; what does not hold, in sentences, or nothing."""
    failed = []
    for record in work.journal.tethers(move):
        if record.tether.kind is TetherKind.CHECK:
            wrong = why_not_held(record.tether, move.target, work.home)
            state = TetherState.BROKEN if wrong else TetherState.OK
            work.journal.keep_tether(replace(record, state=state, note=wrong))
            failed += [wrong] if wrong else []
    return " ".join(failed)
