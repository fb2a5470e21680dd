"""Which what-ifs there are for a scene, and those that a user types."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown
from nuvik.core.model.purchase import Candidate
from nuvik.core.model.units import parse_bytes
from nuvik.core.rehearsal.lost_drives import Away, Fails
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.whatifs import Bought, Crumbs, Grown, New, SideBySide, Slower, WhatIf
from nuvik.core.survey.history.growth import Growth

HALF_A_YEAR_WEEKS = 26.0
_NEW_GAME_BYTES = 90_000_000_000
_MOST_CANDIDATES = 3
_MOST_FACTOR = 1000.0


def possible(
    scene: Scene, candidates: Sequence[Candidate] = (), rates: Mapping[str, Growth | None] | None = None
) -> list[WhatIf]:
    """What is worth supposing of a scene, the likeliest first."""
    used = [
        drive
        for drive in scene.drives
        if any(drive.id in (step.from_drive, step.to_drive) for step in scene.plan.steps)
    ]
    sources = [used_drive for used_drive in used if any(step.from_drive == used_drive.id for step in scene.plan.steps)]
    holding = {place for _, place in scene.stands}
    attached = [drive for drive in scene.drives if drive.attached and drive.id in holding]
    what_ifs: list[WhatIf] = [Away(drive) for drive in attached if drive.portable]
    what_ifs += [New(Kind.GAME, _NEW_GAME_BYTES), grown(HALF_A_YEAR_WEEKS, rates or {})]
    what_ifs += [Fails(drive) for drive in attached]
    what_ifs += [Slower(used_drive) for used_drive in used]
    what_ifs += [Crumbs(source) for source in sources]
    what_ifs += [Bought(candidate) for candidate in candidates[:_MOST_CANDIDATES]]
    if len(scene.plan.steps) > 1 and not scene.side_by_side:
        what_ifs.append(SideBySide())
    return what_ifs


def grown(weeks: float, rates: Mapping[str, Growth | None]) -> Grown:
    """Growth at these rates, by drive id, for so many weeks."""
    return Grown(
        weeks, tuple((drive, rate.bytes_per_week) for drive, rate in sorted(rates.items()) if rate is not None)
    )


def slower_of(drive: Drive, factor: str) -> Slower:
    """A drive so many times as slow, as typed. Raises BadInput."""
    try:
        number = float(factor.replace(",", "."))
    except ValueError:
        number = 0.0
    if not 1 / _MOST_FACTOR <= number <= _MOST_FACTOR:
        raise BadInput(f"“{shown(factor)}” is not a factor.", next_step="Write for example wren=2.")
    return Slower(drive, number)


def new_of(kind: str, size: str) -> New:
    """Something new of a kind and size, as typed. Raises BadInput."""
    if kind not in list(Kind):
        raise BadInput(f"“{shown(kind)}” is not a kind.", next_step=f"Choose one of: {', '.join(Kind)}.")
    count = parse_bytes(size)
    if count <= 0:
        raise BadInput(f"“{shown(size)}” is not a size.", next_step="Write for example game=90G.")
    return New(Kind(kind), count)
