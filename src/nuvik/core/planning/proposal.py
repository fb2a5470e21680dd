"""The proposal: which library belongs on which drive, as good as can be, with a proof of how good that is.

A mixed-integer model, solved by HiGHS (branch and cut; its dual bound is the proof). One binary variable says that a
library stands on a drive; each library stands on exactly one, and what a drive holds leaves its headroom free. What
is made small, all in seconds:

    weeks × waiting per week  +  moving time × its weight  +  a fixed trouble for each move
    +  weeks × opens × the share of time that a portable drive is away × what an open that fails costs

A headroom that cannot be kept is not refused but missed by as little as possible, at a price above everything else.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timing import per_file_seconds, read_seconds
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.planning.waiting import waiting_s_per_week

PROVEN_GAP = 0.001
"""The solver stops when it has proven that nothing better than a thousandth exists …"""
TIME_LIMIT_S = 20.0
"""… or after this time, with the best so far."""
AWAY_SHARE, AWAY_COST_S = 0.2, 120.0
"""Assumed: a portable drive is away a fifth of the time, and fetching it takes two minutes."""
_MOVING_WEIGHT = {Style.CAUTIOUS: 0.5, Style.BALANCED: 0.1, Style.FASTEST: 0.01}
"""Assumed: the computer's time, during which one can do something else, counts less than one's own."""
_TROUBLE_S = {Style.CAUTIOUS: 600.0, Style.BALANCED: 60.0, Style.FASTEST: 1.0}
"""Assumed: what starting and looking after one move costs."""
_SHORTAGE_S_PER_GB = 1e6
_GB = 1e9

RoomOf = Callable[[Library, Drive], int]
"""The bytes that a library takes on a drive, in its clusters."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """Where everything should stand."""

    places: dict[str, str] = field(default_factory=dict)
    """The new drive's id by library id, for those that move."""
    cost_s: float = 0.0
    """What was made small; without the price of headroom that is missed."""
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
    if drive.portable:
        cost += wishes.weeks * library.opens_per_week * AWAY_SHARE * AWAY_COST_S
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
        import highspy  # slow to load, and only a proposal needs it

        self._wishes = wishes
        self._highs: Any = highspy.Highs()  # type: ignore[no-untyped-call]
        for option, value in (("output_flag", False), ("random_seed", 1), ("threads", 1), ("mip_rel_gap", PROVEN_GAP)):
            self._highs.setOptionValue(option, value)
        self._drives = {drive.id: drive for drive in snapshot.drives}
        self._spaces = spaces_of(snapshot.drives, wishes)
        self._choices: list[tuple[Library, list[tuple[Drive, Any]]]] = []
        self._offset_s = 0.0
        self._moving: list[tuple[Any, float]] = []
        for library in sorted(snapshot.libraries, key=lambda one: one.id):
            self._add_library(library)
        self._shortages = self._add_spaces(room_of)
        self._add_limits()

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
        variables = [(drive, self._highs.addBinary(obj=costs[drive.id] - least)) for drive in able]
        self._highs.addConstr(sum(variable for _, variable in variables) == 1)
        self._choices.append((library, variables))
        self._moving += [
            (variable, moving_s(library, source, drive)) for drive, variable in variables if drive is not source
        ]

    def _add_spaces(self, room_of: RoomOf) -> list[tuple[Space, Any]]:
        shortages = []
        for space in self._spaces:
            ids = {drive.id for drive in space.drives}
            missing = self._highs.addVariable(lb=0.0, obj=_SHORTAGE_S_PER_GB)
            taken = []
            for library, variables in self._choices:
                inside = library.drive in ids
                for drive, variable in variables:
                    if drive.id in ids and not inside:
                        taken.append((room_of(library, drive) / _GB) * variable)
                    elif drive.id not in ids and inside:
                        taken.append((-library.on_disk_bytes / _GB) * variable)
            room = (space.free_bytes - space.headroom_bytes) / _GB
            self._highs.addConstr(sum(taken) - missing <= room) if taken else self._highs.addConstr(missing >= -room)
            shortages.append((space, missing))
        return shortages

    def _add_limits(self) -> None:
        wishes = self._wishes
        if wishes.most_moves is not None and self._moving:
            self._highs.addConstr(sum(variable for variable, _ in self._moving) <= wishes.most_moves)
        if wishes.most_moving_s is not None and self._moving:
            self._highs.addConstr(sum(seconds * variable for variable, seconds in self._moving) <= wishes.most_moving_s)

    def solved(self, time_limit_s: float) -> Proposal:
        import highspy

        if not self._choices:
            short = {space.drives[0].id: max(0, space.headroom_bytes - space.free_bytes) for space in self._spaces}
            return Proposal(cost_s=self._offset_s, bound_s=self._offset_s,
                            short_bytes={drive: count for drive, count in short.items() if count})  # fmt: skip
        self._highs.setOptionValue("time_limit", time_limit_s)
        self._highs.run()
        info = self._highs.getInfo()
        values = self._highs.getSolution().col_value
        places = {}
        for library, variables in self._choices:
            chosen = max(variables, key=lambda pair: values[pair[1].index])[0]
            if chosen.id != library.drive:
                places[library.id] = chosen.id
        missing = {space.drives[0].id: values[variable.index] for space, variable in self._shortages}
        price = sum(_SHORTAGE_S_PER_GB * one for one in missing.values())
        cost = info.objective_function_value - price + self._offset_s
        bound = min(cost, info.mip_dual_bound - price + self._offset_s)
        return Proposal(
            places=places, cost_s=cost, bound_s=bound, gap=max(0.0, (cost - bound) / max(1.0, abs(cost))),
            short_bytes={drive: round(one * _GB) for drive, one in missing.items() if one * _GB >= 1e6},
            in_time=self._highs.getModelStatus() == highspy.HighsModelStatus.kOptimal,
        )  # fmt: skip
