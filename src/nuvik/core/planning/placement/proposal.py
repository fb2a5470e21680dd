"""The proposal: which library belongs on which drive, as good as can be, with a proof of how good that is.

Solved by HiGHS (branch and cut; its dual bound is the proof), in three steps, each among what is best in the one
before: headroom is missed by as little as possible, then as many demands as possible are met, then the cost is as low
as can be.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.demands import Demand
from nuvik.core.planning.placement.placement_model import GB, Placement

PROVEN_GAP = 0.001
"""The solver stops when it has proven that nothing better than a thousandth exists …"""
TIME_LIMIT_S = 20.0
"""… or after this time, with the best so far."""
_ROUNDING_GB = 1e-6


@dataclass(frozen=True, slots=True)
class Proposal:
    """Where everything should stand."""

    places: dict[str, str] = field(default_factory=dict)
    """The new drive's id by library id, for those that move."""
    cost_s: float = 0.0
    """What was made small, once no headroom is missed by more than must be."""
    bound_s: float = 0.0
    """Nothing can cost less, proven."""
    gap: float = 0.0
    """How far the cost may be from the best possible, as a share of it."""
    short_bytes: dict[str, int] = field(default_factory=dict)
    """By how much drives miss their headroom nevertheless."""
    unmet: tuple[Demand, ...] = ()
    """The demands that cannot be met, or not all of them at once."""
    in_time: bool = True
    """False when the time limit came before the proof."""


def propose(snapshot: Snapshot, wishes: Wishes, time_limit_s: float = TIME_LIMIT_S) -> Proposal:
    """The best placement for these drives and libraries. The same input gives the same proposal."""
    model = Placement(snapshot, wishes)
    if not model.program.costs:  # no drive is attached: nothing is to be decided
        return Proposal(cost_s=model.offset_s, bound_s=model.offset_s)
    program, missing = model.program, [variable for _, variable in model.shortages]
    asked = _short_now(model) or float(bool(wishes.placed))
    proven = _settle(model, dict.fromkeys(missing, 1.0), asked, _ROUNDING_GB, time_limit_s / 3)
    unmet = [variable for _, variable in model.unmet]
    proven &= _settle(model, dict.fromkeys(unmet, 1.0), len(unmet), 0.5, time_limit_s / 3)
    solved = program.solve(PROVEN_GAP, time_limit_s)
    if not solved.values:
        return Proposal(cost_s=model.offset_s, gap=1.0, in_time=False)
    places = {}
    for choice in model.choices.values():
        chosen = max(choice.variables, key=lambda pair: solved.values[pair[1]])[0]
        if chosen.id != choice.library.drive:
            places[choice.library.id] = chosen.id
    short = {space.id: solved.values[variable] for space, variable in model.shortages}
    cost, bound = solved.cost + model.offset_s, min(solved.cost, solved.bound) + model.offset_s
    return Proposal(
        places=places,
        cost_s=cost,
        bound_s=bound,
        gap=max(0.0, (cost - bound) / max(1.0, abs(cost))),
        short_bytes={drive: round(short_gb * GB) for drive, short_gb in short.items() if short_gb >= 2 * _ROUNDING_GB},
        unmet=tuple(demand for demand, variable in model.unmet if solved.values[variable] > 0.5),
        in_time=solved.in_time and proven,
    )


def _settle(model: Placement, price: Mapping[int, float], now: float, rounding: float, time_limit_s: float) -> bool:
    """Make the sum of these variables as small as can be, and hold it there. False when that was not proven in time."""
    proven, least = True, 0.0
    if now:
        solved = model.program.solve(0.0, time_limit_s, price)
        least = sum(solved.values[variable] for variable in price) if solved.values else now
        proven = solved.in_time
    if price:
        model.program.row(list(price.items()), upper=least + rounding)
    return proven


def _short_now(model: Placement) -> float:
    """By how much headroom is missed as things stand, in GB."""
    return sum(max(0, space.headroom_bytes - space.free_bytes) for space in model.spaces) / GB
