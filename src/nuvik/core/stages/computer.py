"""What all stages stand on: one computer (real or a world), and the database that belongs to it."""

from __future__ import annotations

import os
from dataclasses import dataclass

from nuvik.core.hosts.base import Host, drive_holding, fastest_first
from nuvik.core.model.drive import Drive, find_drive
from nuvik.core.model.errors import Refused
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
        return fastest_first(self.book.apply(self.host.drives()))

    def drive(self, wanted: str) -> Drive:
        """The drive of this id, label or path. Raises Refused."""
        drives = self.drives()
        drive = find_drive(drives, wanted)
        if drive is None:
            known = ", ".join(shown(drive.id) for drive in drives)
            raise Refused(f"There is no drive “{shown(wanted)}”.", next_step=f"Known drives: {known}.")
        return drive

    def place(self, goal: str) -> tuple[Drive, str | None]:
        """A drive, or a folder and its drive. A drive's name wins over a folder of that name. Raises Refused."""
        drives = self.drives()
        if (drive := find_drive(drives, goal)) is not None:
            return drive, None
        if os.sep not in goal and not os.path.isdir(goal):
            return self.drive(goal), None
        folder = os.path.realpath(normalised(goal))
        holding = drive_holding(drives, folder)
        if holding is None:
            raise Refused(
                f"{shown(folder)} is on none of the drives of {shown(self.host.name)}.",
                next_step="“nuvik drives” lists them.",
            )
        return holding, folder
