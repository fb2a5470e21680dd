"""The proposal: which library belongs on which drive, as good as can be, with a proof of how good that is.

A mixed-integer model, solved by HiGHS (branch and cut; its dual bound is the proof). One binary variable says that a
library stands on a drive; each library stands on exactly one, and what a drive holds leaves its headroom free. What
is made small, all in seconds:

    weeks × waiting per week  +  moving time × its weight  +  a fixed trouble for each move
    +  weeks × opens × the share of time that a portable drive is away × what an open that fails costs
       (for what would go to one; what stands on one is meant to go along)

A headroom that cannot be kept is not refused but missed by as little as possible: that is made small first, and the
cost then among the placements that miss no more.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timing import per_file_seconds, read_seconds
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.planning.solver import Program
from nuvik.core.planning.waiting import waiting_s_per_week

PROVEN_GAP = 0.001
"""The solver stops when it has proven that nothing better than a thousandth exists …"""
TIME_LIMIT_S = 20.0
"""… or after this time, with the best so far."""
AWAY_SHARE, AWAY_COST_S, AWAY_TROUBLE_S = 0.2, 120.0, 300.0
"""Assumed: a portable drive is away a fifth of the time, fetching it takes two minutes, and what is put on one costs
five minutes more even if it is never opened."""
_MOVING_WEIGHT = {Style.CAUTIOUS: 0.5, Style.BALANCED: 0.1, Style.FASTEST: 0.01}
"""Assumed: the computer's time, during which one can do something else, counts less than one's own."""
_TROUBLE_S = {Style.CAUTIOUS: 600.0, Style.BALANCED: 60.0, Style.FASTEST: 1.0}
"""Assumed: what starting and looking after one move costs."""
_ROUNDING_GB = 1e-6
_GB = 1e9

RoomOf = Callable[[Library, Drive], int]
"""The bytes that a library takes on a drive, in its clusters."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """Where everything should stand."""

    places: dict[str, str] = field(default_factory=dict)
    """The new drive's id by library id, for those that move."""
    cost_s: float = 0.0
    """What was made small, once no headroom is missed by more than must be."""
    bound_s: float = 0.0
    """Nothing can cost less, proven."""
    gap: float = 0.0
    """How far the cost may be from the best possible, as a share of it."""
    short_bytes: dict[str, int] = field(default_factory=dict)
    """By how much drives miss their headroom nevertheless."""
    in_time: bool = True
    """False when the time limit came before the proof."""


def propose(snapshot: Snapshot, wishes: Wishes, room_of: RoomOf, time_limit_s: float = TIME_LIMIT_S) -> Proposal:
    """The best placement for these drives and libraries. The same input gives the same proposal."""
    model = _Model(snapshot, wishes, room_of)
    return model.solved(time_limit_s)


def may_stand(library: Library, drive: Drive, wishes: Wishes) -> bool:
    """Whether a library may be put on a drive at all; where it stands now it may always stay."""
    if drive.id == library.drive:
        return True
    rules, largest = drive.rules, drive.rules.largest_file_bytes
    return (
        library.movable
        and drive.attached
        and not drive.read_only
        and library.id not in wishes.pinned
        and (library.id, drive.id) not in wishes.forbidden
        and (not drive.welcomes or library.kind in drive.welcomes)
        and (largest is None or library.largest_file_bytes <= largest)
        and (rules.symlinks or not (library.links_in or library.links_out or library.links_broken))
        and (library.needs_read_bytes_per_s is None or drive.read_bytes_per_s >= library.needs_read_bytes_per_s)
    )


def moving_s(library: Library, source: Drive, target: Drive) -> float:
    """About how long a move takes: copying at the slower side's lasting speed, reading back, removing."""
    lasting = target.sustained_write_bytes_per_s or target.write_bytes_per_s
    reading_s = read_seconds(source, library.bytes, library.files)
    writing_s = library.bytes / lasting + per_file_seconds(target, library.files)
    copying_s = reading_s + writing_s if source.shares_disk_with(target) else max(reading_s, writing_s)
    return copying_s + read_seconds(target, library.bytes, library.files) + per_file_seconds(source, library.files)


def placement_cost_s(library: Library, drive: Drive, source: Drive, wishes: Wishes) -> float:
    """What it costs that a library stands on a drive: the objective's share of one variable."""
    cost = wishes.weeks * waiting_s_per_week(library, drive)
    if drive.portable and drive.id != source.id:  # what already stands on one is meant to go along
        cost += AWAY_TROUBLE_S + wishes.weeks * library.opens_per_week * AWAY_SHARE * AWAY_COST_S
    if drive.id != source.id:
        cost += _MOVING_WEIGHT[wishes.style] * moving_s(library, source, drive) + _TROUBLE_S[wishes.style]
    return cost


