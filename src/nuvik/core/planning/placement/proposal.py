"""A proposal: which library belongs on which drive, with a proof of how good that is."""

from __future__ import annotations

from dataclasses import dataclass, field

from nuvik.core.planning.placement.demands import Demand
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.solver import Solved
from nuvik.core.planning.placement.spaces import GB

PROVEN_GAP = 0.001
"""The solver stops when it has proven that nothing better than a thousandth of the whole cost exists."""
LEAST_GAP_S = 0.5
_ROUNDING_GB = 2e-6


@dataclass(frozen=True, slots=True)
class Proposal:
    """Where everything should stand."""

    places: dict[str, str] = field(default_factory=dict)
    """The new drive's id by library id, for those that move."""
    cost_s: float = 0.0
    """What was made small."""
    bound_s: float = 0.0
    """Nothing can cost less, proven."""
    gap: float = 0.0
    """How far the cost may be from the best possible, as a share of it."""
    short_bytes: dict[str, int] = field(default_factory=dict)
    """By how much drives miss their headroom nevertheless."""
    unmet: tuple[Demand, ...] = ()
    """The demands that cannot be met, or not all of them at once."""
    in_time: bool = True
    """False when the search ended before the proof."""


def proposal_of(model: Placement, solved: Solved) -> Proposal:
    """What the values of a solved model say."""
    if not solved.values:
        return Proposal(cost_s=model.offset_s, gap=1.0, in_time=False)
    cost, bound = solved.cost + model.offset_s, min(solved.cost, solved.bound) + model.offset_s
    short = {space.id: sum(solved.values[step] for step, _ in steps) for space, steps in model.shortages}
    return Proposal(
        places=model.places(solved.values),
        cost_s=cost,
        bound_s=bound,
        gap=max(0.0, (cost - bound) / max(1.0, abs(cost))),
        short_bytes={space: round(short_gb * GB) for space, short_gb in short.items() if short_gb >= _ROUNDING_GB},
        unmet=tuple(demand for demand, variable in model.unmet if solved.values[variable] > 0.5),
        in_time=solved.in_time,
    )


def acceptable_gap_s(model: Placement) -> float:
    """By how many seconds an answer may miss the best possible, to count as the best."""
    return max(LEAST_GAP_S, PROVEN_GAP * model.offset_s)
