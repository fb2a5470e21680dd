"""A plan against the present: which of its steps still hold, and which are in doubt, and why.

Plans are made from one survey and may be opened weeks later. Only what changed puts a step in doubt, and only the steps
that depend on a doubtful one are in doubt with it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import StrEnum

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.plan import Plan, Role, Step
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.library_parts import in_pieces
from nuvik.core.planning.drafting.target_paths import usual_target
from nuvik.core.planning.placement.limits import why_cannot


class StepState(StrEnum):
    """How a step of a plan stands."""

    HOLDS = "holds"
    DONE = "done"
    """The library lies there already."""
    CHANGED = "changed"
    """The library is not what it was: the step has to be made again."""
    DOUBTFUL = "in doubt"


@dataclass(frozen=True, slots=True)
class Standing:
    """A step against the present."""

    step: Step
    state: StepState
    words: str = ""
    """What changed; empty when nothing did."""


def standings(plan: Plan, snapshot: Snapshot) -> list[Standing]:
    """How each step stands, in the plan's order."""
    known = _Known(snapshot)
    results: list[Standing] = []
    free = {drive.id: drive.free_bytes for drive in snapshot.drives if drive.attached}
    doubtful: set[int] = set()
    for step in plan.steps:
        standing = _standing(plan, step, known, doubtful)
        if standing.state is StepState.HOLDS and (lacks := _lacks(plan, step, free, known)):
            since = _made_room_by(plan, step, doubtful)
            standing = Standing(step, StepState.DOUBTFUL, lacks + since)
        if standing.state in (StepState.HOLDS, StepState.CHANGED):
            known.take(free, step.to_drive, step.takes_bytes)
            known.take(free, step.from_drive, -step.frees_bytes)
        elif standing.state is StepState.DOUBTFUL:
            doubtful.add(step.n)
        results.append(standing)
    return results


class _Known:
    """The present, by path."""

    def __init__(self, snapshot: Snapshot) -> None:
        self.drives = {drive.id: drive for drive in snapshot.drives}
        self.at: dict[str, Library] = {}
        self.moved: dict[str, Library] = {}
        self.wholes: dict[str, Library] = {}
        """By the path of each part, the library it lies in."""
        for library in snapshot.libraries:
            for piece in in_pieces(library)[1:]:
                self.at.setdefault(piece.path, piece)
                self.wholes[piece.path] = library
            self.at[library.path] = library
            if library.tether:
                self.moved[library.tether] = library

    def take(self, free: dict[str, int], drive_id: str, count_bytes: int) -> None:
        for other in free:
            if drive_id in self.drives and self.drives[other].shares_space_with(self.drives[drive_id]):
                free[other] -= count_bytes


def _standing(plan: Plan, step: Step, known: _Known, doubtful: set[int]) -> Standing:
    for drive_id in (step.from_drive, step.to_drive):
        drive = known.drives.get(drive_id)
        if drive is None:
            return Standing(step, StepState.DOUBTFUL, f"the drive {shown(drive_id)} no longer exists")
        if not drive.attached:
            return Standing(step, StepState.DOUBTFUL, f"{shown(drive.label)} is away")
    before = _comes_from(plan, step)
    if before is not None:
        if before.n in doubtful:
            return Standing(step, StepState.DOUBTFUL, f"it depends on step {before.n}, which is in doubt")
        return Standing(step, StepState.HOLDS)
    library = known.at.get(step.path)
    if library is None:
        return _gone(step, known)
    source, target = known.drives[step.from_drive], known.drives[step.to_drive]
    if (why := why_cannot(library, target, source)) is not None:
        return Standing(step, StepState.DOUBTFUL, why)
    return _sizes(plan, step, library)


def _comes_from(plan: Plan, step: Step) -> Step | None:
    """The step that brought a library to the staging drive from which this one takes it on."""
    if step.role is not Role.FROM_STAGING:
        return None
    return next((other for other in plan.steps[: step.n - 1] if other.target_path == step.path), None)


