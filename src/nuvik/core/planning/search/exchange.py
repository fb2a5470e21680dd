"""Better placements by moving one library more, or two that make room for each other, as long as it helps.

Each step keeps the whole executable: the moves so far and the new ones must have an order in which each has room. Costs
are those of the placement model.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy

from nuvik.core.planning.ordering.move_order import Transfer
from nuvik.core.planning.search.figures import Figures

Array = Any
"""A numpy array of numbers; its shape is said where it is made."""
_MOST_TRIED = 40
"""So many pairs that would help are tried for an order before the search ends."""
_FIRSTS, _FIRSTS_OF_MANY, _MANY = 64, 24, 200
"""So many libraries, those that stand worst, are the first of a pair; fewer where there are very many."""
_MOST_STEPS = 400
_LEAST_GAIN_S = 0.05


class Exchange:
    """The state of a search: where each library that may move stands, and what is free then."""

    def __init__(self, figures: Figures, prices: Mapping[str, float]) -> None:
        """`prices` is what a GB of room is worth, by drive, in seconds."""
        self._figures = figures
        self._choices, self._spaces, self._drives = figures.choices, figures.spaces, figures.drives
        shape = (len(self._choices), len(self._drives))
        self._space_of = numpy.array(figures.space_of, dtype=int)
        self._costs = numpy.array(figures.costs).reshape(shape)
        self._sizes = numpy.array(figures.sizes).reshape(shape)
        self._source = numpy.array(figures.source, dtype=int)
        self._place = self._source.copy()
        self._sequence: list[int] = []
        """Those that move, in an order that works."""
        self._free = numpy.array(figures.free_gb)
        self._least = numpy.array(figures.least_gb)
        self._prices = _Prices(figures)
        self._room_prices = numpy.array([prices.get(drive.id, 0.0) for drive in self._drives])

    # -- the search ----------------------------------------------------------------------------------------

    def begin_at(self, places: Mapping[str, str]) -> None:
        """Begin with this placement, where any order will do."""
        for row, choice in enumerate(self._choices):
            if choice.library.id in places:
                self._put(row, self._figures.columns[places[choice.library.id]])
                self._sequence.append(row)

    def begin_with(self, moves: Sequence[Transfer], places: Mapping[str, str]) -> None:
        """Begin with these moves, in an order that works, less those that leave a drive with too little in the end."""
        rows, columns = self._figures.rows, self._figures.columns
        self._sequence = [rows[move.key] for move in moves if move.key in rows]
        for row in self._sequence:
            self._put(row, columns[places[self._choices[row].library.id]])
        if not self._take_back_what_is_too_much():
            # As many of the first of them as leave every drive with enough.
            while self._sequence and (self._free < self._least).any():
                row = self._sequence.pop()
                self._put(row, int(self._source[row]))

    def _take_back_what_is_too_much(self) -> bool:
        while (self._free < self._least).any():
            short = int(numpy.argmin(self._free - self._least))
            into = [row for row in self._sequence if self._space_of[self._place[row]] == short]
            into.sort(key=lambda row: float(self._costs[row, self._source[row]] - self._costs[row, self._place[row]]))
            for row in into:
                place = int(self._place[row])
                without = [other for other in self._sequence if other != row]
                self._put(row, int(self._source[row]))
                if self._works(without):
                    self._sequence = without
                    break
                self._put(row, place)
            else:
                return False
        return True

    def search(self, most_steps: int = _MOST_STEPS) -> tuple[dict[str, str], list[Transfer]]:
        """Where libraries go, by id, and the order; as good as single moves and pairs of moves make it."""
        for _ in range(most_steps if self._choices else 0):
            if not (self._better_single() or self._better_pair()):
                break
        return self._places(), self._transfers(self._sequence)

    def _better_single(self) -> bool:
        gains = self._gains(numpy.arange(len(self._choices)))
        order, better = numpy.argsort(gains, axis=None, kind="stable"), False
        for flat in order[:_MOST_TRIED]:
            row, column = divmod(int(flat), len(self._drives))
            if not gains[row, column] < -_LEAST_GAIN_S:
                break
            better |= self._try([(row, column)])
        return better

    def _better_pair(self) -> bool:
        """Two libraries that move at once: the first goes where it is better off, the second makes room for it."""
        regrets, firsts = self._regrets(), _FIRSTS if len(self._choices) <= _MANY else _FIRSTS_OF_MANY
        swaps: list[tuple[float, int, int, int, int]] = []
        for row in map(int, numpy.argsort(-regrets, kind="stable")[:firsts]):
            for column in map(int, numpy.flatnonzero(numpy.isfinite(self._costs[row]))):
                if column == self._place[row]:
                    continue
                others = numpy.flatnonzero(self._space_of[self._place] == self._space_of[column])
                if not len(others):
                    continue
                gains = self._gains(others, (row, column))
                other, there = divmod(int(numpy.argmin(gains)), len(self._drives))
                if gains[other, there] < -_LEAST_GAIN_S:
                    swaps.append((float(gains[other, there]), row, column, int(others[other]), there))
        better = False
        for _, row, column, other, there in sorted(swaps)[:_MOST_TRIED]:
            better |= self._try([(row, column), (other, there)])
        return better

    def _gains(self, rows: Array, first: tuple[int, int] | None = None) -> Array:
        """For these libraries, by drive, by how much the cost changes when they go there (below zero: better), a first
        move being made already; infinite where that must not be.
        """
        free, cost, place = self._free, 0.0, self._place[rows]
        if first is not None:
            row, column = first
            here = int(self._place[row])
            cost = self._costs[row, column] - self._costs[row, here] + self._scatter(row, column)
            free = free.copy()
            free[self._space_of[here]] += self._sizes[row, here]
            free[self._space_of[column]] -= self._sizes[row, column]
        numbers, spaces = numpy.arange(len(rows)), self._space_of
        costs, sizes = self._costs[rows], self._sizes[rows]
        leaves, left_sizes = spaces[place], sizes[numbers, place]
        now = self._prices.of_all(free)
        freed = free[leaves] + left_sizes
        arrived = free[spaces] - sizes
        # What changes is the price of the room that is left behind, and that of the room that is taken.
        base = costs - costs[numbers, place][:, None] + (cost + now.sum() - self._price_of_room(self._free))
        gains = base + (self._prices.of(leaves, freed) - now[leaves])[:, None]
        gains += self._prices.of(spaces, arrived) - now[spaces]
        short = free < self._least
        others_short = int(short.sum()) - short[leaves].astype(int)
        may_leave = (others_short == 0) & (freed >= self._least[leaves])
        may_arrive = arrived >= self._least[spaces]
        if len(self._spaces) < len(self._drives):  # from drive to drive in one space
            within = leaves[:, None] == spaces[None, :]
            after = arrived + left_sizes[:, None]
            gains = numpy.where(within, base + self._prices.of(spaces, after) - now[spaces], gains)
            may_arrive = numpy.where(within, after >= self._least[spaces], may_arrive)
        gains[~(may_leave[:, None] & may_arrive)] = numpy.inf
        gains[numbers, place] = numpy.inf
        if first is not None:
            gains[rows == first[0]] = numpy.inf
        if self._figures.collected:
            for number, library in enumerate(map(int, rows)):
                if library in self._figures.collected:
                    for column in map(int, numpy.flatnonzero(numpy.isfinite(gains[number]))):
                        gains[number, column] += self._scatter(library, column)
        return gains

    def _price_of_room(self, free: Array) -> float:
        return float(self._prices.of_all(free).sum())

    def _regrets(self) -> Array:
        """By library, how much worse it stands than where it would stand best, the room at its price."""
        priced = self._costs + self._room_prices[None, :] * self._sizes
        rows = numpy.arange(len(self._choices))
        return priced[rows, self._place] - priced.min(axis=1)

    def _scatter(self, row: int, column: int) -> float:
        return self._figures.scatter_s(row, column, self._place.tolist())

    def _try(self, moves: list[tuple[int, int]]) -> bool:
        """Make these moves if that still helps, the whole can be carried then, and keeps to the limits."""
        before = [(row, int(self._place[row])) for row, _ in moves]
        cost = -self._price_of_room(self._free)
        for row, column in moves:
            cost += self._costs[row, column] - self._costs[row, self._place[row]] + self._scatter(row, column)
            self._put(row, column)
        cost += self._price_of_room(self._free)
        helps = cost < -_LEAST_GAIN_S and bool((self._free >= self._least).all())
        if helps and self._within_limits() and self._keeps_order([row for row, _ in moves]):
            return True
        for row, column in before:
            self._put(row, column)
        return False

    def _keeps_order(self, rows: list[int]) -> bool:
        """Find an order of all moves, with those of these libraries anew: after or before the others, if that does."""
        changed = set(rows)
        others = [row for row in self._sequence if row not in changed]
        new = [row for row in rows if self._place[row] != self._source[row]]
        for sequence in ([*others, *new], [*others, *new[::-1]], [*new, *others], [*new[::-1], *others]):
            if self._works(sequence):
                self._sequence = sequence
                return True
        order = self._figures.an_order([*others, *new], self._place.tolist())
        if order is None:
            return False
        self._sequence = order
        return True

    def _works(self, sequence: list[int]) -> bool:
        return self._figures.works(sequence, self._place.tolist())

    def _put(self, row: int, column: int) -> None:
        here = self._place[row]
        self._free[self._space_of[here]] += self._sizes[row, here]
        self._free[self._space_of[column]] -= self._sizes[row, column]
        self._place[row] = column

    def _within_limits(self) -> bool:
        return self._figures.within_limits(
            numpy.flatnonzero(self._place != self._source).tolist(), self._place.tolist()
        )

    # -- what comes of it ----------------------------------------------------------------------------------

    def _places(self) -> dict[str, str]:
        return {
            choice.library.id: self._drives[self._place[row]].id
            for row, choice in enumerate(self._choices)
            if self._place[row] != self._source[row]
        }

    def _transfers(self, rows: list[int]) -> list[Transfer]:
        return self._figures.transfers(rows, self._place.tolist())


class _Prices:
    """What it costs that so many GB are free, for many spaces at once."""

    def __init__(self, figures: Figures) -> None:
        steps = figures.steps
        most = max((len(each) for each in steps), default=0)
        self._roomy = numpy.array([roomy_gb for roomy_gb, _ in figures.roomy])
        self._fast = numpy.array([fast_s for _, fast_s in figures.roomy])
        # By step and space.
        self._begins, self._widths, self._dear = (numpy.zeros((most, len(steps))) for _ in range(3))
        for space, each in enumerate(steps):
            for number, step in enumerate(each):
                self._begins[number, space] = step.begins_gb
                self._widths[number, space], self._dear[number, space] = step.width_gb, step.a_gb_s

    def of(self, spaces: Array, free: Array) -> Array:
        """The prices where these spaces have so many GB free; the shapes are matched."""
        price = self._fast[spaces] * numpy.maximum(0.0, self._roomy[spaces] - free)
        for begins, widths, dear in zip(self._begins, self._widths, self._dear, strict=True):
            price = price + dear[spaces] * numpy.minimum(numpy.maximum(begins[spaces] - free, 0.0), widths[spaces])
        return price

    def of_all(self, free: Array) -> Array:
        """The price of each space."""
        return self.of(slice(None), free)
