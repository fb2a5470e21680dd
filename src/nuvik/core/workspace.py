"""A workspace: one computer (real or a world), the database that belongs to it, and the stages' calls on both.

Screens and commands hold one of these and nothing else of the core's machinery.
"""

from __future__ import annotations

import os
from dataclasses import dataclass, replace

from nuvik.core.carrying.work import Work
from nuvik.core.hosts.base import Host, drive_holding
from nuvik.core.model.drive import Drive, find_drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.journal import Move
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within, normalised
from nuvik.core.model.plan import Plan
from nuvik.core.model.progress import Report, Stop, silent
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timeline import Timeline
from nuvik.core.planning.draft import Draft
from nuvik.core.rehearsal.rehearse import rehearse
from nuvik.core.store.database import Database
from nuvik.core.store.journal import Journal
from nuvik.core.store.snapshots import keep_snapshot, latest_snapshot
from nuvik.core.survey.take import Watching, survey, survey_one


def open_workspace(world: str | None = None, state: str | None = None, waits: bool = True) -> Workspace:
    """Open this computer, or a world. `state` overrides where the database lies; with `waits=False` a world's time
    never takes real time. Raises Refused when the world or the state folder cannot be used.
    """
    host: Host
    if world is not None:
        from nuvik.core.hosts.world import WorldHost

        host = WorldHost(world, waits)
    else:
        from nuvik.core.hosts.local import LocalHost

        host = LocalHost()
    folder = normalised(state or os.environ.get("NUVIK_STATE") or host.default_state_folder())
    return Workspace(host, Database(folder))


@dataclass(frozen=True, slots=True)
class Workspace:
    """Host and database together."""

    host: Host
    database: Database

    @property
    def journal(self) -> Journal:
        return Journal(self.database)

    def work(self, report: Report = silent, stop: Stop | None = None) -> Work:
        """What carrying needs."""
        return Work(self.host, self.journal, self.database.folder, report, stop or Stop())

    # -- survey --------------------------------------------------------------------------------------------

    def survey(
        self, paths: tuple[str, ...] = (), report: Watching = lambda name, done, total: None, stop: Stop | None = None
    ) -> Snapshot:
        """Survey and keep the snapshot. Raises Refused."""
        snapshot = survey(self.host, paths, report, stop)
        keep_snapshot(self.database, snapshot)
        return snapshot

    def snapshot(self) -> Snapshot:
        """The latest snapshot with the drives as they are now; with no library before the first survey."""
        drives = self.host.drives()
        kept = latest_snapshot(self.database)
        if kept is None:
            return Snapshot(taken_at="", host=self.host.name, drives=drives, libraries=())
        return replace(kept, drives=drives)

    def drive_or_refuse(self, wanted: str) -> Drive:
        """The drive of this id, label or path. Raises Refused."""
        drives = self.host.drives()
        drive = find_drive(drives, wanted)
        if drive is None:
            known = ", ".join(shown(one.id) for one in drives)
            raise Refused(f"There is no drive “{shown(wanted)}”.", next_step=f"Known are: {known}.")
        return drive

    # -- plan and rehearse ---------------------------------------------------------------------------------

    def draft(self, moves: list[tuple[str, str]], headroom_bytes: dict[str, int] | None = None) -> Draft:
        """A draft of moves given as (library path, drive or folder), each library measured now. Raises Refused."""
        libraries = [survey_one(self.host, path) for path, _ in moves]
        base = self.snapshot()
        measured = {library.path: library for library in libraries}
        # What the last survey knew of kind and use stays; the sizes are those of now.
        known = {library.path: library for library in base.libraries}
        merged = [_merged(library, known.get(library.path)) for library in measured.values()]
        others = [one for one in base.libraries if one.path not in measured]
        draft = Draft(replace(base, libraries=(*others, *merged))).with_headroom(headroom_bytes or {})
        for library, (_, goal) in zip(libraries, moves, strict=True):
            drive, target = self._goal(library, goal)
            if drive.id == library.drive:
                raise Refused(f"{shown(library.path)} lies on {drive.label} already; moving it there frees nothing.",
                              next_step="Choose another drive.")  # fmt: skip
            draft = draft.set_down(library.id, drive.id, target)
        return draft

    def _goal(self, library: Library, goal: str) -> tuple[Drive, str | None]:
        """A drive, or a folder into which the library goes. A drive's name wins over a folder of that name."""
        drives = self.host.drives()
        if (drive := find_drive(drives, goal)) is not None:
            return drive, None
        if os.sep not in goal and not os.path.isdir(goal):
            return self.drive_or_refuse(goal), None
        folder = os.path.realpath(normalised(goal))
        holding = drive_holding(drives, folder)
        if holding is None:
            raise Refused(f"{shown(folder)} lies on no drive of {shown(self.host.name)}.",
                          next_step="“nuvik drives” lists them.")  # fmt: skip
        if is_within(folder, library.path):
            raise Refused(f"The target {shown(folder)} lies inside {shown(library.path)} itself.",
                          next_step="Choose a place outside it.")  # fmt: skip
        return holding, os.path.join(folder, os.path.basename(library.path))

    def rehearse(self, plan: Plan, on_trial: bool = False, stop: Stop | None = None) -> Timeline:
        """What carrying a plan now would do."""
        return rehearse(self.host, plan, self.database.folder, on_trial, self.snapshot(), stop)

    def labels(self) -> dict[str, str]:
        return {drive.id: drive.label for drive in self.host.drives()}

    # -- logbook -------------------------------------------------------------------------------------------

    def midway(self) -> list[Move]:
        """Moves that a stop left midway."""
        return self.journal.unfinished()


def _merged(now: Library, before: Library | None) -> Library:
    if before is None:
        return now
    return replace(now, name=before.name, kind=before.kind, opens_per_week=before.opens_per_week)