def _gone(step: Step, known: _Known) -> Standing:
    moved = known.moved.get(step.path)
    if moved is None:
        return Standing(step, StepState.DOUBTFUL, f"nothing is known at {shown(step.path)}")
    if moved.path == step.target_path:
        return Standing(step, StepState.DONE, f"it is already at {shown(moved.path)}")
    return Standing(step, StepState.DOUBTFUL, f"it was moved to {shown(moved.path)}")


def _sizes(plan: Plan, step: Step, library: Library) -> Standing:
    """Whether the library is what it was; parts that the plan carries before are not counted."""
    earlier = {other.path for other in plan.steps[: step.n - 1]}
    parts = [piece for piece in in_pieces(library)[1:] if piece.path in earlier]
    size = library.bytes - sum(part.bytes for part in parts)
    files = library.files - sum(part.files for part in parts)
    if (size, files) == (step.bytes, step.files):
        return Standing(step, StepState.HOLDS)
    grew = size - step.bytes
    by = f"{format_bytes(abs(grew))} {'larger' if grew > 0 else 'smaller'}" if grew else "as large"
    more = files - step.files
    count = f", with {format_count(abs(more), 'file')} {'more' if more > 0 else 'fewer'}" if more else ""
    return Standing(
        step,
        StepState.CHANGED,
        f"it is {by} than when the plan was made{count}" if grew else f"it is the same size as before{count}",
    )


def _lacks(plan: Plan, step: Step, free: dict[str, int], known: _Known) -> str:
    drive = known.drives[step.to_drive]
    floor = plan.headroom_bytes.get(drive.id, drive.headroom_bytes)
    lacking = floor + step.takes_bytes - free[drive.id]
    return f"{shown(drive.label)} would be {format_bytes(lacking)} short of its headroom" if lacking > 0 else ""


def _made_room_by(plan: Plan, step: Step, doubtful: set[int]) -> str:
    made = [other.n for other in plan.steps[: step.n - 1] if other.n in doubtful and other.from_drive == step.to_drive]
    return f": step {made[0]}, which makes room there, is in doubt" if made else " now"


def draft_of(plan: Plan, snapshot: Snapshot) -> tuple[Draft, list[str]]:
    """The draft that a plan comes to on the present drives and libraries, and in words what of it cannot be laid."""
    known = _Known(snapshot)
    draft = Draft(
        snapshot,
        headroom_bytes={
            drive_id: count
            for drive_id, count in plan.headroom_bytes.items()
            if drive_id in known.drives and known.drives[drive_id].headroom_bytes != count
        },
        keep_headroom=plan.keep_headroom,
        on_trial=plan.on_trial,
        landings={landing.kind: landing for landing in plan.landings if landing.drive in known.drives},
    )
    left: list[str] = []
    for step in _final_steps(plan):
        path = step.path
        library = known.at.get(path)
        if library is None:
            standing = _gone(step, known)
            if standing.state is not StepState.DONE:
                left.append(f"step {step.n}, {shown(step.library)}: {standing.words}")
            continue
        try:
            if path in known.wholes and not draft.knows(library.id):
                draft = draft.parted(known.wholes[path].id)
            draft = draft.put_down(library.id, step.to_drive, _chosen_target(step, library, known.drives))
        except Refused as refusal:
            left.append(f"step {step.n}, {shown(step.library)}: {refusal.what}")
    return draft, left


def _final_steps(plan: Plan) -> Iterator[Step]:
    """Each library's step with the drive on which it ends, staging left out."""
    goes_on = {step.path: step for step in plan.steps if step.role is Role.FROM_STAGING}
    for step in plan.steps:
        if step.role is Role.FROM_STAGING:
            continue
        last = goes_on.get(step.target_path)
        yield step if last is None else replace(step, to_drive=last.to_drive, target_path=last.target_path, via=None)


def _chosen_target(step: Step, library: Library, drives: dict[str, Drive]) -> str | None:
    """The target path of a step where it is not the usual one of its drive."""
    drive, source = drives.get(step.to_drive), drives.get(step.from_drive)
    if drive is None or not is_within(step.target_path, drive.path):
        return None
    return None if step.target_path == usual_target(library, drive, source) else step.target_path
