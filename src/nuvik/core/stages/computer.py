"""What all stages stand on: one computer (real or a world), and the database that belongs to it."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass

from nuvik.core.hosts.base import Host, drive_holding, fastest_first
from nuvik.core.model.drive import Drive, find_drive, labels_apart, of_one_name
from nuvik.core.model.errors import NotNamed
from nuvik.core.model.names import shown
from nuvik.core.model.paths import normalised
from nuvik.core.store.database import Database
from nuvik.core.store.drive_book import DriveBook


@dataclass(frozen=True, slots=True)
class Computer:
    """A host, the database, and the book of its drives."""

    host: Host
    database: Database
    book: DriveBook

    @property
    def state_folder(self) -> str:
        return self.database.folder

    def drives(self) -> tuple[Drive, ...]:
        """The drives as they are now, with what the book knows of them, and those that are away; fastest first."""
        return self.known_of(self.host.drives())

    def known_of(self, seen: Iterable[Drive]) -> tuple[Drive, ...]:
        """Drives as the host has just listed them, with all that the book knows; those that are away come last."""
        return labels_apart(fastest_first(self.book.apply(seen)))

    def is_taken(self, path: str) -> bool:
        """Whether something other than a link lies at a path."""
        files = self.host.files
        return files.exists(path) and not files.is_link(path)

    def _known(self) -> tuple[Drive, ...]:
        return fastest_first(self.book.apply(self.host.drives()))

    def drive(self, wanted: str) -> Drive:
        """The drive of this id, label or path. Raises Refused, also for a label that several carry."""
        drives = self._known()
        drive = self._named(drives, wanted)
        if drive is None:
            known = ", ".join(shown(drive.id) for drive in drives)
            raise NotNamed(f"There is no drive “{shown(wanted)}”.", next_step=f"Known drives: {known}.")
        return drive

    def _named(self, drives: tuple[Drive, ...], wanted: str) -> Drive | None:
        alike = [drive for drive in of_one_name(drives, wanted) if drive.attached]
        if len(alike) > 1:
            where = " or ".join(shown(drive.path) for drive in alike)
            raise NotNamed(
                f"{len(alike)} drives are called “{shown(wanted)}”.",
                next_step=f"Name it by its path, {where}; or give one another name with “nuvik drive … --name”.",
            )
        apart = labels_apart(drives)
        known = next((drive for drive in drives if drive.id == wanted), None) or next(iter(alike), None)
        drive = known or find_drive(drives, wanted) or find_drive(apart, wanted)
        return drive and next(other for other in apart if other.id == drive.id)

    def place(self, goal: str) -> tuple[Drive, str | None]:
        """A drive, or a folder and its drive. A drive's name wins over a folder of that name. Raises Refused."""
        drives = self._known()
        if (drive := self._named(drives, goal)) is not None:
            return drive, None
        if os.sep not in goal and not os.path.isdir(goal):
            return self.drive(goal), None
        folder = os.path.realpath(normalised(goal))
        holding = drive_holding(drives, folder)
        if holding is None:
            raise NotNamed(
                f"{shown(folder)} is on none of the drives of {shown(self.host.name)}.",
                next_step="“nuvik drives” lists them.",
            )
        return holding, folder
