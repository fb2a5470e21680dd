"""A placement that can be reached: the model in layers, the moves of each of which can be made in any order.

In a layer everything that arrives on a drive must fit beside all that is there when the layer begins and all else that
comes to it; what leaves makes room for the next layer. So whatever the solver finds can be carried, layer by layer.
With enough layers every order of moves is one of layers: each move alone. A library may wait on a third drive, from one
layer to a later one.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

from nuvik.core.model.drive import Drive
from nuvik.core.planning.ordering.staging import LEG
from nuvik.core.planning.placement.costs import moving_s, waiting_cost_s
from nuvik.core.planning.placement.limits import may_wait
from nuvik.core.planning.placement.placement_model import MovableLibrary, Placement
from nuvik.core.planning.placement.solver import Terms
from nuvik.core.planning.placement.spaces import GB, Space


@dataclass(frozen=True, slots=True)
class Reached:
    """Which libraries move where, in which layer, and which of them wait on a third drive."""

    places: Mapping[str, str] = field(default_factory=dict)
    """The drive's id by library id, for those that move."""
    layers: Mapping[str, int] = field(default_factory=dict)
    """In which layer, from 0, each of them arrives."""
    via: Mapping[str, tuple[str, int]] = field(default_factory=dict)
    """The third drive of those that wait on one, and the layer in which they come to it."""

    def within(self, layers: int) -> Reached:
        """Its first layers only."""
        kept = {library_id: layer for library_id, layer in self.layers.items() if layer < layers}
        places = {library_id: self.places[library_id] for library_id in kept}
        return Reached(places, kept, {key: leg for key, leg in self.via.items() if key in kept})

    @property
    def order(self) -> tuple[str, ...]:
        """The keys of the moves, and of both legs of those by way of a third drive, in an order that works: within a
        layer any does.
        """
        legs = [
            (layer, library_id + (f"{LEG}2" if library_id in self.via else ""))
            for library_id, layer in self.layers.items()
        ]
        legs += [(layer, f"{library_id}{LEG}1") for library_id, (_, layer) in self.via.items()]
        return tuple(key for _, key in sorted(legs, key=lambda leg: leg[0]))


@dataclass(slots=True)
class _Mover:
    """A library that may move, with the variables of its way."""

    choice: MovableLibrary
    arrived: list[dict[str, int]]
    """For each layer, by drive, that it has arrived there in this layer or before."""
    waits: list[dict[str, int]]
    """For each layer, by third drive, that it has come to wait there in this layer or before."""

    @property
    def id(self) -> str:
        return self.choice.library.id


