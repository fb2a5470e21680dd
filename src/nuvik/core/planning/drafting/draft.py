"""A draft: where the user has set libraries down so far, and what that comes to.

A draft is a value: setting a library down gives a new draft, so that going back is keeping the old one.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import cached_property

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NotNamed, Refused
from nuvik.core.model.estimate import Estimate
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Landing
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.drafting.library_parts import merged, split
from nuvik.core.planning.drafting.target_paths import usual_target
from nuvik.core.planning.ordering.arrange import Arranged, Load, arrange, load_of
from nuvik.core.planning.placement.demands import Demand, broken, demands_of
from nuvik.core.planning.placement.limits import disks_of, why_cannot
from nuvik.core.planning.placement.waiting import change_of, waiting_of


@dataclass(frozen=True, slots=True)
class Breach:
    """Something that a draft must not leave as it is, and where it shows."""

    words: str
    drive: str | None = None
    """The id of the drive that goes under its headroom."""
    libraries: tuple[str, ...] = ()
    """The ids of the libraries that stand wrong."""
    by_edit: bool = True
    """False when it is so already as things stand."""


@dataclass(frozen=True)
class Draft:
    """Placements by hand on top of a snapshot."""

    snapshot: Snapshot
    """A library that the user parted is in pieces here (`pieces`)."""
    places: dict[str, str] = field(default_factory=dict)
    """The new drive's id by library id, in the order they were put down; only for libraries that move."""
    targets: dict[str, str] = field(default_factory=dict)
    """A chosen target path by library id, where it is not the usual one."""
    headroom_bytes: dict[str, int] = field(default_factory=dict)
    """Headroom asked for, by drive id, where it is not the drive's own."""
    keep_headroom: bool = False
    """No drive goes below its headroom for the length of a move either."""
    on_trial: bool = False
    """The originals are kept until they are released."""
    staged: dict[str, str] = field(default_factory=dict)
    """Third drives, by library id, by way of which there is known to be an order …"""
    order: tuple[str, ...] = ()
    """… and that order, by the keys of moves and their legs; of no use once a library was put elsewhere."""
    landings: dict[Kind, Landing] = field(default_factory=dict)
    """Where new content goes from then on, for the kinds for which that changes."""
    suspended: dict[str, str] = field(default_factory=dict)
    """The new drive's id by library id, of moves that wait until a drive that they need is attached again."""

    # -- editing -------------------------------------------------------------------------------------------

    def put_down(self, library_id: str, drive_id: str, target_path: str | None = None) -> Draft:
        """The draft with one library on another drive; back on its own drive it no longer moves. Parts that stand with
        a body go where it goes.

        Raises Refused when the library may not move, or the drive cannot take anything.
        """
        library, drive = self.library(library_id), self.drive(drive_id)
        if drive_id != library.drive:
            if not library.movable:
                raise Refused(
                    f"{shown(library.name)} stays where it is: {library.why_not}.", next_step="Choose another library."
                )
            if not drive.attached:
                raise Refused(f"{drive.label} is away.", next_step="Attach it, or choose another drive.")
        body = self.body_of(library)
        if body is not None and drive_id == library.drive and self.place_of(body) != body.drive:
            raise Refused(
                f"{shown(library.name)} cannot stay behind when {shown(body.name)} moves.",
                next_step="Put it elsewhere, or let the library stay.",
            )
        here = self.place_of(library)
        along = [part for part in self.parts_of(library) if self.place_of(part) == here]
        places, targets = dict(self.places), dict(self.targets)
        suspended = {held: place for held, place in self.suspended.items() if held != library_id}
        for moving in (library, *along):
            places.pop(moving.id, None)
            targets.pop(moving.id, None)
            if drive_id != moving.drive:
                places[moving.id] = drive_id
        if target_path is not None and drive_id != library.drive:
            targets[library_id] = target_path
        draft = replace(self, places=places, targets=targets, suspended=suspended)
        for known in ("_libraries", "_drives", "_pieces", "_demands"):  # the same for every draft on this snapshot
            if known in self.__dict__:
                draft.__dict__[known] = self.__dict__[known]
        return draft

    def put_down_all(self, library_ids: Iterable[str], drive_id: str) -> Draft:
        """The draft with several libraries on one drive. Raises Refused when one of them cannot go there."""
        draft = self
        for library_id in library_ids:
            draft = draft.put_down(library_id, drive_id)
        return draft

    def swapped(self, library_ids: Iterable[str], others: Iterable[str]) -> Draft:
        """The draft with libraries of two drives in each other's place: the first go where the first of the others
        stands, and back. Raises Refused as `put_down` does, or when there is nothing to swap with.
        """
        ones, others = list(library_ids), list(others)
        if not ones or not others:
            raise Refused("There is nothing to swap.", next_step="Pick up a library, then choose one on another drive.")
        here, there = (self.place_of(self.library(group[0])) for group in (ones, others))
        if here == there:
            raise Refused("Both are on the same drive.", next_step="Choose a library on another drive.")
        return self.put_down_all(ones, there).put_down_all(others, here)

    def swap_partners(self, library_ids: Iterable[str], drive_id: str) -> list[Library]:
        """What will stand on a drive and may change places with these libraries: those that leave the room that is
        needed first, nearest in size.
        """
        mine = set(library_ids)
        size = sum(self.library(change).bytes for change in mine)
        able = [library for library in self.on_drive_then(drive_id) if library.movable and library.id not in mine]
        return sorted(able, key=lambda drive: (drive.bytes < size, abs(drive.bytes - size)))

    def parted(self, library_id: str) -> Draft:
        """The draft with a library in pieces that can be put down each on its own. Raises Refused when it has none."""
        library = self.library(library_id)
        snapshot = split(self.snapshot, [library_id])
        if len(snapshot.libraries) == len(self.snapshot.libraries):
            raise Refused(
                f"{shown(library.name)} has no part that can be placed on its own.",
                next_step="You can name parts on its card.",
            )
        draft = replace(self, snapshot=snapshot)
        place = self.places.get(library_id)
        return draft if place is None else draft.put_down(library_id, library.drive).put_down(library_id, place)

    def laid_on(self, snapshot: Snapshot) -> Draft:
        """The draft on a newer snapshot, with the moves that are possible now. Those that need a drive which is away
        are suspended, and made again once it is back.
        """
        apart = self.parts_apart()
        draft = replace(self.at_the_beginning(), snapshot=split(snapshot, apart.keys(), apart), landings=self.landings)
        suspended, targets = {}, {}
        for library_id, drive_id in {**self.suspended, **self.places}.items():
            if not draft.knows(library_id) or drive_id not in draft._drives:
                continue  # it went, or was moved meanwhile
            library, target = draft.library(library_id), self.targets.get(library_id)
            if not (draft.drive(library.drive).attached and draft.drive(drive_id).attached):
                suspended[library_id] = drive_id
                if target is not None:
                    targets[library_id] = target
                continue
            with suppress(Refused):
                draft = draft.put_down(library_id, drive_id, target)
        return replace(draft, suspended=suspended, targets={**draft.targets, **targets})

    def at_the_beginning(self) -> Draft:
        """The draft with nothing moved."""
        return Draft(
            self.snapshot, headroom_bytes=self.headroom_bytes, keep_headroom=self.keep_headroom, on_trial=self.on_trial
        )

    def with_headroom(self, headroom_bytes: dict[str, int]) -> Draft:
        return replace(self, headroom_bytes={**self.headroom_bytes, **headroom_bytes})

    def with_landing(self, landing: Landing) -> Draft:
        """The draft with new content of one kind going to a folder."""
        return replace(self, landings={**self.landings, landing.kind: landing})

    def without_landing(self, kind: Kind) -> Draft:
        """The draft with new content of one kind going where it goes so far."""
        return replace(self, landings={known: other for known, other in self.landings.items() if known is not kind})

    # -- looking -------------------------------------------------------------------------------------------

    def drive(self, drive_id: str) -> Drive:
        try:
            return self._drives[drive_id]
        except KeyError:
            raise NotNamed(f"There is no drive {shown(drive_id)}.", next_step="“nuvik drives” lists them.") from None

    def library(self, library_id: str) -> Library:
        library = self._libraries.get(library_id)
        if library is None:
            raise NotNamed(f"The survey does not know a library {shown(library_id)}.", next_step="Survey again.")
        return library

    def knows(self, library_id: str) -> bool:
        return library_id in self._libraries

    @cached_property
    def _libraries(self) -> dict[str, Library]:
        return {library.id: library for library in self.snapshot.libraries}

    @cached_property
    def _drives(self) -> dict[str, Drive]:
        return {
            drive.id: replace(drive, headroom_bytes=self.headroom_bytes.get(drive.id, drive.headroom_bytes))
            for drive in self.snapshot.drives
        }

    @property
    def drives(self) -> tuple[Drive, ...]:
        return tuple(self._drives.values())

    def place_of(self, library: Library) -> str:
        """The drive on which a library will stand."""
        return self.places.get(library.id, library.drive)

    def body_of(self, library: Library) -> Library | None:
        """The body of a part; None for anything else."""
        piece = library.piece
        return None if piece is None or piece.body else self._libraries.get(piece.whole)

    def parts_of(self, library: Library) -> list[Library]:
        """The parts of a body; none of anything else."""
        if library.piece is None or not library.piece.body:
            return []
        return [
            piece for piece in self._pieces if piece.piece and piece.piece.whole == library.id and not piece.piece.body
        ]

    @cached_property
    def _pieces(self) -> list[Library]:
        return [library for library in self.snapshot.libraries if library.piece is not None]

    def parts_apart(self) -> dict[str, list[str]]:
        """By the id of each library in pieces, the paths in it of the parts that are parted from it."""
        apart: dict[str, list[str]] = {}
        for piece in self._pieces:
            body = self.body_of(piece)
            if body is not None:
                apart.setdefault(body.id, []).append(os.path.relpath(piece.path, body.path))
        return apart

    def moving(self) -> list[Library]:
        return [self._libraries[library_id] for library_id in self.places]

    @cached_property
    def loads(self) -> tuple[Load, ...]:
        """What is carried at once, in the order it was put down: parts that go along are in their body's load."""
        loads = []
        for library in self.moving():
            target = self.drive(self.places[library.id])
            body = self.body_of(library)
            if body is not None and self.place_of(body) == target.id:
                continue
            parts = self.parts_of(library)
            along = [part for part in parts if self.place_of(part) == target.id]
            away = [part.id for part in parts if self.place_of(part) != target.id]
            load = merged(library, along) if along else library
            if along and not away:
                load = replace(load, piece=None)  # whole again
            loads.append(load_of(load, self.drive(library.drive), target, away))
        return tuple(loads)

    def on_drive_then(self, drive_id: str) -> tuple[Library, ...]:
        """The libraries on a drive once the draft is carried: those that stay, then those that arrive."""
        stay = [library for library in self.snapshot.on_drive(drive_id) if library.id not in self.places]
        arrive = [library for library in self.moving() if self.places[library.id] == drive_id]
        return (*stay, *arrive)

    def free_then_bytes(self, drive_id: str) -> int:
        """Free space of a drive once the draft is carried; below zero when it does not fit."""
        self.drive(drive_id)
        return self._free_then[drive_id]

    @cached_property
    def _free_then(self) -> dict[str, int]:
        free = {drive.id: drive.free_bytes for drive in self.drives}
        for load in self.loads:
            for drive in self.drives:
                if drive.shares_space_with(load.source):
                    free[drive.id] += load.library.on_disk_bytes
                if drive.shares_space_with(load.target):
                    free[drive.id] -= load.library.room_on(load.target)
        return free

    def still_short(self) -> list[Drive]:
        """The attached drives that will not keep their headroom, whatever the reason."""
        return [
            drive for drive in self.drives if drive.attached and self.free_then_bytes(drive.id) < drive.headroom_bytes
        ]

    @cached_property
    def breaches(self) -> tuple[Breach, ...]:
        """What is wrong: drives under their headroom, demands that are not met, places that cannot be."""
        breaches = []
        for drive in self.still_short():
            lacking = format_bytes(drive.headroom_bytes - self.free_then_bytes(drive.id))
            pressed = self.free_then_bytes(drive.id) < drive.free_bytes
            breaches.append(
                Breach(f"{shown(drive.label)} is {lacking} short of its headroom", drive.id, by_edit=pressed)
            )
        for library in self.moving():
            goal, source = self.drive(self.places[library.id]), self.drive(library.drive)
            if (why := why_cannot(library, goal, source)) is not None:
                breaches.append(Breach(f"{shown(library.name)} cannot go there: {why}", None, (library.id,)))
        newly = self.newly_unmet
        for demand in broken(list(self._demands), lambda library_id: self.place_of(self._libraries[library_id])):
            breaches.append(Breach(f"not met: {demand.words}", None, demand.libraries, demand in newly))
        return tuple(breaches)

    @property
    def newly_unmet(self) -> tuple[Demand, ...]:
        """The demands that are met now, and are not once all has moved."""
        met = [demand for demand in self._demands if demand.met(lambda library_id: self._libraries[library_id].drive)]
        return tuple(broken(met, lambda library_id: self.place_of(self._libraries[library_id])))

    @cached_property
    def _demands(self) -> tuple[Demand, ...]:
        return tuple(demands_of(self.snapshot, disks_of(self.snapshot.drives)))

    def _placed(self, then: bool) -> Iterator[tuple[Library, Drive]]:
        for library in self.snapshot.libraries:
            yield library, self._drives[self.place_of(library) if then else library.drive]

    @cached_property
    def waiting(self) -> tuple[Estimate, Estimate]:
        """Seconds per week spent waiting, now and then, over all libraries of the survey."""
        return waiting_of(self._placed(False)), waiting_of(self._placed(True))

    @cached_property
    def saved(self) -> Estimate:
        """Seconds of waiting saved a week; below zero when it becomes more."""
        return change_of(self._placed(False), self._placed(True))

    # -- the order of moves --------------------------------------------------------------------------------

    @cached_property
    def arranged(self) -> Arranged:
        """The moves in an order that works: in the one they were put down, if that does."""
        return arrange(self.loads, self.drives, self._floors, staged=self.staged, order=self.order)

    @cached_property
    def arranged_quickly(self) -> Arranged:
        """The same for the answer to a key: where it gives up, `arranged` may still find an order."""
        return arrange(self.loads, self.drives, self._floors, quickly=True, staged=self.staged, order=self.order)

    @property
    def _floors(self) -> Wishes:
        wanted = {drive.id: drive.headroom_bytes for drive in self.drives}
        return Wishes(headroom_bytes=wanted, keep_headroom=self.keep_headroom)

    def target_of(self, library: Library) -> str:
        """Where a library that moves is going to lie, unless something lies there already."""
        load = next((load for load in self.loads if load.library.id == library.id), None)
        if load is None:
            return library.path
        return self.targets.get(library.id) or usual_target(library, load.target, load.source)
