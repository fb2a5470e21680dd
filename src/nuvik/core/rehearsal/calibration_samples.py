"""What the journal tells of how long moves really took: the samples for calibration."""

from __future__ import annotations

from collections.abc import Sequence

from nuvik.core.model.drive import Drive
from nuvik.core.model.journal import Move, State
from nuvik.core.model.plan import Step
from nuvik.core.model.timing import Pace, WritePace
from nuvik.core.rehearsal.calibration import Calibration, Sample, calibrate
from nuvik.core.rehearsal.phases import step_times, work_s

_TELLING = (State.RELEASED, State.ON_TRIAL)


def learnt_from(moves: Sequence[Move], drives: Sequence[Drive], pace: Pace) -> Calibration:
    """The calibration that these moves give, oldest first; those of drives that are not known tell nothing."""
    by_id = {drive.id: drive for drive in drives}
    samples = []
    for move in moves:
        source, target = by_id.get(move.source_drive), by_id.get(move.target_drive)
        if move.state in _TELLING and source is not None and target is not None and move.actual_s > 0:
            step, on_trial = as_step(move), move.state is State.ON_TRIAL
            working_s = work_s(step, source, target, on_trial, pace)
            reckoned_s = step_times(step, source, WritePace(target), 0.0, on_trial, pace).total_s
            samples.append(
                Sample((source.id, target.id), reckoned_s - working_s, working_s, move.expected_s, move.actual_s)
            )
    return calibrate(samples)


def as_step(move: Move) -> Step:
    """The plan's step that a move carries out."""
    return Step(
        n=move.n,
        library=move.library,
        kind=move.kind,
        path=move.source,
        bytes=move.bytes,
        files=move.files,
        from_drive=move.source_drive,
        to_drive=move.target_drive,
        target_path=move.target,
        tether=move.tether,
        on_disk_bytes=move.frees_bytes,
    )
