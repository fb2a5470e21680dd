"""The best placement there is, whatever the order of moves: what everything that can be reached is measured by.

Solved by HiGHS (branch and cut; its dual bound is the proof), beginning with what simple exchanges bring. Of very many
libraries only those choices are left that a relaxed program, in which parts of a library may be placed, does not call
dear (the kernel search of Angelelli, Mansini and Speranza, Computers & Operations Research 37, 2010); its bound is the
proof.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.proposal import Proposal, acceptable_gap_s, proposal_of
from nuvik.core.planning.placement.solver import Effort, Relaxed, Solved

MOST_AT_ONCE = 700
"""With so many choices of a place all are looked at together …"""
_KERNEL = 200
"""… with more only those that are made in part by the relaxed program, and so many of the next best."""
_NODES_TIMES, _NODES_TIMES_OF_KERNEL, _FEWEST_NODES, _MOST_NODES = 12_000, 320_000, 40, 300
"""The more choices, the longer a node takes, and the fewer are looked at."""
_QUICK_STEPS, _STEPS_AFTER = 6, 100
"""Simple exchanges are made before the search, and after one that ended before its proof."""


@dataclass(frozen=True, slots=True)
class Ideal:
    """The best placement, and what the search for it learnt."""

    model: Placement
    proposal: Proposal
    prices: dict[str, float]
    """By the id of each drive, what a GB of its room is worth where all libraries want the best place, in seconds."""
    without: frozenset[int] = frozenset()
    """The choices that were left out, since they are too dear."""

    @property
    def choices(self) -> int:
        """How many choices of a place there are."""
        return sum(len(choice.variables) for choice in self.model.choices.values())

    @property
    def nodes(self) -> int:
        """In how many nodes a search of this size should end."""
        times = _NODES_TIMES if self.choices <= MOST_AT_ONCE else _NODES_TIMES_OF_KERNEL
        return max(_FEWEST_NODES, min(_MOST_NODES, times // max(1, self.choices)))

    def start(self, places: Mapping[str, str]) -> dict[int, float]:
        """The values of the choices for a placement, by variable."""
        return {
            variable: float(drive.id == places.get(library_id, choice.library.drive))
            for library_id, choice in self.model.choices.items()
            for drive, variable in choice.variables
        }

    def solved(
        self, places: Mapping[str, str], forbidden: Collection[int] = (), effort: Effort | None = None
    ) -> Solved:
        """The best placement by the model without some choices; the search begins with these places."""
        if effort is None:
            effort = Effort.MUCH if self.choices > MOST_AT_ONCE else Effort.USUAL
        start = self.start(places)
        dear = self.without
        if forbidden and self.choices > MOST_AT_ONCE:
            dear = _dear(self.model.program.relaxed(forbidden), start)  # what is dear has changed
        without = {*dear, *forbidden} - {variable for variable, value in start.items() if value}
        return self.model.program.solve(
            acceptable_gap_s(self.model), self.nodes, start=start, without=without, effort=effort
        )

    def valued(self, places: Mapping[str, str]) -> Proposal:
        """What a placement comes to, beside the ideal one: the model with every library where it is put. What the rules
        do not allow costs infinitely much.
        """
        start = self.start(places)
        left_out = [variable for variable, value in start.items() if not value]
        solved = self.model.program.solve(0.0, without=left_out)
        proposal = self.against_bound(proposal_of(self.model, solved))
        return proposal if solved.values else replace(proposal, cost_s=float("inf"))

    def against_bound(self, proposal: Proposal) -> Proposal:
        """A proposal with the bound of the ideal one, and how far it is from that."""
        bound_s = self.proposal.bound_s
        gap = max(0.0, (proposal.cost_s - bound_s) / max(1.0, abs(proposal.cost_s)))
        return replace(proposal, bound_s=bound_s, gap=gap, in_time=self.proposal.in_time)


def propose(snapshot: Snapshot, wishes: Wishes) -> Proposal:
    """The best placement for these drives and libraries, whatever the order. The same input gives the same proposal."""
    return ideal_placement(snapshot, wishes).proposal


def ideal_placement(snapshot: Snapshot, wishes: Wishes, effort: Effort | None = None) -> Ideal:
    """The best placement, or the best found in so many nodes of the search."""
    model = Placement(snapshot, wishes)
    if not model.program.costs:  # no drive is attached: nothing is to be decided
        return Ideal(model, Proposal(cost_s=model.offset_s, bound_s=model.offset_s), {})
    relaxed = model.program.relaxed()
    prices = prices_of_room(model, relaxed)
    from nuvik.core.planning.search.exchange import Exchange  # brings numpy, which is slow to load

    # With originals that stay no library makes room for another: there is nothing to exchange.
    places = {} if wishes.on_trial else Exchange(model, {}, prices).search(_QUICK_STEPS)[0]
    ideal = Ideal(model, Proposal(), prices)
    if ideal.choices > MOST_AT_ONCE:
        ideal = replace(ideal, without=_dear(relaxed, ideal.start(places)))
    solved = ideal.solved(places, effort=effort)
    bound = relaxed.bound if ideal.without else max(solved.bound, relaxed.bound)
    in_time = solved.in_time if not ideal.without else solved.cost - bound <= acceptable_gap_s(model)
    ideal = replace(ideal, proposal=proposal_of(model, replace(solved, bound=bound, in_time=in_time)))
    # Within the gap that is allowed, a search may end with more missing than its own placement leaves missing.
    exact = ideal.valued(ideal.proposal.places)
    if exact.cost_s < ideal.proposal.cost_s:
        ideal = replace(ideal, proposal=exact)
    if in_time or wishes.on_trial:
        return ideal
    exchange = Exchange(model, {}, prices)
    exchange.begin_at(ideal.proposal.places)
    better = ideal.valued(exchange.search(_STEPS_AFTER)[0])
    return replace(ideal, proposal=better) if better.cost_s < ideal.proposal.cost_s else ideal


def seen_as_ideal(snapshot: Snapshot, wishes: Wishes, proposal: Proposal) -> Ideal:
    """A proposal for the same household with its libraries otherwise in pieces, as what is ideal for these."""
    model = Placement(snapshot, wishes)
    relaxed = model.program.relaxed()
    ideal = Ideal(model, proposal, prices_of_room(model, relaxed))
    return (
        replace(ideal, without=_dear(relaxed, ideal.start(proposal.places))) if ideal.choices > MOST_AT_ONCE else ideal
    )


def _dear(relaxed: Relaxed, start: Mapping[int, float]) -> frozenset[int]:
    """The choices that are left out."""
    dear = sorted((relaxed.dear[variable], variable) for variable in start if relaxed.dear[variable] > 0)
    return frozenset(variable for _, variable in dear[_KERNEL:] if not start[variable])


def prices_of_room(model: Placement, relaxed: Relaxed) -> dict[str, float]:
    """By the id of each drive, what a GB of its room is worth, in seconds."""
    return {
        drive.id: sum(max(0.0, relaxed.prices[row]) for row in model.room_rows[space.id])
        for space in model.spaces
        for drive in space.drives
    }
