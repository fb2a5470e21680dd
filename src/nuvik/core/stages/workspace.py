"""A workspace: one computer, its database, and the six stages of the work on them. Screens and commands hold one."""

from __future__ import annotations

import os
from functools import cached_property
from typing import TYPE_CHECKING

from nuvik.core.hosts.base import Host
from nuvik.core.model.errors import DatabaseDamaged
from nuvik.core.model.paths import normalised
from nuvik.core.stages.computer import Computer
from nuvik.core.stages.drives import DrivesStage
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.store.database import Database
from nuvik.core.store.drive_book import DriveBook

if TYPE_CHECKING:
    from nuvik.core.stages.carry import CarryStage
    from nuvik.core.stages.ejecting import EjectStage
    from nuvik.core.stages.emptying import EmptyingStage
    from nuvik.core.stages.guides import GuideStage
    from nuvik.core.stages.landings import LandingStage
    from nuvik.core.stages.logbook import LogbookStage
    from nuvik.core.stages.notes import NoteStage
    from nuvik.core.stages.openings import OpeningStage
    from nuvik.core.stages.plan import PlanStage
    from nuvik.core.stages.rehearse import RehearseStage
    from nuvik.core.stages.tethers import TetherStage
    from nuvik.core.stages.watching import WatchStage


class Workspace:
    """The stages, in the order of the work. The first picture needs the first two, so the others are loaded at their
    first use.
    """

    def __init__(self, host: Host, database: Database) -> None:
        """On a host and a database that are open."""
        self.computer = Computer(host, database, DriveBook(database))
        self.survey = SurveyStage(self.computer)
        self.drives = DrivesStage(self.computer, self.survey)

    @cached_property
    def plan(self) -> PlanStage:
        from nuvik.core.stages.plan import PlanStage

        return PlanStage(self.computer, self.survey)

    @cached_property
    def rehearse(self) -> RehearseStage:
        from nuvik.core.stages.rehearse import RehearseStage

        return RehearseStage(self.computer, self.survey, self.drives, self.carry)

    @cached_property
    def carry(self) -> CarryStage:
        from nuvik.core.stages.carry import CarryStage

        return CarryStage(self.computer)

    @cached_property
    def tethers(self) -> TetherStage:
        from nuvik.core.stages.tethers import TetherStage

        return TetherStage(self.survey, self.plan, self.carry)

    @cached_property
    def landings(self) -> LandingStage:
        from nuvik.core.stages.landings import LandingStage

        return LandingStage(self.computer, self.survey)

    @cached_property
    def emptying(self) -> EmptyingStage:
        from nuvik.core.stages.emptying import EmptyingStage

        return EmptyingStage(self.computer, self.survey)

    @cached_property
    def openings(self) -> OpeningStage:
        from nuvik.core.stages.openings import OpeningStage

        return OpeningStage(self.computer, self.survey)

    @cached_property
    def notes(self) -> NoteStage:
        from nuvik.core.stages.notes import NoteStage

        return NoteStage(self.computer, self.survey)

    @cached_property
    def guides(self) -> GuideStage:
        from nuvik.core.stages.guides import GuideStage

        return GuideStage(self.survey, self.drives, self.landings, self.notes, self.logbook)

    @cached_property
    def ejecting(self) -> EjectStage:
        from nuvik.core.stages.ejecting import EjectStage

        return EjectStage(self.computer)

    @cached_property
    def watching(self) -> WatchStage:
        from nuvik.core.stages.watching import WatchStage

        return WatchStage(self.survey, self.drives, self.logbook, self.openings, self.landings)

    @cached_property
    def logbook(self) -> LogbookStage:
        from nuvik.core.stages.logbook import LogbookStage

        return LogbookStage(self.carry)

    @property
    def damaged_journal(self) -> str | None:
        """Where a damaged database is kept, while nobody has looked yet for what its moves left on the drives."""
        return self.computer.database.kept_aside

    @property
    def why_only_read(self) -> str | None:
        """Why nothing can be remembered, as a sentence; None when all can."""
        return self.computer.database.why_only_read

    @property
    def not_kept(self) -> str:
        """Why something that was looked up could not be remembered, as a sentence; empty when all was."""
        return self.computer.database.not_kept

    @property
    def host_name(self) -> str:
        return self.computer.host.name


def open_workspace(world: str | None = None, state: str | None = None, waits: bool = True) -> Workspace:
    """Open this computer, or a world. `state` overrides where the database is kept; with `waits=False` a world's time
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
    workspace = Workspace(host, Database(folder))
    try:
        workspace.drives.note_sightings()
    except DatabaseDamaged:
        workspace.drives.note_sightings()  # in the new one
    workspace.drives.remove_leftover_tests()
    return workspace
