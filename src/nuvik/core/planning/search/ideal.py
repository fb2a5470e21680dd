"""The best placement there is, whatever the order of moves: what everything that can be reached is measured by.

Solved by HiGHS (branch and cut; its dual bound is the proof), beginning with what simple exchanges bring. Of very many
libraries only those choices are left that a relaxed program, in which parts of a library may be placed, does not call
dear (the kernel search of Angelelli, Mansini and Speranza, Computers & Operations Research 37, 2010); its bound is the
proof, or that of the whole program's first node where parts and demands, which come whole or not at all, make it weak.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.proposal import Proposal, acceptable_gap_s, proposal_of
from nuvik.core.planning.placement.solver import Effort, Relaxed, Solved
from nuvik.core.planning.placement.spaces import headroom_wanted
from nuvik.core.planning.search.anneal import Annealing
from nuvik.core.planning.search.figures import Figures

MOST_AT_ONCE = 700
"""With so many choices of a place all are looked at together …"""
_KERNEL, _KERNEL_SHARE, _OF_WAYS = 200, 12, 0.3
"""… with more only those that are made in part by the relaxed program, and so many of the next best, or one in so many
of all; so large a share of these is the next best of each way from a drive to another.
"""
_NODES_TIMES, _FEWEST_NODES, _MOST_NODES = 900_000, 5, 300
"""The more choices, the longer a node takes, and the less it brings: their square is divided by."""
_NODES_TIMES_OF_KERNEL, _FEWEST_NODES_OF_KERNEL = 40_000, 5
_LITTLE, _AGAIN = 8, 2
"""With little effort it is so many times fewer, and for very many libraries when some choices are forbidden later."""
_QUICK_STEPS, _STEPS_AFTER = 6, 100
"""Simple exchanges are made before the search, and after one that ended before its proof …"""
_ANNEALING_STEPS, _HEATS_S = 4_000, (3_000.0, 10_000.0)
"""… and of not too many libraries short annealings, too."""


@dataclass(frozen=True, slots=True)
class Ideal:
    """The best placement, and what the search for it learnt."""

    model: Placement
    proposal: Proposal
    prices: dict[str, float]
    """By the id of each drive, what a GB of its room is worth where all libraries want the best place, in seconds."""
    dear: tuple[float, ...] = ()
    """By variable, how much more it costs at least to choose it, where parts of libraries may be placed."""
    without: frozenset[int] = frozenset()
    """The choices that were left out, since they are too dear."""

    @property
    def choices(self) -> int:
        """How many choices of a place there are."""
        return sum(len(choice.variables) for choice in self.model.choices.values())

    @property
    def nodes(self) -> int:
        """In how many nodes a search of this size should end."""
        choices = max(1, self.choices)
        if choices > MOST_AT_ONCE:
            return max(_FEWEST_NODES_OF_KERNEL, min(_MOST_NODES, _NODES_TIMES_OF_KERNEL // choices))
        return max(_FEWEST_NODES, min(_MOST_NODES, _NODES_TIMES // choices**2))

    def cheapest(self, count: int) -> list[tuple[str, str]]:
        """The moves, by the ids of library and drive, that are made in part where parts of libraries may be placed, and
        so many of the next best.
        """
        moves = [
            (self.dear[variable], library_id, drive.id)
            for library_id, choice in self.model.choices.items()
            for drive, variable in choice.variables
            if drive is not choice.source
        ]
        made = sum(not dear for dear, _, _ in moves)
        return [(library_id, drive_id) for _, library_id, drive_id in sorted(moves)[: made + count]]

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
            # What is left once some moves are forbidden gets no better by a search for a beginning, measured.
            effort = Effort.MUCH if self.choices > MOST_AT_ONCE and not forbidden else Effort.USUAL
        start = self.start(places)
        dear = self.without
        if forbidden and self.choices > MOST_AT_ONCE:
            dear = _dear(self.model, self.model.program.relaxed(forbidden), start)  # what is dear has changed
        without = {*dear, *forbidden} - {variable for variable, value in start.items() if value}
        nodes = self.nodes
        if effort is Effort.LITTLE:
            nodes = max(1, nodes // _LITTLE)
        elif forbidden and self.choices > MOST_AT_ONCE:
            nodes //= _AGAIN
        return self.model.program.solve(
            acceptable_gap_s(self.model), nodes, start=start, without=without, effort=effort
        )

    def bound_of_all(self, values: Sequence[float]) -> float:
        """What nothing can cost less than, with every choice looked at, as far as so few nodes can say. `values` are
        those of the best known.
        """
        start = {number: value for number, value in enumerate(values) if self.model.program.binary[number]}
        return self.model.program.solve(
            acceptable_gap_s(self.model), self.nodes, start=start, effort=Effort.LITTLE
        ).bound

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

    figures = Figures(model, {})
    # With originals that stay no library makes room for another: there is nothing to exchange.
    places = {} if wishes.on_trial else Exchange(figures, prices).search(_QUICK_STEPS)[0]
    ideal = Ideal(model, Proposal(), prices, relaxed.dear)
    if ideal.choices > MOST_AT_ONCE:
        ideal = replace(ideal, without=_dear(model, relaxed, ideal.start(places)))
    solved = ideal.solved(places, effort=effort)
    bound = max(relaxed.bound, -math.inf if ideal.without else solved.bound)
    if ideal.without and model.has_ties and solved.cost - bound > acceptable_gap_s(model):
        bound = max(bound, ideal.bound_of_all(solved.values))
    in_time = solved.in_time if not ideal.without else solved.cost - bound <= acceptable_gap_s(model)
    ideal = replace(ideal, proposal=proposal_of(model, replace(solved, bound=bound, in_time=in_time)))
    # Within the gap that is allowed, a search may end with more missing than its own placement leaves missing.
    exact = ideal.valued(ideal.proposal.places)
    if exact.cost_s < ideal.proposal.cost_s:
        ideal = replace(ideal, proposal=exact)
    if in_time or wishes.on_trial:
        return ideal
    exchange = Exchange(figures, prices)
    exchange.begin_at(ideal.proposal.places)
    ideal = _better_of(ideal, exchange.search(_STEPS_AFTER)[0])
    return ideal if ideal.choices > MOST_AT_ONCE else _by_chance(ideal, figures, ideal.proposal.places)


def _better_of(ideal: Ideal, places: Mapping[str, str]) -> Ideal:
    better = ideal.valued(places)
    return replace(ideal, proposal=better) if better.cost_s < ideal.proposal.cost_s else ideal


def at_any_price(snapshot: Snapshot, wishes: Wishes, places: Mapping[str, str]) -> Proposal:
    """What could be had of the headroom if nothing counted but that, searched by chance from a placement. Nothing is
    proven of it.
    """
    wishes = replace(wishes, headroom_bytes={drive.id: headroom_wanted(drive, wishes) for drive in snapshot.drives})
    if wishes.on_trial:  # no library makes room for another then: chance gets nowhere
        return ideal_placement(snapshot, wishes, effort=Effort.LITTLE).proposal
    model = Placement(snapshot, wishes)
    ideal = Ideal(model, Proposal(cost_s=math.inf), {})
    ideal = _better_of(_better_of(ideal, {}), places)
    return _by_chance(ideal, Figures(model, {}), ideal.proposal.places).proposal


def _by_chance(ideal: Ideal, figures: Figures, places: Mapping[str, str]) -> Ideal:
    """An ideal made better by annealings that begin with a placement, or with a better one of an earlier annealing."""
    for number, heat_s in enumerate(_HEATS_S):
        annealing = Annealing(figures, seed=number)
        if places.keys() <= figures.rows.keys():
            annealing.start(list(places), places)
        ideal = _better_of(ideal, annealing.search(_ANNEALING_STEPS, heat_s)[0])
        places = ideal.proposal.places
    return ideal


def seen_as_ideal(snapshot: Snapshot, wishes: Wishes, proposal: Proposal) -> Ideal:
    """A proposal for the same household with its libraries otherwise in pieces, as what is ideal for these."""
    model = Placement(snapshot, wishes)
    relaxed = model.program.relaxed()
    ideal = Ideal(model, proposal, prices_of_room(model, relaxed), relaxed.dear)
    return (
        replace(ideal, without=_dear(model, relaxed, ideal.start(proposal.places)))
        if ideal.choices > MOST_AT_ONCE
        else ideal
    )


def _dear(model: Placement, relaxed: Relaxed, start: Mapping[int, float]) -> frozenset[int]:
    """The choices that are left out. By their price alone the many tiny libraries would crowd out all large ones, and
    whole ways from a drive to another with them: some of each way stay, the others by their price.
    """
    by_way: dict[tuple[str, str], list[tuple[float, int]]] = {}
    for choice in model.choices.values():
        for drive, variable in choice.variables:
            if relaxed.dear[variable] > 0:
                by_way.setdefault((choice.source.id, drive.id), []).append((relaxed.dear[variable], variable))
    by_turn = sorted((turn, variable) for way in by_way.values() for turn, (_, variable) in enumerate(sorted(way)))
    by_price = sorted(pair for way in by_way.values() for pair in way)
    kernel = max(_KERNEL, len(start) // _KERNEL_SHARE)
    of_ways = [variable for _, variable in by_turn[: int(_OF_WAYS * kernel)]]
    order = dict.fromkeys((*of_ways, *(variable for _, variable in by_price)))
    return frozenset(variable for variable in list(order)[kernel:] if not start[variable])


def prices_of_room(model: Placement, relaxed: Relaxed) -> dict[str, float]:
    """By the id of each drive, what a GB of its room is worth, in seconds."""
    return {
        drive.id: sum(max(0.0, relaxed.prices[row]) for row in model.room_rows[space.id])
        for space in model.spaces
        for drive in space.drives
    }
