"""What the searches without a solver need of the placement model: plain figures by library and drive.

Libraries that may move are numbered as rows, drives as columns. Costs are those of the model. What belongs together by
demands on two libraries, and parts, is left to the model: such libraries have no row.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from nuvik.core.model.drive import Drive, Tier
from nuvik.core.planning.ordering.move_order import Transfer
from nuvik.core.planning.placement.placement_model import MovableLibrary, Placement
from nuvik.core.planning.placement.spaces import GB, ROOMY_TIMES

NEVER = float("inf")
_ANY_ORDER = 10**18
"""A floor, in bytes, that nothing comes near: any order does."""
_CLOSE_GB = 1e-9


@dataclass(frozen=True, slots=True)
class PriceStep:
    """A stretch of the headroom of a space: what is missing of it has one price."""

    begins_gb: float
    """It is missing where less than this is free …"""
    width_gb: float
    """… and all of it where so much less is free."""
    a_gb_s: float


@dataclass(frozen=True, slots=True)
class Collected:
    """A collection, as one of its libraries sees it."""

    members: tuple[int, ...]
    """The rows of those that may move."""
    fixed: frozenset[int]
    """The columns of the drives on which others lie."""
    price_s: float
    """What each drive more costs."""


class Figures:
    """Costs, sizes and room of a household. Rows and columns are numbers; sizes are in GB, costs in seconds."""

    def __init__(self, model: Placement, floors: Mapping[str, int]) -> None:
        """`floors` is what must be free in each space at every moment, in bytes; without them any order will do."""
        tied = model.bound_together | {library_id for demand, _ in model.unmet for library_id in demand.libraries}
        self.model = model
        self.choices: list[MovableLibrary] = [
            choice
            for library_id, choice in model.choices.items()
            if choice.library.piece is None and library_id not in tied and choice.on(choice.source.id) is not None
        ]
        self.rows = {choice.library.id: row for row, choice in enumerate(self.choices)}
        self.spaces = model.spaces
        self.drives: list[Drive] = [drive for space in self.spaces for drive in space.drives]
        self.columns = {drive.id: column for column, drive in enumerate(self.drives)}
        self.space_of = [number for number, space in enumerate(self.spaces) for _ in space.drives]
        """The number of the space of each drive."""
        self.source = [self.columns[choice.source.id] for choice in self.choices]
        self.costs: list[list[float]] = []
        """By library and drive; what cannot be is infinite."""
        self.sizes: list[list[float]] = []
        """What a library takes on a drive."""
        self.moving_s: list[list[float]] = []
        """How long moving it there takes."""
        self._read_choices()
        self.free_gb = [space.free_bytes / GB for space in self.spaces]
        self.floor_gb = [floors.get(space.id, -_ANY_ORDER) / GB - _CLOSE_GB for space in self.spaces]
        self.least_gb = [
            min(space.free_bytes, max(space.headroom_bytes, space.reserve_bytes)) / GB - _CLOSE_GB
            for space in self.spaces
        ]
        """What is to be free in the end: the headroom, or what is left of it now."""
        self.steps = [self._steps(number) for number in range(len(self.spaces))]
        fast_s = model.given.weighed.fast_room_s
        self.roomy = [
            (ROOMY_TIMES * space.headroom_bytes / GB, fast_s * any(drive.tier is Tier.RAPID for drive in space.drives))
            for space in self.spaces
        ]
        """For each space, with how much free its room is worth nothing in itself, and what a GB less costs."""
        self.collected = self._collections()

    def _read_choices(self) -> None:
        moving = dict(self.model.moving)
        for choice in self.choices:
            costs, sizes, seconds = ([NEVER] * len(self.drives), [0.0] * len(self.drives), [0.0] * len(self.drives))
            for drive, variable in choice.variables:
                column, library = self.columns[drive.id], choice.library
                costs[column] = self.model.program.costs[variable]
                stays = drive is choice.source
                sizes[column] = (library.on_disk_bytes if stays else library.room_on(drive)) / GB
                seconds[column] = moving.get(variable, 0.0)
            self.costs.append(costs)
            self.sizes.append(sizes)
            self.moving_s.append(seconds)

    def _steps(self, number: int) -> list[PriceStep]:
        space, steps = self.spaces[number], list[PriceStep]()
        begins = space.headroom_bytes / GB
        for width, a_gb_s in self.model.price_of_missing(space):
            steps.append(PriceStep(begins, width, a_gb_s))
            begins -= width
        return steps

    def _collections(self) -> dict[int, list[Collected]]:
        """By row, the collections that the library is of."""
        known: dict[int, list[Collected]] = {}
        price = self.model.given.weighed.scattered_s
        for members in self.model.collections:
            moving = tuple(self.rows[member.id] for member in members if member.id in self.rows)
            fixed = frozenset(self.columns.get(member.drive, -1) for member in members if member.id not in self.rows)
            for row in moving:
                known.setdefault(row, []).append(Collected(moving, fixed, price))
        return known

    def price_s(self, space: int, free_gb: float) -> float:
        """What it costs that so much is free in a space: the same steps as in the model."""
        roomy_gb, fast_s = self.roomy[space]
        price = fast_s * (roomy_gb - free_gb) if fast_s and free_gb < roomy_gb else 0.0
        for step in self.steps[space]:
            missing = step.begins_gb - free_gb
            if missing <= 0.0:
                break
            price += step.a_gb_s * (missing if missing < step.width_gb else step.width_gb)
        return price

    def scatter_s(self, row: int, column: int, place: Sequence[int]) -> float:
        """What it costs that a collection comes to lie on more drives, when a library goes to a drive; `place` is the
        column of each row now.
        """
        cost, here = 0.0, int(place[row])
        for collected in self.collected.get(row, ()):
            others = collected.fixed | {int(place[member]) for member in collected.members if member != row}
            cost += collected.price_s * (int(column not in others) - int(here not in others))
        return cost

    def works(self, sequence: Sequence[int], place: Sequence[int]) -> bool:
        """Whether each move of a sequence of rows has room when its turn comes."""
        free, space_of, sizes, source, floors = (
            list(self.free_gb),
            self.space_of,
            self.sizes,
            self.source,
            self.floor_gb,
        )
        for row in sequence:
            goal, here = place[row], source[row]
            there = space_of[goal]
            free[there] -= sizes[row][goal]
            if free[there] < floors[there]:
                return False
            free[space_of[here]] += sizes[row][here]
        return True

    def an_order(self, rows: Sequence[int], place: Sequence[int]) -> list[int] | None:
        """An order of moves in which each has room when its turn comes; None where none is found without ever taking a
        move back. What comes to a space with room for all that is still to come goes first, since it is in nobody's
        way; then what frees most.
        """
        room = [free - floor for free, floor in zip(self.free_gb, self.floor_gb, strict=True)]
        wanted = [0.0] * len(room)
        left = []
        for row in rows:
            goal, here = place[row], self.source[row]
            size, there = self.sizes[row][goal], self.space_of[goal]
            wanted[there] += size
            left.append((self.sizes[row][here], row, there, size, self.space_of[here]))
        left.sort(reverse=True)
        order = []
        while left:
            chosen = None
            for move in left:
                frees, _, there, size, _ = move
                if room[there] >= wanted[there]:
                    chosen = move
                    break
                if chosen is None and room[there] >= size:
                    chosen = move
            if chosen is None:
                return None
            left.remove(chosen)
            frees, row, there, size, here = chosen
            room[there] -= size
            wanted[there] -= size
            room[here] += frees
            order.append(row)
        return order

    def within_limits(self, sequence: Sequence[int], place: Sequence[int]) -> bool:
        """Whether these moves are not more, and do not take longer, than was wished."""
        wishes = self.model.given
        if wishes.most_moves is not None and len(sequence) > wishes.most_moves:
            return False
        if wishes.most_moving_s is None:
            return True
        return sum(self.moving_s[row][place[row]] for row in sequence) <= wishes.most_moving_s

    def transfers(self, sequence: Sequence[int], place: Sequence[int]) -> list[Transfer]:
        """The moves of a sequence of rows, for ordering."""
        transfers = []
        for row in sequence:
            choice, goal, here = self.choices[row], int(place[row]), self.source[row]
            transfers.append(
                Transfer(
                    choice.library.id,
                    self.spaces[self.space_of[here]].id,
                    self.spaces[self.space_of[goal]].id,
                    choice.library.room_on(self.drives[goal]),
                    choice.library.on_disk_bytes,
                    self.costs[row][here] - self.costs[row][goal],
                )
            )
        return transfers
