"""The best placement that can be reached: what an order of moves leads to, each of which has room when it is made.

The best placement of all is tried first, by way of third drives too. Where no order leads there, many short annealings
(`anneal`) begin with as much of it as can be carried, and with nothing; then the model in a few layers (`layers`)
chooses among all that any of these would do, and what the relaxed program calls cheap. Of very many libraries the moves
that are stuck are forbidden instead, the best placement without them is tried, and a long annealing begins with that.
What was reached so far is where each search begins, so that it never becomes worse. Searches are bounded by steps and
nodes and not by time: the same household gets the same answer.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.ordering.drawn_order import draw_order
from nuvik.core.planning.ordering.move_order import Transfer, order_moves
from nuvik.core.planning.ordering.staging import LEG, Stage
from nuvik.core.planning.placement.costs import waiting_cost_s
from nuvik.core.planning.placement.limits import may_wait
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.proposal import Proposal, acceptable_gap_s, proposal_of
from nuvik.core.planning.search.anneal import Annealing
from nuvik.core.planning.search.figures import Figures
from nuvik.core.planning.search.ideal import MOST_AT_ONCE, Ideal
from nuvik.core.planning.search.layers import Layers, Reached

_MOST_SETS, _MOST_SETS_OF_MANY = 2_000, 200
_ORDERS_DRAWN = 40
_QUICK_STEPS = 60
_ROUNDS_FOR_FEW = 2
_ANNEALINGS, _STEPS, _HEATS_S = 7, 5_000, (3_000.0, 10_000.0, 1_000.0)
_STEPS_A_CHOICE, _MOST_STEPS, _HEAT_OF_MANY_S = 20, 200_000, 10.0
_ANNEALINGS_OF_FEW = 20
"""Annealings take turns in how hot they begin: which is best differs from household to household."""
_FEW_CHOICES = 120
"""With so few choices of a place there is time for all of them in layers, and for many nodes."""
_FAR_OFF = 0.35
"""With many choices the layers are worth their time only where what was reached costs so much more, measured."""
_NEXT_BEST = 20
"""So many choices that the relaxed program calls cheap are goals beside those of earlier searches."""
_LAYERS, _LAYERS_WITH_WAITING, _MOST_LAYERS = 3, 4, 6
_NODES, _NODES_FOR_FEW = 1, 10
_MOST_OF_MANY, _MOST_VARIABLES, _MOST_WITH_WAITING = 40, 700, 500
"""With more libraries at hand, or a larger program, the search in layers takes long and seldom finds anything."""


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
        many = ideal.choices > MOST_AT_ONCE
        if many:
            search.without_what_is_stuck()
        if not many or search.reached.places != ideal.proposal.places:
            search.by_chance()
        if ideal.choices <= _FEW_CHOICES:
            search.without_what_is_stuck()
            search.in_layers(_LAYERS, search.everywhere())
        elif search.is_far_off and search.in_layers(_LAYERS, search.goals_at_hand()):
            search.by_chance()
        search.in_layers(_LAYERS_WITH_WAITING, search.goals_at_hand(), waiting=True)
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
        self._many, self._few = ideal.choices > MOST_AT_ONCE, ideal.choices <= _FEW_CHOICES
        self._stuck: tuple[Transfer, ...] = ()
        self._missing = self.missing = ("", 0)
        self._goals: list[Mapping[str, str]] = []
        self.reached = Reached()
        self.proposal = self._valued(Reached())
        self._direct, self._direct_cost_s = self.reached, self.proposal.cost_s
        """The best so far in which no library waits on a third drive: where a search begins that knows no such ways."""

    @property
    def is_good_enough(self) -> bool:
        """Whether nothing could be much better, whatever the order; of a few libraries that has to be proven."""
        certain = self._ideal.proposal.in_time or not self._few
        return certain and self.proposal.cost_s - self._ideal.proposal.cost_s <= self._gap_s

    @property
    def is_far_off(self) -> bool:
        """Whether the best of all is so much better that another search may well be worth its time; or chance left out
        some libraries, which have to move, are in pieces, or are bound to each other.
        """
        left_out = len(Figures(self._ideal.model, self._floors).rows) < len(self._ideal.model.choices)
        return left_out or self.proposal.cost_s > (1 + _FAR_OFF) * self._ideal.proposal.cost_s

    def directly(self) -> None:
        """Try an order for the ideal placement."""
        self._stuck = self._try_order(self._ideal.proposal)
        self.missing = self._missing

    def without_what_is_stuck(self) -> None:
        """Forbid the largest of the moves that are stuck, to each drive where there is no time for many rounds, and ask
        for the best placement without them.
        """
        forbidden: set[int] = set()
        for _ in range(_ROUNDS_FOR_FEW if self._few else 1):
            for target in {""} if self._few else {move.target for move in self._stuck}:
                coming = [move for move in self._stuck if target in ("", move.target)]
                if coming:
                    forbidden.add(self._variable_of(max(coming, key=lambda move: (move.room_bytes, move.key))))
            if not self._stuck:
                return
            proposal = proposal_of(self._ideal.model, self._ideal.solved(self.reached.places, forbidden))
            if proposal.cost_s > self.proposal.cost_s - self._gap_s:
                return
            self._stuck = self._try_order(self._ideal.against_bound(proposal))

    def _try_order(self, proposal: Proposal) -> tuple[Transfer, ...]:
        """Take a placement when an order leads to it, or else as much of it as can be; the moves that are stuck."""
        transfers, on_trial = self._transfers(proposal.places), self._wishes.on_trial
        ordered = order_moves(
            transfers, self._free, self._floors, on_trial, _MOST_SETS_OF_MANY if self._many else _MOST_SETS
        )
        self._missing = (ordered.missing_on, ordered.missing_bytes)
        if not ordered.stuck:
            self._reaches(proposal, ordered.done)
            return ()
        gets_through = not on_trial and self._draw_order(proposal, transfers)
        if ordered.done and (not gets_through or self.reached.via):
            self._exchange(ordered.done, proposal.places)
        return () if gets_through else ordered.stuck

    def _reaches(self, proposal: Proposal, order: Sequence[Transfer], staged: Sequence[Stage] = ()) -> None:
        """Keep a placement to which these moves lead, with both legs of those that wait on a third drive."""
        choices, drives = self._ideal.model.choices, {drive.id: drive for drive in self._snapshot.drives}
        extra_s = sum(
            waiting_cost_s(choices[stage.key].library, drives[stage.via], choices[stage.key].source, self._wishes)
            for stage in staged
        )
        if staged:
            proposal = self._ideal.against_bound(replace(proposal, cost_s=proposal.cost_s + extra_s))
        layers = in_layers(order, self._free, self._floors)
        via = {stage.key: (stage.via, layers.pop(f"{stage.key}{LEG}1")) for stage in staged}
        layers |= {stage.key: layers.pop(f"{stage.key}{LEG}2") for stage in staged}
        self._keep(Reached(proposal.places, layers, via), proposal)

    def _keep(self, reached: Reached, proposal: Proposal) -> None:
        """Keep what was reached when it is the best so far, or the best in which no library waits on a third drive."""
        if proposal.cost_s < self.proposal.cost_s:
            self.reached, self.proposal = reached, proposal
        if not reached.via and proposal.cost_s < self._direct_cost_s:
            self._direct, self._direct_cost_s = reached, proposal.cost_s

    def _draw_order(self, proposal: Proposal, transfers: Sequence[Transfer]) -> bool:
        """Draw orders by chance for a placement, by way of third drives where none without gets through; True when one
        does.
        """
        for stages in ((), self._stages(proposal.places)):
            order, staged = draw_order(transfers, stages, self._free, self._floors, _ORDERS_DRAWN)
            if len(order) == len(transfers) + len(staged):
                self._reaches(proposal, order, staged)
                return True
        return False

    def _stages(self, places: Mapping[str, str]) -> list[Stage]:
        """The ways by a third drive. Where moves or moving are limited, there are none: each such way is two moves."""
        if self._wishes.most_moves is not None or self._wishes.most_moving_s is not None:
            return []
        choices = [self._ideal.model.choices[library_id] for library_id in places]
        return [
            Stage(choice.library.id, space.id, choice.library.room_on(drive), choice.library.room_on(drive))
            for choice in choices
            if choice.library.piece is None
            for space in self._spaces
            for drive in space.drives[:1]
            if may_wait(choice.library, drive, choice.source, self._wishes)
        ]

    def _variable_of(self, move: Transfer) -> int:
        choice = self._ideal.model.choices[move.key]
        return next(
            variable
            for drive, variable in choice.variables
            if any(space.id == move.target and drive in space.drives for space in self._spaces)
        )

    def by_chance(self) -> None:
        """Search by short annealings, every other from what was reached so far. They hardly ever agree: where any of
        them would move a library is what the search in layers has to choose from. With very many libraries there is
        only the time to make what was reached a little better.
        """
        figures = Figures(self._ideal.model, self._floors)
        count = 1 if self._many else _ANNEALINGS_OF_FEW if self._few else _ANNEALINGS
        heats_s = (_HEAT_OF_MANY_S,) if self._many else _HEATS_S
        for number in range(count):
            annealing = Annealing(figures, seed=number)
            begin = self._direct
            if not number % 2 and begin.places.keys() <= figures.rows.keys():
                annealing.start(sorted(begin.places, key=begin.layers.__getitem__), begin.places)
            steps = min(_MOST_STEPS, _STEPS_A_CHOICE * self._ideal.choices) if self._many else _STEPS
            self._take(*annealing.search(steps, heats_s[number % len(heats_s)]))

    def _exchange(self, moves: Sequence[Transfer], places: Mapping[str, str]) -> None:
        from nuvik.core.planning.search.exchange import Exchange  # brings numpy, which is slow to load

        exchange = Exchange(Figures(self._ideal.model, self._floors), self._ideal.prices)
        exchange.begin_with(moves, places)
        self._take(*exchange.search(_QUICK_STEPS if self._many else 0))  # fewer are searched by chance

    def _take(self, places: Mapping[str, str], order: Sequence[Transfer]) -> None:
        """Take a placement to which these moves lead when it is the best so far; its goals are kept in mind."""
        self._goals.append(places)
        reached = Reached(places, in_layers(order, self._free, self._floors))
        self._keep(reached, self._valued(reached))

    def everywhere(self) -> dict[str, set[str]]:
        """By library, the drives on which it may stand."""
        return {
            library_id: {drive.id for drive, _ in choice.variables if drive is not choice.source}
            for library_id, choice in self._ideal.model.choices.items()
        }

    def goals_at_hand(self) -> dict[str, set[str]]:
        """By library, where it goes in any placement seen so far, the ideal one included; and where the relaxed program
        would have it go for little more than the best. Nothing when that is too much to search among.
        """
        goals: dict[str, set[str]] = {}
        for places in (self._ideal.proposal.places, self.reached.places, *self._goals):
            for library_id, drive_id in places.items():
                goals.setdefault(library_id, set()).add(drive_id)
        if self._many:
            return goals if len(goals) <= _MOST_OF_MANY else {}
        for library_id, drive_id in self._ideal.cheapest(_NEXT_BEST):
            goals.setdefault(library_id, set()).add(drive_id)
        return goals

    def in_layers(self, count: int, goals: dict[str, set[str]], waiting: bool = False) -> bool:
        """Search in so many layers with these goals, from as much of what was reached so far as that allows; True when
        it became better.
        """
        if self.is_good_enough or not goals:
            return False
        model = Placement(self._snapshot, self._wishes)
        if self._few:
            count = max(count, min(_MOST_LAYERS, 1 + max(self.reached.layers.values(), default=0)))
        so_far = (self.reached if waiting else self._direct).within(count)
        layers = Layers(model, count, self._floors, self._snapshot.drives, so_far, goals, waiting)
        if len(model.program.costs) > (_MOST_WITH_WAITING if waiting else _MOST_VARIABLES):
            return False
        solved = model.program.solve(
            self._gap_s, _NODES_FOR_FEW if self._few and not waiting else _NODES, start=layers.start
        )
        if not solved.values or solved.cost + model.offset_s >= self.proposal.cost_s - self._gap_s / 10:
            return False
        self._keep(layers.reached(solved.values), self._ideal.against_bound(proposal_of(model, solved)))
        return True

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
    """Moves in an order that works as layers: each is in the first in which it has room beside all that comes there in
    this layer and after it, with what left in the layers before.
    """
    room: list[dict[str, int]] = []
    """By layer, what is free over the floor of each space, with all that comes in it and before what leaves in it."""
    freed: list[dict[str, int]] = []
    layers: dict[str, int] = {}
    for move in moves:
        # What waits on a third drive goes on in a later layer, since within one any order must do.
        first = max((layers[key] + (LEG in key) for key in move.after if key in layers), default=0)
        layer = len(room)
        while layer > first and room[layer - 1][move.target] >= move.room_bytes:
            layer -= 1
        if layer == len(room):
            before = room[-1] if room else {space: free - floors[space] for space, free in free_bytes.items()}
            more = freed[-1] if freed else {}
            room.append({space: over + more.get(space, 0) for space, over in before.items()})
            freed.append({})
        layers[move.key] = layer
        freed[layer][move.source] = freed[layer].get(move.source, 0) + move.frees_bytes
        for number in range(layer, len(room)):
            room[number][move.target] -= move.room_bytes
            if number > layer:
                room[number][move.source] += move.frees_bytes
    return layers