class Layers:
    """Adds the layers to a placement model.

    With `goals`, by library id, only these libraries may move otherwise than `so_far`, and only to these drives.
    """

    def __init__(
        self,
        model: Placement,
        count: int,
        floors: Mapping[str, int],
        drives: Collection[Drive],
        so_far: Reached,
        goals: Mapping[str, Collection[str]] | None = None,
        staging: bool = False,
    ) -> None:
        self.model, self.count = model, count
        self._floors, self._drives = floors, drives
        self._so_far, self._staging = so_far, staging
        self.start: dict[int, float] = {}
        """The way so far, to begin the search with."""
        self._goals = goals
        self._movers = [self._mover(choice) for choice in model.choices.values()]
        self._keep_parts_in_order()
        for layer in range(count):
            for space in model.spaces:
                self._add_room(space, layer)
        if staging:
            self._add_limits()

    # -- reading the answer --------------------------------------------------------------------------------

    def reached(self, values: tuple[float, ...]) -> Reached:
        """What the values of the variables say."""
        places, layers, via = self.model.places(values), dict[str, int](), dict[str, tuple[str, int]]()
        for mover in self._movers:
            goal = places.get(mover.id)
            if goal is None:
                continue
            arrived = enumerate(there.get(goal) for there in mover.arrived)
            layers[mover.id] = next(layer for layer, there in arrived if there is not None and values[there] > 0.5)
            for drive_id in mover.waits[-1] if mover.waits else ():
                if values[mover.waits[-1][drive_id]] > 0.5:
                    came = next(layer for layer, waits in enumerate(mover.waits) if values[waits[drive_id]] > 0.5)
                    if came < layers[mover.id]:  # a search that ended early may let one come when it has gone on
                        via[mover.id] = (drive_id, came)
        return Reached(places, layers, via)

    # -- building ------------------------------------------------------------------------------------------

    def _mover(self, choice: MovableLibrary) -> _Mover:
        program, library_id = self.model.program, choice.library.id
        goals = {drive.id: variable for drive, variable in choice.variables if drive is not choice.source}
        allowed = goals.keys() if self._goals is None else self._goals.get(library_id, ())
        so_far = self._so_far.places.get(library_id)
        for drive_id, variable in goals.items():
            self.start[variable] = float(drive_id == so_far)
        stays = choice.on(choice.source.id)
        if stays is not None:
            self.start[stays] = float(so_far is None)
        if not allowed:
            return self._frozen(choice, goals, so_far)
        for drive_id in goals.keys() - set(allowed):
            program.upper[goals[drive_id]] = 0.0
        goals = {drive_id: variable for drive_id, variable in goals.items() if drive_id in allowed}
        arrived: list[dict[str, int]] = []
        for layer in range(self.count - 1):
            now = {drive_id: program.variable(0.0) for drive_id in goals}
            for drive_id, variable in now.items():
                here = drive_id == so_far and self._so_far.layers[library_id] <= layer
                self.start[variable] = float(here)
                if arrived:
                    program.row([(arrived[-1][drive_id], 1.0), (variable, -1.0)], upper=0.0)
            arrived.append(now)
        if arrived:
            for drive_id, variable in arrived[-1].items():
                program.row([(variable, 1.0), (goals[drive_id], -1.0)], upper=0.0)
        return _Mover(choice, [*arrived, goals], self._waits(choice, goals) if self._staging else [])

    def _frozen(self, choice: MovableLibrary, goals: dict[str, int], so_far: str | None) -> _Mover:
        """A library that keeps its way: what it has to do with the room is certain."""
        program, stays = self.model.program, choice.on(choice.source.id)
        for drive_id, variable in goals.items():
            program.upper[variable] = float(drive_id == so_far)
        if stays is not None and so_far is not None:
            program.upper[stays] = 0.0
        since = self._so_far.layers.get(choice.library.id, self.count)
        arrived = [goals if layer >= since else {} for layer in range(self.count)]
        return _Mover(choice, arrived, [])

    def _waits(self, choice: MovableLibrary, goals: dict[str, int]) -> list[dict[str, int]]:
        """That it waits on a third drive, layer by layer: it pays for the second move, and goes on in the end."""
        program, library, source = self.model.program, choice.library, choice.source
        waits: list[dict[str, int]] = []
        thirds = [drive for drive in self._drives if self._may_wait(choice, drive)]
        came = self._so_far.via.get(library.id)
        for layer in range(self.count - 1):
            now = {}
            for drive in thirds:
                last = layer == self.count - 2
                extra_s = waiting_cost_s(library, drive, source, self.model.given) if last else 0.0
                now[drive.id] = program.variable(extra_s)
                self.start[now[drive.id]] = float(came is not None and came[0] == drive.id and came[1] <= layer)
                if waits:
                    program.row([(waits[-1][drive.id], 1.0), (now[drive.id], -1.0)], upper=0.0)
            waits.append(now)
        if waits and thirds:
            once = [(variable, 1.0) for variable in waits[-1].values()]
            program.row([*once, *((goal, -1.0) for goal in goals.values())], upper=0.0)
            for drive in thirds:
                for goal_id, goal in goals.items():
                    there = next(other for other in self._drives if other.id == goal_id)
                    if there.shares_space_with(drive):
                        program.row([(waits[-1][drive.id], 1.0), (goal, 1.0)], upper=1.0)
        return waits

    def _may_wait(self, choice: MovableLibrary, drive: Drive) -> bool:
        return choice.library.piece is None and may_wait(choice.library, drive, choice.source, self.model.given)

    def _gone(self, mover: _Mover, layer: int) -> Terms:
        """That a library has left its drive in this layer or before."""
        if layer < 0:
            return []
        terms = [(variable, 1.0) for variable in mover.arrived[layer].values()]
        if mover.waits and layer < len(mover.waits):
            # It has left when it waits, too; counted once, by a variable of its own.
            waits = [(variable, 1.0) for variable in mover.waits[layer].values()]
            if waits:
                gone = self.model.program.variable(0.0, binary=False, upper=1.0)
                self.model.program.row(
                    [(gone, 1.0), *((variable, -1.0) for variable, _ in (*terms, *waits))], upper=0.0
                )
                return [(gone, 1.0)]
        return terms

    def _add_room(self, space: Space, layer: int) -> None:
        """In a layer, what is there at its beginning and what comes fit over the floor."""
        ids = {drive.id for drive in space.drives}
        terms: Terms = []
        for mover in self._movers:
            library = mover.choice.library
            if mover.choice.source.id in ids:
                terms += [(gone, -weight * library.on_disk_bytes / GB) for gone, weight in self._gone(mover, layer - 1)]
            for drive_id, variable in mover.arrived[layer].items():
                if drive_id in ids and mover.choice.source.id not in ids:
                    terms.append((variable, self._room(mover, drive_id)))
            if mover.waits:
                terms += self._waiting_room(mover, ids, layer)
        if any(weight > 0 for _, weight in terms):
            self.model.program.row(terms, upper=(space.free_bytes - self._floors[space.id]) / GB)

    def _waiting_room(self, mover: _Mover, ids: set[str], layer: int) -> Terms:
        """What a waiting library takes in a layer: until the one in which it goes on, that one included."""
        waits = mover.waits[min(layer, len(mover.waits) - 1)]
        terms: Terms = []
        for drive_id, waiting in waits.items():
            if drive_id in ids and mover.choice.source.id not in ids:
                there = self.model.program.variable(0.0, binary=False, upper=1.0)
                on = mover.arrived[layer - 1].values() if layer else ()
                # there >= waiting - gone on before this layer
                self.model.program.row(
                    [(waiting, 1.0), (there, -1.0), *((variable, -1.0) for variable in on)], upper=0.0
                )
                terms.append((there, self._room(mover, drive_id)))
        return terms

    def _room(self, mover: _Mover, drive_id: str) -> float:
        drive = next(drive for drive in self._drives if drive.id == drive_id)
        return mover.choice.library.room_on(drive) / GB

    def _keep_parts_in_order(self) -> None:
        """A part leaves before the body in whose folder it lies, and not for the same drive: then it would go along."""
        movers = {mover.id: mover for mover in self._movers}
        for mover in self._movers:
            piece = mover.choice.library.piece
            if piece is None or piece.body or (body := movers.get(piece.whole)) is None:
                continue
            for layer in range(self.count):
                gone, left = self._gone(body, layer), self._gone(mover, layer)
                self.model.program.row([*gone, *((variable, -weight) for variable, weight in left)], upper=0.0)
            for drive_id, variable in mover.arrived[-1].items():
                if drive_id in body.arrived[-1]:
                    self.model.program.row([(variable, 1.0), (body.arrived[-1][drive_id], 1.0)], upper=1.0)

    def _add_limits(self) -> None:
        """A library that waits moves twice: both count towards the limits."""
        wishes, program = self.model.given, self.model.program
        twice = [
            (variable, moving_s(mover.choice.library, mover.choice.source, self._drive(drive_id)))
            for mover in self._movers
            if mover.waits
            for drive_id, variable in mover.waits[-1].items()
        ]
        if wishes.most_moves is not None:
            program.row([*self.model.counted, *((variable, 1.0) for variable, _ in twice)], upper=wishes.most_moves)
        if wishes.most_moving_s is not None:
            program.row([*self.model.moving, *twice], upper=wishes.most_moving_s)

    def _drive(self, drive_id: str) -> Drive:
        return next(drive for drive in self._drives if drive.id == drive_id)
