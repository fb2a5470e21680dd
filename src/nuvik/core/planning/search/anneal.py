"""Placements that an order of moves leads to, searched by chance: a library goes elsewhere, and others make room for
it.

Simulated annealing (Kirkpatrick, Gelatt and Vecchi, Science 220, 1983): what makes things worse is accepted now and
then, ever more seldom, so that the search climbs out of what only looks best from nearby. On nearly full drives hardly
any single move has room, so a step moves up to four libraries at once. Each state can be carried: the moves so far have
an order in which each has room. The dice have a fixed seed and steps are counted: the same household gets the same
answer however busy the computer is.
"""

from __future__ import annotations

import math
import random
from collections.abc import Mapping, Sequence

from nuvik.core.planning.ordering.move_order import Transfer
from nuvik.core.planning.search.figures import Figures

_COLD_S = 1.0
"""In the end a step that costs more than a few seconds is hardly ever taken."""
_NOTHING_S = 1e-6
_HEAT_STEPS = 50
_MAKE_WAY = 0.4
"""How often a library moves out of the way where there would be room for both."""
_ANY_SIZE = 0.3
"""How often one makes way that is too small for it, so that another must, too."""
_MOST_MAKE_WAY = 3
_GLANCES = 12
"""So many libraries are looked at for one that makes way."""


