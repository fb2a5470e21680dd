"""The placement model: the rules, demands, wishes and costs of `rules`, `demands` and `costs` as a mixed-integer
program.

One binary variable says that a library stands on a drive; each stands on exactly one, and what a drive holds leaves
its headroom free. Of a library in pieces, body and parts have variables of their own; parts do not stay behind when
the body goes, since they lie in its folder.

A wish is anything the user could give up: headroom, pins, what drives are for, demands, limits of moving. Strict,
wishes hold, except those that are not met now: these are met as far as can be. Relaxed, each has a binary variable
that gives it up, which is how contradictions are found.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.drive import Drive, Tier
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_count, format_duration
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.planning.placement.collections import collections_of
from nuvik.core.planning.placement.costs import apart_cost_s, moving_s, placement_cost_s
from nuvik.core.planning.placement.demands import Apart, Demand, OnOneOf, demands_of
from nuvik.core.planning.placement.limits import disks_of, is_pinned, why_cannot, why_unwanted
from nuvik.core.planning.placement.solver import IntegerProgram, Terms
from nuvik.core.planning.placement.spaces import GB, PRICE_STEPS, ROOMY_TIMES, Space, spaces_of
from nuvik.core.planning.placement.waiting import waiting_s_per_week

_ASKED_TIMES = 1_000.0
"""Headroom that was asked for in so many words is so many times as dear as the last of any: nothing is saved on it."""


@dataclass(slots=True)
class MovableLibrary:
    """A library that can stand on several drives."""

    library: Library
    source: Drive
    variables: list[tuple[Drive, int]]

    def on(self, drive_id: str) -> int | None:
        """The variable that says it stands there; None where it cannot."""
        return next((variable for drive, variable in self.variables if drive.id == drive_id), None)


class Placement:
    """The program, and what its variables stand for."""

    def __init__(self, snapshot: Snapshot, wishes: Wishes, relaxed: bool = False) -> None:
        self.program = IntegerProgram()
        self.offset_s = 0.0
        """The part of the cost that nothing can change."""
        self.unmet: list[tuple[Demand, int]] = []
        """Strict: demands that are not met now, and the variable that is 1 when they are still not."""
        self.collections: list[list[Library]] = [] if relaxed else list(collections_of(snapshot).values())
        self.bound_together: set[str] = set()
        """Strict: the libraries that a demand on two of them keeps where they are to each other."""
        self.room_rows: dict[str, list[int]] = {}
        """Strict: the rows in which what moves takes room of a space, by its id."""
        self.shortages: list[tuple[Space, Terms]] = []
        """Strict: what is missing of the headroom of each space, in GB."""
        self.wishes: dict[str, int] = {}
        """Relaxed: each wish in words, and the variable that gives it up."""
        self.spaces = spaces_of(snapshot.drives, wishes)
        self._snapshot, self.given, self._relaxed = snapshot, wishes, relaxed
        self._drives = {drive.id: drive for drive in snapshot.drives}
        self._labels = {drive.id: shown(drive.label) for drive in snapshot.drives}
        self._libraries = {library.id: library for library in snapshot.libraries}
        self.choices: dict[str, MovableLibrary] = {}
        self.moving: Terms = []
        """The moves, each with the seconds that it takes."""
        self.counted: Terms = []
        """The moves, each counting one."""
        for library in sorted(snapshot.libraries, key=lambda library: library.id):
            self._add_library(library)
        if relaxed:
            self._add_pins_and_welcomes()
        for space in self.spaces:
            self._add_space(space)
        self._add_demands()
        self._add_pieces()
        if not relaxed:
            self._add_collections()
        self._add_limits()
        if not relaxed and wishes.style is Style.FASTEST and not any(space.short_bytes for space in self.spaces):
            self._never_slower()

    @property
    def has_ties(self) -> bool:
        """Whether something beside the places of libraries comes whole or not at all: a part that parts from its body,
        or a demand that is not met.
        """
        return sum(self.program.binary) > sum(len(choice.variables) for choice in self.choices.values())

    def places(self, values: Sequence[float]) -> dict[str, str]:
        """By its id, the drive of each library that moves, by the values of the variables."""
        places = {}
        for choice in self.choices.values():
            chosen = max(choice.variables, key=lambda pair: values[pair[1]])[0]
            if chosen.id != choice.library.drive:
                places[choice.library.id] = chosen.id
        return places

    # -- rows ----------------------------------------------------------------------------------------------

    def _wish(self, words: str, terms: Terms, upper: float, gives: float = 1.0) -> None:
        """A row of the user's that holds, or, relaxed, may be given up: then it may be exceeded by `gives`."""
        if self._relaxed:
            terms = [*terms, (self._given_up(words), -gives)]
        self.program.row(terms, upper=upper)

    def _given_up(self, words: str) -> int:
        """The variable that gives up the wish of these words: one wish may be several rows."""
        if words not in self.wishes:
            self.wishes[words] = self.program.variable(0.0)
        return self.wishes[words]

    def _able(self, library: Library, source: Drive) -> list[Drive]:
        if not source.attached:
            return [source]
        able = []
        for drive in self._drives.values():
            free = drive.id == source.id or why_cannot(library, drive, source) is None
            if free and (self._relaxed or drive.id == source.id or not why_unwanted(library, drive, self.given)):
                able.append(drive)
        goal = self.given.placed.get(library.id)
        if goal is not None and not self._relaxed:
            return [drive for drive in able if drive.id == goal] or [source]
        return able

    def _add_library(self, library: Library) -> None:
        source = self._drives[library.drive]
        able = self._able(library, source)
        costs = {drive.id: placement_cost_s(library, drive, source, self.given) for drive in able}
        # Costs are counted from the cheapest up, so that the solver's tolerances apply to what can be decided.
        least = min(costs.values())
        self.offset_s += least
        if len(able) < 2 and able[0] is source:
            return
        variables = [(drive, self.program.variable(costs[drive.id] - least)) for drive in able]
        self.program.row([(variable, 1.0) for _, variable in variables], lower=1.0, upper=1.0)
        self.choices[library.id] = MovableLibrary(library, source, variables)
        for drive, variable in variables:
            if drive is not source:
                self.moving.append((variable, moving_s(library, source, drive)))
                if library.piece is None or library.piece.body:
                    self.counted.append((variable, 1.0))

    def _add_pins_and_welcomes(self) -> None:
        for choice in self.choices.values():
            library, source = choice.library, choice.source
            name, here = shown(library.name), self._labels[source.id]
            for drive, variable in choice.variables:
                if drive is source:
                    continue
                reason = why_unwanted(library, drive, self.given)
                goal = self.given.placed.get(library.id)
                if is_pinned(library, self.given):
                    self._wish(f"{name} stays on {here}, where it is pinned", [(variable, 1.0)], 0.0)
                elif reason is not None and (goal is None or goal == drive.id):
                    words = reason if "is for" in reason else f"{name} does not go to {self._labels[drive.id]}"
                    self._wish(words, [(variable, 1.0)], 0.0)
            goal = self.given.placed.get(library.id)
            if goal is not None and (variable_there := choice.on(goal)) is not None:
                self._wish(f"{name} goes to {self._labels[goal]}", [(variable_there, -1.0)], -1.0)

    def change(self, ids: set[str]) -> Terms:
        """What arrives on these drives less what leaves them, in GB."""
        terms = []
        for choice in self.choices.values():
            inside = choice.library.drive in ids
            for drive, variable in choice.variables:
                if drive.id in ids and not inside:
                    terms.append((variable, choice.library.room_on(drive) / GB))
                elif drive.id not in ids and inside:
                    terms.append((variable, -choice.library.on_disk_bytes / GB))
        return terms

    def _add_space(self, space: Space) -> None:
        """What is there fits over the headroom; strict, what is missing of that has a price that grows."""
        terms = self.change({drive.id for drive in space.drives})
        spare = (space.free_bytes - space.headroom_bytes) / GB
        if self._relaxed:
            self._wish(space.keeps_words, terms, spare, space.headroom_bytes / GB + 1e-6)
            return
        steps = self._missing(space)
        rows = [self.program.row([*terms, *((step, -1.0) for step in steps)], upper=spare)]
        # What the user has put somewhere may bring a drive under its headroom; a proposal of its own accord does not.
        by_hand = bool(self.given.placed)
        if not by_hand and steps:
            self.program.row([(step, 1.0) for step in steps], upper=space.short_bytes / GB)
        rows.append(self.program.row(terms, upper=(space.free_bytes - (0 if by_hand else space.least_bytes)) / GB))
        if self.given.on_trial:
            arriving = [(variable, weight) for variable, weight in terms if weight > 0]
            rows.append(self.program.row(arriving, upper=(space.free_bytes - space.floor_bytes) / GB))
        self.shortages.append((space, [(step, 1.0) for step in steps]))
        fast_room_s = self.given.weighed.fast_room_s
        if fast_room_s and any(drive.tier is Tier.RAPID for drive in space.drives):
            used = self.program.variable(fast_room_s, binary=False)
            roomy = (space.free_bytes - ROOMY_TIMES * space.headroom_bytes) / GB
            rows.append(self.program.row([*terms, (used, -1.0)], upper=roomy))
        self.room_rows[space.id] = rows

    def _missing(self, space: Space) -> list[int]:
        """Variables for what is missing of a headroom, in GB, each step dearer than the one before."""
        return [self.program.variable(a_gb, binary=False, upper=width) for width, a_gb in self.price_of_missing(space)]

    def price_of_missing(self, space: Space) -> list[tuple[float, float]]:
        """What headroom that is missing costs, step by step: how many GB a step is wide, and the seconds for each."""
        headroom_gb = space.headroom_bytes / GB
        if not headroom_gb:
            return []
        whole_s = self.given.weighed.headroom_s
        if space.asked:
            dearest = max(times for _, times in PRICE_STEPS)
            return [(headroom_gb, _ASKED_TIMES * dearest * whole_s / headroom_gb)]
        shares = (0.0, *(share for share, _ in PRICE_STEPS))
        return [
            ((share - below) * headroom_gb, whole_s * times / headroom_gb)
            for (share, times), below in zip(PRICE_STEPS, shares, strict=False)
        ]

    def _add_demands(self) -> None:
        for demand in demands_of(self._snapshot, disks_of(self._snapshot.drives)):
            rows = list(self._rows_of(demand))
            met = demand.met(self._standing)
            if met and len(demand.libraries) > 1:
                self.bound_together |= set(demand.libraries)
            if self._relaxed:
                for terms, upper in rows:
                    self._wish(demand.words, terms, upper)
            elif met:
                for terms, upper in rows:
                    self.program.row(terms, upper=upper)
            else:
                unmet = self.program.variable(self.given.weighed.unmet_s)
                self.unmet.append((demand, unmet))
                for terms, upper in rows:
                    self.program.row([*terms, (unmet, -1.0)], upper=upper)

    def _standing(self, library_id: str) -> str:
        return self._libraries[library_id].drive

    def _on(self, library_id: str, ids: frozenset[str]) -> tuple[Terms, float]:
        """That a library stands on one of these drives: a sum of variables, or what is certain."""
        choice = self.choices.get(library_id)
        if choice is None:
            return [], float(self._standing(library_id) in ids)
        return [(variable, 1.0) for drive, variable in choice.variables if drive.id in ids], 0.0

    def _rows_of(self, demand: Demand) -> list[tuple[Terms, float]]:
        """Rows, with their upper bounds, that hold when a demand is met; one more than that when it is not."""
        if isinstance(demand, OnOneOf):
            others = frozenset(self._drives) - demand.drives
            terms, certain = self._on(demand.library, others)
            return [(terms, 0.0 - certain)]
        first, other = demand.libraries
        rows = []
        if isinstance(demand, Apart):
            for disk in demand.disks:
                (terms, certain), (more, surely) = self._on(first, disk), self._on(other, disk)
                rows.append(([*terms, *more], 1.0 - certain - surely))
            return rows
        for drive in self._drives:
            (terms, certain), (more, surely) = self._on(first, frozenset([drive])), self._on(other, frozenset([drive]))
            rows.append(([*terms, *((variable, -1.0) for variable, _ in more)], surely - certain))
        return rows

    def _add_pieces(self) -> None:
        """A part goes where its body goes, or elsewhere at a price; it does not stay behind when the body goes."""
        disks = disks_of(self._snapshot.drives)
        bodies = {
            library.id: library
            for library in self._snapshot.libraries
            if library.piece is not None and library.piece.body
        }
        for part in self._snapshot.libraries:
            if part.piece is None or part.piece.body:
                continue
            body, choice = bodies[part.piece.whole], self.choices.get(part.id)
            if part.kind is Kind.BACKUP and not self._relaxed:
                self._backup_beside(part, body, disks)
            if choice is None:  # it cannot go anywhere, and neither can the body
                terms, _ = self._on(body.id, frozenset(self._drives) - {part.drive})
                self.program.row(terms, upper=0.0)
                continue
            apart = self.program.variable(apart_cost_s(self.given))
            self.counted.append((apart, 1.0))
            for drive, variable in choice.variables:
                with_body, certain = self._on(body.id, frozenset([drive.id]))
                less = [(piece, -1.0) for piece, _ in with_body]
                self.program.row([(variable, 1.0), *less, (apart, -1.0)], upper=certain)
                if drive is choice.source:
                    self.program.row([(variable, 1.0), *less], upper=certain)
                elif not drive.rules.symlinks:  # what is left of it there is a link
                    self.program.row([*with_body, (apart, 1.0)], upper=1.0 - certain)

    def _backup_beside(self, backup: Library, body: Library, disks: Sequence[frozenset[str]]) -> None:
        beside = self.program.variable(self.given.weighed.backup_beside_s, binary=False)
        for disk in disks:
            (terms, certain), (more, surely) = self._on(backup.id, disk), self._on(body.id, disk)
            self.program.row([*terms, *more, (beside, -1.0)], upper=1.0 - certain - surely)

    def _add_collections(self) -> None:
        """Each drive on which a collection lies, beyond the first, has its price."""
        price = self.given.weighed.scattered_s
        for members in self.collections:
            if not any(member.id in self.choices for member in members):
                self.offset_s += price * (len({member.drive for member in members}) - 1)
                continue
            self.offset_s -= price
            for drive in self._drives:
                lies = self.program.variable(price, binary=False)
                for member in members:
                    terms, certain = self._on(member.id, frozenset([drive]))
                    if terms or certain:
                        self.program.row([*terms, (lies, -1.0)], upper=-certain)

    def _never_slower(self) -> None:
        """All the waiting together becomes no longer, whatever else would be better for it."""
        if not self.unmet:
            waits = [
                (variable, waiting_s_per_week(choice.library, drive))
                for choice in self.choices.values()
                for drive, variable in choice.variables
            ]
            now = sum(waiting_s_per_week(choice.library, choice.source) for choice in self.choices.values())
            self.program.row(waits, upper=now)

    def _add_limits(self) -> None:
        moves, seconds = self.given.most_moves, self.given.most_moving_s
        if moves is not None:
            self._wish(f"at most {format_count(moves, 'move')}", self.counted, moves, len(self.counted))
        if seconds is not None:
            total = sum(weight for _, weight in self.moving)
            self._wish(f"moving takes {format_duration(seconds)} at most", self.moving, seconds, total)
