"""Which step may begin while others run: it shares no disk with them, needs nothing of a step that is not done, and
takes no room that an earlier one wants. The simulation and carrying both ask here: what was rehearsed is what happens.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence, Set

from nuvik.core.model.drive import Drive
from nuvik.core.model.paths import is_within
from nuvik.core.model.plan import Step


def step_beside(
    waiting: Sequence[Step],
    running: Sequence[Step],
    drives: Mapping[str, Drive],
    needs: Mapping[int, Set[int]],
    room_bytes: Callable[[Step], int],
    spare_bytes: Mapping[str, int],
) -> Step | None:
    """The first of the waiting steps that may begin while the others run, or None.

    `room_bytes` says what a step takes on its target, `spare_bytes` what each drive has above its floor now; both ends
    of every step must be among `drives` and `spare_bytes`.
    """
    undone = {step.n for step in (*running, *waiting)}
    wanted: dict[str, int] = {}
    for step in waiting:
        wanted[step.to_drive] = wanted.get(step.to_drive, 0) + room_bytes(step)
        if (
            wanted[step.to_drive] <= spare_bytes[step.to_drive]
            and not needs[step.n] & undone
            and not any(_share_disk(step, other, drives) for other in running)
        ):
            return step
    return None


def needs_of(steps: Sequence[Step]) -> dict[int, set[int]]:
    """By number, the steps that must be done before: those that bring a library, or take a part out of it."""
    return {
        step.n: {
            earlier.n
            for earlier in steps
            if earlier.n < step.n and (earlier.target_path == step.path or is_within(earlier.path, step.path))
        }
        for step in steps
    }


def _share_disk(step: Step, other: Step, drives: Mapping[str, Drive]) -> bool:
    return any(
        drives[mine].shares_disk_with(drives[theirs])
        for mine in (step.from_drive, step.to_drive)
        for theirs in (other.from_drive, other.to_drive)
    )
