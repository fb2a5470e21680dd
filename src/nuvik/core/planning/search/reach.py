"""The best placement that can be reached: what an order of moves leads to, each of which has room when it is made.

The best placement of all is tried first. Where no order leads there, as much of it as can be carried is made better
by single moves and pairs of them (`exchange`); the model in a few layers (`layers`) is solved for all libraries, where
that is small enough; what is stuck is forbidden, and the best placement without it is tried; and the layers are solved
once more for those libraries that any of these would move, by way of a third drive too.
What was reached so far is where each search begins, so that it never becomes worse. Searches are bounded by nodes and
not by time: the same household gets the same answer.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.ordering.move_order import Transfer, order_moves
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.proposal import Proposal, acceptable_gap_s, proposal_of
from nuvik.core.planning.search.ideal import MOST_AT_ONCE, Ideal
from nuvik.core.planning.search.layers import Layers, Reached

_NODES_TIMES, _FEWEST_NODES, _MOST_NODES = 10_000, 3, 20
"""The more variables, the longer a node takes, and the fewer are looked at."""
_MOST_SETS = 5_000
_QUICK_STEPS = 12
_ROUNDS, _ROUNDS_OF_MANY = 2, 1
_MOST_IN_LAYERS, _MOST_LAYERS, _MOST_VARIABLES = 40, 6, 1_100
"""With more libraries at hand, more layers or a larger program, the search in layers takes long and seldom finds
anything, measured.
"""


@dataclass(frozen=True, slots=True)
class Reachable:
    """Where moves lead that can all be made, one after the other."""

    proposal: Proposal
    reached: Reached
    missing_on: str = ""
    """Where room to turn around is missing for more: the id of a drive …"""
    missing_bytes: int = 0
    """… and how much of it, for the easiest move that is stuck."""


def reach(snapshot: Snapshot, wishes: Wishes, ideal: Ideal) -> Reachable:
    """The best placement found that can be reached from how things stand, beside the ideal of the same household."""
    search = _Reach(snapshot, wishes, ideal)
    search.directly()
    if not search.is_good_enough and not wishes.on_trial:
        if ideal.choices <= MOST_AT_ONCE:
            search.by_exchange()
            search.in_layers(3, search.everywhere())
        search.without_what_is_stuck()
        for count, staging in ((3, False), (4, True)):
            search.in_layers(count, search.goals_at_hand(), staging)
    missing = search.missing if search.reached.places != ideal.proposal.places else None
    return Reachable(search.proposal, search.reached, *(missing or ("", 0)))


class _Reach:
    """What was reached so far, and the search for better."""

    def __init__(self, snapshot: Snapshot, wishes: Wishes, ideal: Ideal) -> None:
        self._snapshot, self._wishes, self._ideal = snapshot, wishes, ideal
        self._spaces = ideal.model.spaces
        self._floors = {space.id: space.floor_bytes for space in self._spaces}
        self._free = {space.id: space.free_bytes for space in self._spaces}
        self._gap_s = acceptable_gap_s(ideal.model)
        self._many = ideal.choices > MOST_AT_ONCE
        self._stuck: tuple[Transfer, ...] = ()
        self._missing = self.missing = ("", 0)
        self.reached = Reached()
        self.proposal = self._valued(Reached())

    @property
    def is_good_enough(self) -> bool:
        """Whether nothing could be much better, whatever the order."""
        return self.proposal.cost_s - self._ideal.proposal.cost_s <= self._gap_s

    def directly(self) -> None:
        """Try an order for the ideal placement."""
        self._stuck = self._try_order(self._ideal.proposal)
        self.missing = self._missing

    def without_what_is_stuck(self) -> None:
        """Forbid the largest move that is stuck, ask for the best placement without it, and so on while that may help;
        of very many libraries the largest to each drive, since there is not the time for many rounds.
        """
        forbidden: set[int] = set()
        for _ in range(_ROUNDS_OF_MANY if self._many else _ROUNDS):
            if not self._stuck:
                return
            for target in {move.target for move in self._stuck} if self._many else {""}:
                coming = [move for move in self._stuck if target in ("", move.target)]
                forbidden.add(self._variable_of(max(coming, key=lambda move: (move.room_bytes, move.key))))
            solved = self._ideal.solved(self.reached.places, forbidden)
            proposal = proposal_of(self._ideal.model, solved)
            if proposal.cost_s > self.proposal.cost_s - self._gap_s:
                return
            self._stuck = self._try_order(self._ideal.against_bound(proposal))

    def _try_order(self, proposal: Proposal) -> tuple[Transfer, ...]:
        """Take a placement when an order leads to it, or else as much of it as can be; the moves that are stuck."""
        transfers, on_trial = self._transfers(proposal.places), self._wishes.on_trial
        ordered = order_moves(transfers, self._free, self._floors, on_trial, _MOST_SETS)
        self._missing = (ordered.missing_on, ordered.missing_bytes)
        if not ordered.stuck:
            self.reached = Reached(proposal.places, in_layers(ordered.done, self._free, self._floors))
            self.proposal = proposal
        elif ordered.done:
            self._exchange(ordered.done, proposal.places)
        return ordered.stuck

    def _variable_of(self, move: Transfer) -> int:
        choice = self._ideal.model.choices[move.key]
        return next(
            variable
            for drive, variable in choice.variables
            if any(space.id == move.target and drive in space.drives for space in self._spaces)
        )

    def by_exchange(self) -> None:
        """Search by single moves and pairs, from how things stand."""
        self._exchange((), {})

    def _exchange(self, moves: Sequence[Transfer], places: Mapping[str, str]) -> None:
        from nuvik.core.planning.search.exchange import Exchange  # brings numpy, which is slow to load

        exchange = Exchange(self._ideal.model, self._floors, self._ideal.prices)
        exchange.begin_with(moves, places)
        better, order = exchange.search(_QUICK_STEPS) if self._many else exchange.search()
        reached = Reached(better, in_layers(order, self._free, self._floors))
        proposal = self._valued(reached)
        if proposal.cost_s < self.proposal.cost_s:
            self.reached, self.proposal = reached, proposal

    def everywhere(self) -> dict[str, set[str]]:
        """By library, the drives on which it may stand."""
        return {
            library_id: {drive.id for drive, _ in choice.variables if drive is not choice.source}
            for library_id, choice in self._ideal.model.choices.items()
        }

    def goals_at_hand(self) -> dict[str, set[str]]:
        """By library, where it goes in what was reached so far, and in the ideal placement."""
        goals: dict[str, set[str]] = {}
        for places in (self._ideal.proposal.places, self.reached.places):
            for library_id, drive_id in places.items():
                goals.setdefault(library_id, set()).add(drive_id)
        return goals if len(goals) <= _MOST_IN_LAYERS else {}

    def in_layers(self, count: int, goals: dict[str, set[str]], staging: bool = False) -> None:
        """Search in so many layers, from what was reached so far, with these goals."""
        if self.is_good_enough or not goals:
            return
        count = max(count, 1 + max(self.reached.layers.values(), default=0))
        if count > _MOST_LAYERS:
            return
        model = Placement(self._snapshot, self._wishes)
        layers = Layers(model, count, self._floors, self._snapshot.drives, self.reached, goals, staging)
        if len(model.program.costs) > _MOST_VARIABLES:
            return
        nodes = max(_FEWEST_NODES, min(_MOST_NODES, _NODES_TIMES // len(model.program.costs)))
        solved = model.program.solve(self._gap_s, nodes, start=layers.start)
        if solved.values and solved.cost + model.offset_s < self.proposal.cost_s - self._gap_s / 10:
            self.reached = layers.reached(solved.values)
            self.proposal = self._ideal.against_bound(proposal_of(model, solved))

    def _transfers(self, places: Mapping[str, str]) -> list[Transfer]:
        space_of = {drive.id: space.id for space in self._spaces for drive in space.drives}
        # A part that goes its own way leaves before the body in whose folder it lies.
        parts: dict[str, frozenset[str]] = {}
        for library_id in places:
            piece = self._ideal.model.choices[library_id].library.piece
            if piece is not None and not piece.body:
                parts[piece.whole] = parts.get(piece.whole, frozenset()) | {library_id}
        transfers = []
        for library_id, drive_id in places.items():
            choice = self._ideal.model.choices[library_id]
            drive = next(drive for drive, _ in choice.variables if drive.id == drive_id)
            library = choice.library
            transfers.append(
                Transfer(
                    library_id,
                    space_of[choice.source.id],
                    space_of[drive_id],
                    library.room_on(drive),
                    library.on_disk_bytes,
                    after=parts.get(library_id, frozenset()),
                )
            )
        return transfers

    def _valued(self, reached: Reached) -> Proposal:
        return self._ideal.valued(reached.places)


def in_layers(moves: Sequence[Transfer], free_bytes: Mapping[str, int], floors: Mapping[str, int]) -> dict[str, int]:
    """Moves in an order that works as layers: each is in the first in which it has room without what leaves there."""
    free, left, layer = dict(free_bytes), dict(free_bytes), 0
    layers = {}
    for move in moves:
        if left[move.target] - move.room_bytes < floors[move.target]:
            # It needs what left in this layer: so it is in the next.
            layer, left = layer + 1, dict(free)
        for room in (left, free):
            room[move.target] -= move.room_bytes
        free[move.source] += move.frees_bytes
        layers[move.key] = layer
    return layers