@dataclass(slots=True)
class Space:
    """Free space that one drive has, or the volumes of one container share."""

    drives: list[Drive]
    headroom_bytes: int

    @property
    def free_bytes(self) -> int:
        return self.drives[0].free_bytes


def spaces_of(drives: Iterable[Drive], wishes: Wishes) -> list[Space]:
    """The attached drives by the free space they take from, with what must stay free of it."""
    found: list[Space] = []
    for drive in drives:
        if not drive.attached:
            continue
        headroom = wishes.headroom_bytes.get(drive.id, drive.headroom_bytes)
        for space in found:
            if space.drives[0].shares_space_with(drive):
                space.drives.append(drive)
                space.headroom_bytes = max(space.headroom_bytes, headroom)
                break
        else:
            found.append(Space([drive], headroom))
    return found


class _Model:
    """The variables and rows, and what they stand for."""

    def __init__(self, snapshot: Snapshot, wishes: Wishes, room_of: RoomOf) -> None:
        self._wishes, self._room_of = wishes, room_of
        self._program = Program()
        self._drives = {drive.id: drive for drive in snapshot.drives}
        self._spaces = spaces_of(snapshot.drives, wishes)
        self._choices: list[tuple[Library, list[tuple[Drive, int]]]] = []
        self._offset_s = 0.0
        self._moving: list[tuple[int, float]] = []
        for library in sorted(snapshot.libraries, key=lambda one: one.id):
            self._add_library(library)
        self._shortages = [(space, self._add_space(space)) for space in self._spaces]
        if wishes.most_moves is not None:
            self._program.row([(variable, 1.0) for variable, _ in self._moving], upper=wishes.most_moves)
        if wishes.most_moving_s is not None:
            self._program.row(self._moving, upper=wishes.most_moving_s)

    def _add_library(self, library: Library) -> None:
        source = self._drives[library.drive]
        able = [drive for drive in self._drives.values() if may_stand(library, drive, self._wishes)]
        if len(able) < 2 or not source.attached:
            self._offset_s += placement_cost_s(library, source, source, self._wishes)
            return
        costs = {drive.id: placement_cost_s(library, drive, source, self._wishes) for drive in able}
        # Costs are told from the cheapest up, so that the solver's tolerances bear on what can be decided.
        least = min(costs.values())
        self._offset_s += least
        variables = [(drive, self._program.variable(costs[drive.id] - least)) for drive in able]
        self._program.row([(variable, 1.0) for _, variable in variables], lower=1.0, upper=1.0)
        self._choices.append((library, variables))
        self._moving += [
            (variable, moving_s(library, source, drive)) for drive, variable in variables if drive is not source
        ]

    def _add_space(self, space: Space) -> int:
        """What arrives less what leaves fits over the headroom; what is missing has its price."""
        ids = {drive.id for drive in space.drives}
        missing = self._program.variable(0.0, binary=False)
        terms = [(missing, -1.0)]
        for library, variables in self._choices:
            for drive, variable in variables:
                if drive.id in ids and library.drive not in ids:
                    terms.append((variable, self._room_of(library, drive) / _GB))
                elif drive.id not in ids and library.drive in ids:
                    terms.append((variable, -library.on_disk_bytes / _GB))
        self._program.row(terms, upper=(space.free_bytes - space.headroom_bytes) / _GB)
        return missing

    def solved(self, time_limit_s: float) -> Proposal:
        self._program.row(
            [(variable, 1.0) for _, variable in self._shortages], upper=self._least_shortage(time_limit_s)
        )
        found = self._program.solve(PROVEN_GAP, time_limit_s)
        if not found.values:
            return Proposal(cost_s=self._offset_s, gap=1.0, in_time=False)
        places = {}
        for library, variables in self._choices:
            chosen = max(variables, key=lambda pair: found.values[pair[1]])[0]
            if chosen.id != library.drive:
                places[library.id] = chosen.id
        missing = {space.drives[0].id: found.values[variable] for space, variable in self._shortages}
        cost, bound = found.cost + self._offset_s, min(found.cost, found.bound) + self._offset_s
        return Proposal(
            places=places, cost_s=cost, bound_s=bound, gap=max(0.0, (cost - bound) / max(1.0, abs(cost))),
            short_bytes={drive: round(one * _GB) for drive, one in missing.items() if one >= 2 * _ROUNDING_GB},
            in_time=found.in_time,
        )  # fmt: skip

    def _least_shortage(self, time_limit_s: float) -> float:
        """By how much headroom must be missed in sum, in GB, wherever everything stands."""
        now = sum(max(0, space.headroom_bytes - space.free_bytes) for space in self._spaces) / _GB
        if not now:
            return _ROUNDING_GB
        price = dict.fromkeys((variable for _, variable in self._shortages), 1.0)
        found = self._program.solve(0.0, time_limit_s / 2, price)
        return (sum(found.values[variable] for variable in price) if found.values else now) + _ROUNDING_GB
