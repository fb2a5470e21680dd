"""Arranging: what is to be carried, in an order that works, by way of a staging drive where nothing else helps."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.plan import Role
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.ordering.move_order import MOST_SETS, Ordered, Transfer, order_moves
from nuvik.core.planning.ordering.staging import LEG, Stage, with_legs
from nuvik.core.planning.ordering.untie import MOST_TRIES, untie
from nuvik.core.planning.placement.limits import may_wait
from nuvik.core.planning.placement.spaces import spaces_of
from nuvik.core.planning.placement.waiting import waiting_s_per_week

_QUICK_SETS, _QUICK_LOOKS, _QUICK_TRIES = 500, 20_000, 10
"""For the answer to a key: so many sets of moves are looked at, and with many moves no more than that each move in each
set makes so many looks; and so many choices of staged libraries, while all of them make ten times as many.
"""


@dataclass(frozen=True, slots=True)
class Load:
    """A library, or the pieces of one that go to one place, to be carried at once."""

    library: Library
    source: Drive
    target: Drive
    after: frozenset[str] = frozenset()
    """The ids of loads that must be carried before: parts that go elsewhere leave before the folder they lie in."""
    benefit_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Leg:
    """A step: a load on its way, or half its way."""

    load: Load
    source: Drive
    target: Drive
    via: Drive | None = None
    makes_room_for: str = ""
    """For the first leg of a staged load: the name of the library that takes its place."""

    @property
    def role(self) -> Role:
        if self.via is None:
            return Role.DIRECT
        return Role.FROM_STAGING if self.source is self.via else Role.TO_STAGING


@dataclass(frozen=True, slots=True)
class Arranged:
    """The legs in their order, and the loads that no order allows."""

    legs: tuple[Leg, ...]
    stuck: tuple[Load, ...] = ()
    ordered: Ordered = field(default_factory=lambda: Ordered(()))

    @property
    def staged_bytes(self) -> int:
        """What is moved in addition, since it waits on a staging drive."""
        return sum(leg.load.library.bytes for leg in self.legs if leg.role is Role.TO_STAGING)


def load_of(library: Library, source: Drive, target: Drive, after: Iterable[str] = ()) -> Load:
    saves = waiting_s_per_week(library, source) - waiting_s_per_week(library, target)
    return Load(library, source, target, frozenset(after), saves)


def arrange(
    loads: Sequence[Load],
    drives: Sequence[Drive],
    wishes: Wishes,
    quickly: bool = False,
    staged: Mapping[str, str] = MappingProxyType({}),
    order: Sequence[str] = (),
) -> Arranged:
    """Bring loads into an order in which no drive goes under its floor; the given one, where that works. `quickly` is
    for the answer to a key: it may give up where a longer search would find an order, and says so (`given_up`).
    `staged` are third drives, by library, by way of which there is known to be an order: `order`, by the keys of moves.
    """
    spaces = spaces_of(drives, wishes)
    space_of = {drive.id: space.id for space in spaces for drive in space.drives}
    free = {space.id: space.free_bytes for space in spaces}
    floors = {space.id: space.floor_bytes for space in spaces}
    able = [load for load in loads if load.source.id in space_of and load.target.id in space_of]
    moves = transfers_of(able, space_of)
    by_id = {load.library.id: load for load in loads}
    by_drive = {drive.id: drive for drive in drives}
    if _works(moves, free, floors):
        return Arranged(tuple(Leg(load, load.source, load.target) for load in able), ordered=Ordered(tuple(moves)))
    stages = [
        Stage(load.library.id, space.id, load.library.room_on(drive), load.library.room_on(drive))
        for load in able
        for space in spaces
        for drive in space.drives[:1]
        if space.id != space_of[load.target.id] and may_wait(load.library, drive, load.source, wishes)
    ]
    known = [
        Stage(
            load.library.id,
            space_of[third],
            load.library.room_on(by_drive[third]),
            load.library.room_on(by_drive[third]),
        )
        for load in able
        if (third := staged.get(load.library.id)) in space_of and third is not None
    ]
    if known:
        by_way_of_third = {move.key: move for move in with_legs(moves, known)}
        if set(order) == by_way_of_third.keys() and _works([by_way_of_third[key] for key in order], free, floors):
            ordered = Ordered(tuple(by_way_of_third[key] for key in order))
        else:
            most_sets = _quick(len(moves))[0] if quickly else MOST_SETS
            ordered = order_moves(list(by_way_of_third.values()), free, floors, most_sets=most_sets)
        if not ordered.stuck:
            by_way_of = {stage.key: by_drive[staged[stage.key]] for stage in known}
            return Arranged(_with_reasons([_leg(move, by_id, by_way_of) for move in ordered.done]), ordered=ordered)
    sets, tries = _quick(len(moves)) if quickly else (MOST_SETS, MOST_TRIES)
    untied = untie(moves, stages, free, floors, sets, tries)
    if quickly and untied.ordered.stuck:
        untied = replace(untied, ordered=replace(untied.ordered, given_up=True))
    ordered = untied.ordered
    via = {stage.key: by_drive[stage.via] for stage in untied.staged}
    legs = [_leg(move, by_id, via) for move in ordered.done]
    stuck = {move.key.partition(LEG)[0] for move in ordered.stuck}
    return Arranged(_with_reasons(legs), tuple(load for load in loads if load.library.id in stuck), ordered)


def _quick(moves: int) -> tuple[int, int]:
    """How many sets of so many moves are looked at, and how many choices of staged libraries."""
    sets = max(2 * moves, min(_QUICK_SETS, _QUICK_LOOKS // max(1, moves)))
    return sets, max(1, min(_QUICK_TRIES, 10 * _QUICK_LOOKS // max(1, sets * moves)))


def works_in_order(loads: Sequence[Load], drives: Sequence[Drive], wishes: Wishes) -> bool:
    """Whether loads can be carried in the order given, each directly."""
    spaces = spaces_of(drives, wishes)
    space_of = {drive.id: space.id for space in spaces for drive in space.drives}
    free = {space.id: space.free_bytes for space in spaces}
    return _works(transfers_of(loads, space_of), free, {space.id: space.floor_bytes for space in spaces})


def transfers_of(loads: Sequence[Load], space_of: Mapping[str, str]) -> list[Transfer]:
    """Loads as the search for an order sees them; `space_of` says by drive which free space it takes from."""
    return [
        Transfer(
            load.library.id,
            space_of[load.source.id],
            space_of[load.target.id],
            load.library.room_on(load.target),
            load.library.on_disk_bytes,
            load.benefit_s,
            load.after,
        )
        for load in loads
    ]


def _works(moves: Sequence[Transfer], free_bytes: Mapping[str, int], floors: Mapping[str, int]) -> bool:
    free, done = dict(free_bytes), set[str]()
    keys = {move.key for move in moves}
    for move in moves:
        free[move.target] -= move.room_bytes
        if free[move.target] < floors[move.target] or move.after & keys - done:
            return False
        free[move.source] += move.frees_bytes
        done.add(move.key)
    return True


def _leg(move: Transfer, loads: Mapping[str, Load], via: Mapping[str, Drive]) -> Leg:
    key, is_leg, number = move.key.partition(LEG)
    load = loads[key]
    if not is_leg:
        return Leg(load, load.source, load.target)
    between = via[key]
    return Leg(load, load.source, between, between) if number == "1" else Leg(load, between, load.target, between)


def _with_reasons(legs: Sequence[Leg]) -> tuple[Leg, ...]:
    """Each first leg with the name of what takes its place next."""
    explained = []
    for number, leg in enumerate(legs):
        comes = next((other.load.library.name for other in legs[number + 1 :] if other.target.id == leg.source.id), "")
        first = leg.role is Role.TO_STAGING
        explained.append(Leg(leg.load, leg.source, leg.target, leg.via, comes) if first else leg)
    return tuple(explained)
