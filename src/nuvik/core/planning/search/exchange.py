"""Better placements by moving one library more, or two that make room for each other, as long as it helps.

Each step keeps the whole executable: the moves so far and the new ones must have an order in which each has room. Costs
are those of the placement model. What belongs together by demands on two libraries, and parts, is left to the model.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy

from nuvik.core.model.drive import Tier
from nuvik.core.planning.ordering.move_order import Ordered, Transfer, order_moves
from nuvik.core.planning.placement.placement_model import MovableLibrary, Placement
from nuvik.core.planning.placement.spaces import GB, ROOMY_TIMES

Array = Any
"""A numpy array of numbers; its shape is said where it is made."""
_MOST_SETS = 300
_MOST_TRIED = 40
"""So many pairs that would help are tried for an order before the search ends."""
_FIRSTS = 64
"""So many libraries, those that stand worst, are the first of a pair."""
_MOST_STEPS = 400
_LEAST_GAIN_S = 0.05
_ANY_ORDER = 10**18
"""A floor, in bytes, that nothing comes near: any order does."""


class Exchange:
    """The state of a search: where each library that may move stands, and what is free then."""

    def __init__(self, model: Placement, floors: Mapping[str, int], prices: Mapping[str, float]) -> None:
        """`floors` is what must be free in each space at every moment; without them any order will do."""
        self._model, self._floors = model, floors
        tied = model.bound_together | {library_id for demand, _ in model.unmet for library_id in demand.libraries}
        self._choices: list[MovableLibrary] = [
            choice
            for library_id, choice in model.choices.items()
            if choice.library.piece is None and library_id not in tied and choice.on(choice.source.id) is not None
        ]
        self._spaces = model.spaces
        self._drives = [drive for space in self._spaces for drive in space.drives]
        self._space_of = numpy.array([n for n, space in enumerate(self._spaces) for _ in space.drives], dtype=int)
        at = {drive.id: number for number, drive in enumerate(self._drives)}
        count, drives = len(self._choices), len(self._drives)
        self._costs = numpy.full((count, drives), numpy.inf)
        """By library and drive, in seconds; what cannot be is infinite."""
        self._sizes = numpy.zeros((count, drives))
        """What a library takes on a drive, in GB."""
        self._source = numpy.zeros(count, dtype=int)
        self._seconds = numpy.zeros((count, drives))
        moving = dict(model.moving)
        for row, choice in enumerate(self._choices):
            self._source[row] = at[choice.source.id]
            for drive, variable in choice.variables:
                column = at[drive.id]
                self._costs[row, column] = model.program.costs[variable]
                stays = drive is choice.source
                self._sizes[row, column] = (
                    choice.library.on_disk_bytes if stays else choice.library.room_on(drive)
                ) / GB
                self._seconds[row, column] = moving.get(variable, 0.0)
        self._place = self._source.copy()
        self._sequence: list[int] = []
        """Those that move, in an order that works."""
        self._spaces_at = [int(number) for number in self._space_of]
        self._free_now = [space.free_bytes / GB for space in self._spaces]
        self._floor_gb = [floors.get(space.id, -_ANY_ORDER) / GB - 1e-9 for space in self._spaces]
        self._free = numpy.array([space.free_bytes / GB for space in self._spaces])
        self._least = numpy.array(
            [min(space.free_bytes, max(space.headroom_bytes, space.reserve_bytes)) / GB for space in self._spaces]
        )
        self._prices = _Prices(model)
        self._room_prices = numpy.array([prices.get(drive.id, 0.0) for drive in self._drives])
        self._together = _collections(model, self._choices)

    # -- the search ----------------------------------------------------------------------------------------

    def begin_at(self, places: Mapping[str, str]) -> None:
        """Begin with this placement, where any order will do."""
        columns = {drive.id: column for column, drive in enumerate(self._drives)}
        for row, choice in enumerate(self._choices):
            if choice.library.id in places:
                self._put(row, columns[places[choice.library.id]])
                self._sequence.append(row)

    def begin_with(self, moves: Sequence[Transfer], places: Mapping[str, str]) -> None:
        """Begin with these moves, in an order that works, less those that leave a drive with too little in the end."""
        rows = {choice.library.id: row for row, choice in enumerate(self._choices)}
        columns = {drive.id: column for column, drive in enumerate(self._drives)}
        self._sequence = [rows[move.key] for move in moves if move.key in rows]
        for row in self._sequence:
            self._put(row, columns[places[self._choices[row].library.id]])
        if not self._take_back_what_is_too_much():
            # As many of the first of them as leave every drive with enough.
            while self._sequence and (self._free < self._least - 1e-9).any():
                row = self._sequence.pop()
                self._put(row, int(self._source[row]))

    def _take_back_what_is_too_much(self) -> bool:
        while (self._free < self._least - 1e-9).any():
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
        regrets = self._regrets()
        swaps: list[tuple[float, int, int, int, int]] = []
        for row in map(int, numpy.argsort(-regrets, kind="stable")[:_FIRSTS]):
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
        short = free < self._least - 1e-9
        others_short = int(short.sum()) - short[leaves].astype(int)
        may_leave = (others_short == 0) & (freed >= self._least[leaves] - 1e-9)
        may_arrive = arrived >= self._least[spaces] - 1e-9
        if len(self._spaces) < len(self._drives):  # from drive to drive in one space
            within = leaves[:, None] == spaces[None, :]
            after = arrived + left_sizes[:, None]
            gains = numpy.where(within, base + self._prices.of(spaces, after) - now[spaces], gains)
            may_arrive = numpy.where(within, after >= self._least[spaces] - 1e-9, may_arrive)
        gains[~(may_leave[:, None] & may_arrive)] = numpy.inf
        gains[numbers, place] = numpy.inf
        if first is not None:
            gains[rows == first[0]] = numpy.inf
        if self._together:
            for number, library in enumerate(map(int, rows)):
                if library in self._together:
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
        """What it costs that a collection comes to lie on more drives, when one of it goes to a drive."""
        cost = 0.0
        for members, fixed, price in self._together.get(row, ()):
            others = fixed | {int(self._place[member]) for member in members if member != row}
            cost += price * (int(column not in others) - int(int(self._place[row]) not in others))
        return cost

    def _try(self, moves: list[tuple[int, int]]) -> bool:
        """Make these moves if that still helps, the whole can be carried then, and keeps to the limits."""
        before = [(row, int(self._place[row])) for row, _ in moves]
        cost = -self._price_of_room(self._free)
        for row, column in moves:
            cost += self._costs[row, column] - self._costs[row, self._place[row]] + self._scatter(row, column)
            self._put(row, column)
        cost += self._price_of_room(self._free)
        helps = cost < -_LEAST_GAIN_S and bool((self._free >= self._least - 1e-9).all())
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
        ordered = self._order([*others, *new])
        if ordered.stuck:
            return False
        numbers = {choice.library.id: row for row, choice in enumerate(self._choices)}
        self._sequence = [numbers[move.key] for move in ordered.done]
        return True

    def _works(self, sequence: list[int]) -> bool:
        """Whether each move of a sequence has room when its turn comes."""
        free = list(self._free_now)
        for row in sequence:
            place, source = int(self._place[row]), int(self._source[row])
            there = self._spaces_at[place]
            free[there] -= self._sizes[row, place]
            if free[there] < self._floor_gb[there]:
                return False
            free[self._spaces_at[source]] += self._sizes[row, source]
        return True

    def _put(self, row: int, column: int) -> None:
        here = self._place[row]
        self._free[self._space_of[here]] += self._sizes[row, here]
        self._free[self._space_of[column]] -= self._sizes[row, column]
        self._place[row] = column

    def _within_limits(self) -> bool:
        wishes, moved = self._model.given, self._place != self._source
        if wishes.most_moves is not None and int(moved.sum()) > wishes.most_moves:
            return False
        seconds = self._seconds[numpy.arange(len(self._choices)), self._place][moved].sum()
        return wishes.most_moving_s is None or bool(seconds <= wishes.most_moving_s)

    # -- what comes of it ----------------------------------------------------------------------------------

    def _places(self) -> dict[str, str]:
        return {
            choice.library.id: self._drives[self._place[row]].id
            for row, choice in enumerate(self._choices)
            if self._place[row] != self._source[row]
        }

    def _order(self, rows: list[int]) -> Ordered:
        free = {space.id: space.free_bytes for space in self._spaces}
        return order_moves(self._transfers(rows), free, self._floors, most_sets=_MOST_SETS)

    def _transfers(self, rows: list[int]) -> list[Transfer]:
        transfers = []
        for row in rows:
            choice, place, source = self._choices[row], int(self._place[row]), int(self._source[row])
            transfers.append(
                Transfer(
                    choice.library.id,
                    self._spaces[self._spaces_at[source]].id,
                    self._spaces[self._spaces_at[place]].id,
                    choice.library.room_on(self._drives[place]),
                    choice.library.on_disk_bytes,
                    float(self._costs[row, source] - self._costs[row, place]),
                )
            )
        return transfers


class _Prices:
    """What it costs that so many GB are free in the spaces: the same steps as in the model."""

    def __init__(self, model: Placement) -> None:
        steps = [model.price_of_missing(space) for space in model.spaces]
        most = max((len(each) for each in steps), default=0)
        headroom = numpy.array([space.headroom_bytes / GB for space in model.spaces])
        self._roomy = ROOMY_TIMES * headroom
        fast_s = model.given.weighed.fast_room_s
        self._fast = numpy.array(
            [fast_s * any(drive.tier is Tier.RAPID for drive in space.drives) for space in model.spaces]
        )
        # By step and space: below how much free GB it begins, how many GB it is wide, and the seconds for each.
        self._begins = numpy.tile(headroom, (most, 1))
        self._widths, self._dear = numpy.zeros((most, len(steps))), numpy.zeros((most, len(steps)))
        for space, each in enumerate(steps):
            for step, (width, a_gb) in enumerate(each):
                self._begins[step, space] = headroom[space] - sum(before for before, _ in each[:step])
                self._widths[step, space], self._dear[step, space] = width, a_gb

    def of(self, spaces: Array, free: Array) -> Array:
        """The prices where these spaces have so many GB free; the shapes are matched."""
        price = self._fast[spaces] * numpy.maximum(0.0, self._roomy[spaces] - free)
        for begins, widths, dear in zip(self._begins, self._widths, self._dear, strict=True):
            price = price + dear[spaces] * numpy.minimum(numpy.maximum(begins[spaces] - free, 0.0), widths[spaces])
        return price

    def of_all(self, free: Array) -> Array:
        """The price of each space."""
        return self.of(slice(None), free)


def _collections(
    model: Placement, choices: list[MovableLibrary]
) -> dict[int, list[tuple[list[int], frozenset[int], float]]]:
    """By the number of a library, the collections that it is of: their members that may move, the drives on which
    others lie, and what each drive more costs.
    """
    rows = {choice.library.id: row for row, choice in enumerate(choices)}
    columns = {
        drive.id: number for number, drive in enumerate(drive for space in model.spaces for drive in space.drives)
    }
    price = model.given.weighed.scattered_s
    known: dict[int, list[tuple[list[int], frozenset[int], float]]] = {}
    for members in model.collections:
        moving = [rows[member.id] for member in members if member.id in rows]
        fixed = frozenset(columns.get(member.drive, -1) for member in members if member.id not in rows)
        for row in moving:
            known.setdefault(row, []).append((moving, fixed, price))
    return known