class Annealing:
    """The state of a search: where each library stands, and an order of the moves that lead there."""

    def __init__(self, figures: Figures, seed: int = 1) -> None:
        self._figures = figures
        self._chance = random.Random(seed).random
        self._goals = [[column for column, cost in enumerate(costs) if cost < math.inf] for costs in figures.costs]
        self._movable = [row for row, goals in enumerate(self._goals) if len(goals) > 1]
        self.start([], {})

    def start(self, sequence: Sequence[str], places: Mapping[str, str]) -> None:
        """Begin with these moves, given by the ids of libraries and drives, in an order that works."""
        figures = self._figures
        self._place, self._free = list(figures.source), list(figures.free_gb)
        self._in: list[list[int]] = [[] for _ in figures.spaces]
        """The movable rows that stand in each space, in any order …"""
        self._at = [0] * len(figures.source)
        """… and where in its list a row is, so that it leaves at once."""
        for row in self._movable:
            standing = self._in[figures.space_of[self._place[row]]]
            self._at[row] = len(standing)
            standing.append(row)
        self._sequence = [figures.rows[library_id] for library_id in sequence]
        for library_id in sequence:
            self._put(figures.rows[library_id], figures.columns[places[library_id]])
        self.change_s = 0.0
        """By how much the cost of the best differs from that of the beginning: never above 0."""
        self._best = (list(self._place), list(self._sequence))

    def search(self, steps: int, heat_s: float) -> tuple[dict[str, str], list[Transfer]]:
        """The best of so many steps: where libraries go, by id, and the order. At first steps that cost about `heat_s`
        more are taken, too.
        """
        cost_s, heat, cooling = 0.0, heat_s, _COLD_S / heat_s
        for step in range(steps if self._movable else 0):
            if step % _HEAT_STEPS == 0:
                heat = heat_s * cooling ** (step / steps)
            cost_s += self._step(heat)
            if cost_s < self.change_s - _NOTHING_S:
                self.change_s, self._best = cost_s, (list(self._place), list(self._sequence))
        place, sequence = self._best
        choices, drives = self._figures.choices, self._figures.drives
        places = {choices[row].library.id: drives[place[row]].id for row in sequence}
        return places, self._figures.transfers(sequence, place)

    def _step(self, heat: float) -> float:
        """Try to send a library elsewhere, and others out of its way; by how many seconds the cost changed."""
        figures, chance = self._figures, self._chance
        row = self._movable[int(chance() * len(self._movable))]
        here, goals = self._place[row], self._goals[row]
        column = goals[int(chance() * len(goals))]
        if column == here:
            column = figures.source[row]  # as good as any, and what was moved for nothing finds home
            if column == here:
                return 0.0
        places_before = {row: here}
        prices_before: dict[int, float] = {}
        change = self._send(row, column, prices_before)
        way = self._make_way(figures.space_of[column], places_before, prices_before)
        if way is not None:
            change += way
            for space, before in prices_before.items():
                change += figures.price_s(space, self._free[space]) - before
            accepted = change <= 0.0 or chance() < math.exp(-change / heat)
            if accepted and self._finds_order(list(places_before)):
                return change
        for moved, before_at in reversed(places_before.items()):
            self._put(moved, before_at)
        return 0.0

    def _send(self, row: int, column: int, prices_before: dict[int, float]) -> float:
        """Put a library on a drive; what that costs, without the price of the room in both spaces, kept as it was."""
        figures, here = self._figures, self._place[row]
        for space in (figures.space_of[here], figures.space_of[column]):
            if space not in prices_before:
                prices_before[space] = figures.price_s(space, self._free[space])
        costs = figures.costs[row]
        cost = costs[column] - costs[here]
        if figures.collected:
            cost += figures.scatter_s(row, column, self._place)
        self._put(row, column)
        return cost

    def _make_way(self, space: int, places_before: dict[int, int], prices_before: dict[int, float]) -> float | None:
        """Send libraries away from a space until what arrived has room; what that costs, None where there is no way."""
        figures, chance, cost, sent = self._figures, self._chance, 0.0, 0
        while True:
            lack = figures.least_gb[space] - self._free[space]
            if lack <= 0.0 and (sent or chance() >= _MAKE_WAY):
                break
            sent += 1
            other = self._candidate_to_leave(space, 0.0 if sent < _MOST_MAKE_WAY and chance() < _ANY_SIZE else lack)
            if sent > _MOST_MAKE_WAY or other is None or other in places_before:
                return None
            goal = self._goal_with_room(other, space)
            if goal is None:
                return None
            places_before[other] = self._place[other]
            cost += self._send(other, goal, prices_before)
        return cost

    def _candidate_to_leave(self, space: int, least_gb: float) -> int | None:
        """A library in a space that takes at least so much there."""
        standing, sizes, place, chance = self._in[space], self._figures.sizes, self._place, self._chance
        for _ in range(_GLANCES if standing else 0):
            other = standing[int(chance() * len(standing))]
            if sizes[other][place[other]] >= least_gb:
                return other
        return None

    def _goal_with_room(self, row: int, space: int) -> int | None:
        """A drive outside a space with room for a library: the cheapest, more or less."""
        figures, chance = self._figures, self._chance
        costs, sizes = figures.costs[row], figures.sizes[row]
        goal, best = None, math.inf
        for column in self._goals[row]:
            there = figures.space_of[column]
            if there != space and self._free[there] - sizes[column] >= figures.least_gb[there]:
                cost = costs[column] * (0.5 + chance())
                if cost < best:
                    goal, best = column, cost
        return goal

    def _finds_order(self, changed: list[int]) -> bool:
        """Find an order with these libraries where they were in it, behind the others, or somewhere between them."""
        figures, place, source = self._figures, self._place, self._figures.source
        away = set(changed)
        others = [row for row in self._sequence if row not in away]
        new = [row for row in changed if place[row] != source[row]]
        kept = [row for row in self._sequence if row not in away or place[row] != source[row]]
        between = int(self._chance() * (len(others) + 1))
        sequences = (
            [*kept, *(row for row in new if row not in set(kept))],
            [*others, *new[::-1]],
            [*others, *new],
            [*others[:between], *new[::-1], *others[between:]],
        )
        order = next((sequence for sequence in sequences if figures.works(sequence, place)), None)
        if order is None:
            order = figures.an_order(sequences[2], place)
        if order is None or not figures.within_limits(order, place):
            return False
        self._sequence = order
        return True

    def _put(self, row: int, column: int) -> None:
        figures, here, sizes = self._figures, self._place[row], self._figures.sizes[row]
        left, there = figures.space_of[here], figures.space_of[column]
        self._free[left] += sizes[here]
        self._free[there] -= sizes[column]
        self._place[row] = column
        if left != there and len(self._goals[row]) > 1:
            standing, number = self._in[left], self._at[row]
            last = standing.pop()
            if last != row:
                standing[number] = last
                self._at[last] = number
            self._at[row] = len(self._in[there])
            self._in[there].append(row)
