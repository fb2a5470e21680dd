"""Emptying what programs can rebuild, instead of moving it."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from nuvik.core.carrying.emptying import Emptying, content_of
from nuvik.core.carrying.lock import carrying_lock
from nuvik.core.model.emptied import Emptied, EmptiedState
from nuvik.core.model.errors import DriveAway, NotNamed, Refused
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.paths import normalised
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.stages.computer import Computer
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.store.emptied import EmptiedFolders


@dataclass(frozen=True, slots=True)
class Emptiable:
    """A library, or a folder in one, whose contents programs can rebuild."""

    library: Library
    name: str
    path: str
    bytes: int
    """What it holds, on the disk."""
    files: int


@dataclass(frozen=True, slots=True)
class EmptyingStage:
    """What can be emptied, what was, and letting that go or return."""

    computer: Computer
    survey: SurveyStage

    def able(self, snapshot: Snapshot | None = None) -> list[Emptiable]:
        """All that programs can rebuild, the largest first."""
        snapshot = snapshot or self.survey.latest()
        attached = {drive.id for drive in snapshot.drives if drive.attached}
        emptied = {each.path for each in self.kept()}
        every = (each for library in snapshot.libraries if library.drive in attached for each in emptiable_of(library))
        return sorted((each for each in every if each.path not in emptied), key=lambda each: (-each.bytes, each.path))

    def find(self, wanted: str) -> Emptiable:
        """What can be emptied by its path or name. Raises Refused."""
        place = normalised(wanted)
        known = [each for each in self.able() if place == each.path or os.path.realpath(place) == each.path]
        known = known or [each for each in self.able() if each.name == wanted]
        if len(known) == 1:
            return known[0]
        if known:
            raise NotNamed(f"{len(known)} folders are called “{shown(wanted)}”.", next_step="Say its path.")
        exists = os.path.lexists(place) or any(library.name == wanted for library in self.survey.latest().libraries)
        raise (Refused if exists else NotNamed)(
            f"“{shown(wanted)}” is nothing that programs can rebuild, as far as is known.",
            next_step="“nuvik empty” lists what is; a card of the kind cache says it of a library.",
        )

    def kept(self) -> list[Emptied]:
        """What is set aside, or was left midway."""
        return [each for each in self._folders.all(self.computer.drives()) if not each.state.finished]

    def set_aside(self, wanted: Emptiable) -> Emptied:
        """Put its contents aside. Raises Refused, when nothing was changed, and Stopped."""
        with self._at_work() as emptying:
            return emptying.set_aside(wanted.library, wanted.name, wanted.path, wanted.bytes, wanted.files)

    def put_back(self, number: int, even_if_filled: bool = False) -> Emptied:
        """Let what a folder held return. Raises Refused and Stopped."""
        with self._at_work() as emptying:
            return emptying.put_back(self._emptied(number), even_if_filled)

    def release(self, number: int | None) -> list[Emptied]:
        """Let go for good what one of them held, or all. Raises Refused and Stopped."""
        with self._at_work() as emptying:
            aside = [each for each in self.kept() if each.state is EmptiedState.ASIDE]
            return [emptying.release(each) for each in ([self._emptied(number)] if number is not None else aside)]

    def content_of(self, emptied: Emptied) -> str:
        """Where what it held is kept."""
        return content_of(emptied)

    @property
    def _folders(self) -> EmptiedFolders:
        return EmptiedFolders(self.computer.database)

    def _emptied(self, number: int) -> Emptied:
        for each in self._folders.all(self.computer.drives()):
            if each.id == number:
                return each
        raise NotNamed(f"Nothing was emptied as number {number}.", next_step="“nuvik empty” lists what was.")

    @contextmanager
    def _at_work(self) -> Iterator[Emptying]:
        """Hold the lock; what a stop left midway goes on first."""
        computer = self.computer
        with carrying_lock(computer.state_folder, "emptying what programs can rebuild"):
            emptying = Emptying(computer.host, computer.drives(), self._folders, computer.state_folder)
            for each in self.kept():
                try:
                    emptying.go_on(each)
                except (DriveAway, Refused):
                    continue  # it goes on once its drive is back; or nothing was changed, or all stays aside
            yield emptying


def emptiable_of(library: Library) -> list[Emptiable]:
    """What of a library programs can rebuild: all of it, or some of its parts."""
    if library.kind is Kind.CACHE:
        return [Emptiable(library, library.name, library.path, library.on_disk_bytes, library.files)]
    return [
        Emptiable(
            library,
            f"{library.name} · {part.name}",
            os.path.join(library.path, part.path),
            part.on_disk_bytes,
            part.files,
        )
        for part in library.parts
        if part.rebuildable or part.kind is Kind.CACHE
    ]
