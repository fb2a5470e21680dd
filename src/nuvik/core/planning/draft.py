"""A draft: where the user has set libraries down so far. Turns into a plan.

A draft is a value: setting a library down gives a new draft, so that going back is keeping the old one.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Kept, Plan, Step
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count, format_duration, format_free
from nuvik.core.planning.waiting import opening_s, waiting_s_per_week


@dataclass(frozen=True)
class Draft:
    """Placements by hand on top of a snapshot."""

    snapshot: Snapshot
    places: dict[str, str] = field(default_factory=dict)
    """The new drive's id by library id, in the order they were set down; only for libraries that move."""
    targets: dict[str, str] = field(default_factory=dict)
    """A chosen target path by library id, where it is not the usual one."""
    headroom_bytes: dict[str, int] = field(default_factory=dict)
    """Headroom asked for, by drive id, where it is not the drive's own."""
    proven_gap: float | None = None
    """How far a proposal is from the best possible; None once anything was set down by hand."""
    said: str = ""
    """What a proposal comes to, in words; empty once anything was set down by hand."""
    reasons: dict[str, str] = field(default_factory=dict)
    """Why libraries move, by their id, where a proposal says so."""
    kept: dict[str, Kept] = field(default_factory=dict)
    """Why libraries stay, by their id, where a proposal says so."""
    unplaced: tuple[str, ...] = ()
    """The names of libraries that a proposal would move and no order of moves allows."""

    # -- editing -------------------------------------------------------------------------------------------

    def set_down(self, library_id: str, drive_id: str, target_path: str | None = None) -> Draft:
        """The draft with one library on another drive; back on its own drive it no longer moves.

        Raises Refused when the library may not move, or the drive cannot take anything.
        """
        library, drive = self._library(library_id), self.drive(drive_id)
        places, targets = dict(self.places), dict(self.targets)
        places.pop(library_id, None)
        targets.pop(library_id, None)
        if drive_id != library.drive:
            if not library.movable:
                raise Refused(f"{shown(library.name)} stays where it is: {library.why_not}.",
                              next_step="Choose another library.")  # fmt: skip
            if not drive.attached:
                raise Refused(f"{drive.label} is away.", next_step="Attach it, or choose another drive.")
            places[library_id] = drive_id
            if target_path is not None:
                targets[library_id] = target_path
        return replace(self, places=places, targets=targets, proven_gap=None, said="", kept={}, unplaced=())

    def set_down_all(self, library_ids: Iterable[str], drive_id: str) -> Draft:
        """The draft with several libraries on one drive. Raises Refused when one of them cannot go there."""
        draft = self
        for library_id in library_ids:
            draft = draft.set_down(library_id, drive_id)
        return draft

    def with_headroom(self, headroom_bytes: dict[str, int]) -> Draft:
        return replace(self, headroom_bytes={**self.headroom_bytes, **headroom_bytes})

    # -- looking -------------------------------------------------------------------------------------------

    def drive(self, drive_id: str) -> Drive:
        try:
            return self._drives[drive_id]
        except KeyError:
            raise Refused(f"There is no drive {shown(drive_id)}.", next_step="“nuvik drives” lists them.") from None

    def _library(self, library_id: str) -> Library:
        library = self._libraries.get(library_id)
        if library is None:
            raise Refused(f"The survey knows no library {shown(library_id)}.", next_step="Survey again.")
        return library

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

    def moving(self) -> list[Library]:
        return [self._libraries[library_id] for library_id in self.places]

    def on_drive_then(self, drive_id: str) -> tuple[Library, ...]:
        """The libraries on a drive once the draft is carried: those that stay, then those that arrive."""
        stay = [one for one in self.snapshot.on_drive(drive_id) if one.id not in self.places]
        arrive = [one for one in self.moving() if self.places[one.id] == drive_id]
        return (*stay, *arrive)

    def free_then_bytes(self, drive_id: str) -> int:
        """Free space of a drive once the draft is carried; below zero when it does not fit."""
        drive = self.drive(drive_id)
        leaving = sum(one.on_disk_bytes for one in self.moving() if one.drive == drive_id)
        arriving = sum(one.bytes for one in self.moving() if self.places[one.id] == drive_id)
        return drive.free_bytes + leaving - arriving

    def too_full(self) -> list[Drive]:
        """The drives that the draft would take under their headroom."""
        arriving = set(self.places.values())
        return [one for one in self.drives if one.id in arriving and self.free_then_bytes(one.id) < one.headroom_bytes]

    def waiting_s_per_week(self) -> tuple[float, float]:
        """Seconds per week spent waiting, now and then, over all libraries of the survey."""
        now = sum(waiting_s_per_week(one, self.drive(one.drive)) for one in self.snapshot.libraries)
        then = sum(waiting_s_per_week(one, self.drive(self.place_of(one))) for one in self.snapshot.libraries)
        return now, then

    @property
    def _used(self) -> set[str]:
        """The drives between which something moves."""
        return {drive for one in self.moving() for drive in (one.drive, self.places[one.id])}

    # -- words ---------------------------------------------------------------------------------------------

    def consequence(self, library: Library, drive_id: str) -> str:
        """One line: what setting this library down on that drive would change."""
        drive = self.drive(drive_id)
        here = self.drive(self.place_of(library))
        if drive.id == here.id:
            return f"{shown(library.name)} stands on {drive.label}."
        if drive.id != library.drive and not library.movable:
            return f"{shown(library.name)} stays: {library.why_not}."
        if not drive.attached:
            return f"{drive.label} is away."
        try:
            then = self.set_down(library.id, drive_id)
        except Refused as refusal:
            return str(refusal)
        free = then.free_then_bytes(drive.id)
        said = (
            f"{shown(library.name)} {here.label} → {drive.label}: {format_bytes(library.bytes)}; "
            f"opens in {format_duration(opening_s(library, drive))} instead of "
            f"{format_duration(opening_s(library, here))}; leaves {format_free(free)} on {drive.label}"
        )
        if free < drive.headroom_bytes:
            said += f", {format_bytes(drive.headroom_bytes - free)} under its headroom"
        return said + "."

    def consequence_of_all(self, library_ids: Sequence[str], drive_id: str) -> str:
        """One line: what setting these libraries down on that drive would change."""
        if len(library_ids) == 1:
            return self.consequence(self._library(library_ids[0]), drive_id)
        drive = self.drive(drive_id)
        try:
            then = self.set_down_all(library_ids, drive_id)
        except Refused as refusal:
            return str(refusal)
        here, there = self.waiting_s_per_week()[1], then.waiting_s_per_week()[1]
        size = sum(self._library(one).bytes for one in library_ids)
        free = then.free_then_bytes(drive_id)
        said = (
            f"{len(library_ids)} libraries → {drive.label}: {format_bytes(size)}; waiting {format_duration(here)} → "
            f"{format_duration(there)} a week; leaves {format_free(free)} on {drive.label}"
        )
        if free < drive.headroom_bytes:
            said += f", {format_bytes(drive.headroom_bytes - free)} under its headroom"
        return said + "."

    def headline(self) -> str:
        """The one sentence with which Plan begins."""
        if self.said:
            return self.said
        if not self.places:
            short = max(self.drives, key=lambda one: one.short_of_headroom_bytes, default=None)
            if short is not None and short.short_of_headroom_bytes:
                return (
                    f"Nothing moves yet. {short.label} needs {format_bytes(short.short_of_headroom_bytes)} "
                    "more free space: lift a library and set it down elsewhere."
                )
            return "Nothing moves yet: lift a library and set it down on another drive."
        if full := self.too_full():
            lacking = full[0].headroom_bytes - self.free_then_bytes(full[0].id)
            return f"This does not fit: {full[0].label} would be {format_bytes(lacking)} under its headroom."
        still_short = [
            one for one in self.drives if one.attached and self.free_then_bytes(one.id) < one.headroom_bytes
        ]  # fmt: skip
        moves = f"{format_count(len(self.places), 'move')}, {format_bytes(sum(one.bytes for one in self.moving()))}."
        if still_short:
            lacking = still_short[0].headroom_bytes - self.free_then_bytes(still_short[0].id)
            return f"{moves} {still_short[0].label} still needs {format_bytes(lacking)} more to keep its headroom."
        return f"{moves} Every drive keeps its headroom: rehearse it."

    def totals(self) -> str:
        """One line that is always true: waiting before → after, moves, bytes, and what becomes free."""
        before, after = self.waiting_s_per_week()
        said = f"waiting {format_duration(before)} → {format_duration(after)} a week"
        guessed = [
            shown(drive.label) for drive in self.drives if drive.id in self._used and drive.speed_source == "typical"
        ]
        if guessed:
            said += f" (a guess: {', '.join(guessed)} never measured)"
        said += f" · {format_count(len(self.places), 'move')}"
        said += f" · {format_bytes(sum(one.bytes for one in self.moving()))}"
        for drive in self.drives:
            then = self.free_then_bytes(drive.id)
            if drive.attached and then != drive.free_bytes:
                said += f" · {drive.label} {format_bytes(drive.free_bytes)} → {format_free(then)}"
        return said

    # -- the plan ------------------------------------------------------------------------------------------

    def to_plan(self) -> Plan:
        """The plan of these moves, in the order they were set down.

        Raises Refused when nothing moves.
        """
        if not self.places:
            raise Refused("Nothing moves in this plan.", next_step="Set a library down on another drive first.")
        before, after = self.waiting_s_per_week()
        steps = tuple(self._step(number, one) for number, one in enumerate(self.moving(), start=1))
        return Plan(
            made_at=now_text(), host=self.snapshot.host, snapshot_taken_at=self.snapshot.taken_at, steps=steps,
            headroom_bytes={drive.id: drive.headroom_bytes for drive in self.drives},
            waiting_before_s_per_week=before, waiting_after_s_per_week=after, proven_gap=self.proven_gap,
            unplaced=self.unplaced, kept=tuple(self.kept.values()),
        )  # fmt: skip

    def _step(self, number: int, library: Library) -> Step:
        here, there = self.drive(library.drive), self.drive(self.places[library.id])
        reason = (
            f"frees {format_bytes(library.bytes)} on {here.label}; opens in "
            f"{format_duration(opening_s(library, there))} instead of {format_duration(opening_s(library, here))}"
        )
        return Step(
            n=number, library=library.name, kind=library.kind, path=library.path, bytes=library.bytes,
            files=library.files, on_disk_bytes=library.on_disk_bytes, from_drive=here.id, to_drive=there.id,
            reason=self.reasons.get(library.id, reason),
            target_path=self.targets.get(library.id) or usual_target(library, there),
        )  # fmt: skip


def usual_target(library: Library, drive: Drive) -> str:
    """Where a library goes on a drive unless the user says otherwise: `<drive>/Games/Comet Courier`."""
    return os.path.join(drive.base_path or drive.path, library.kind.folder, os.path.basename(library.path))
