"""A workspace: one computer, its database, and the six stages of the work on them. Screens and commands hold one."""

from __future__ import annotations

import os
from dataclasses import dataclass

from nuvik.core.hosts.base import Host
from nuvik.core.model.paths import normalised
from nuvik.core.stages.carry import CarryStage
from nuvik.core.stages.computer import Computer
from nuvik.core.stages.drives import DrivesStage
from nuvik.core.stages.logbook import LogbookStage
from nuvik.core.stages.plan import PlanStage
from nuvik.core.stages.rehearse import RehearseStage
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.store.database import Database
from nuvik.core.store.drive_book import DriveBook


@dataclass(frozen=True, slots=True)
class Workspace:
    """The stages, in the order of the work."""

    computer: Computer
    survey: SurveyStage
    drives: DrivesStage
    plan: PlanStage
    rehearse: RehearseStage
    carry: CarryStage
    logbook: LogbookStage

    @classmethod
    def on(cls, host: Host, database: Database) -> Workspace:
        """A workspace on a host and a database that are open."""
        computer = Computer(host, database, DriveBook(database))
        survey, carry = SurveyStage(computer), CarryStage(computer)
        drives = DrivesStage(computer, survey)
        rehearse = RehearseStage(computer, survey, drives, carry)
        return cls(computer, survey, drives, PlanStage(computer, survey), rehearse, carry, LogbookStage(carry))

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
    workspace = Workspace.on(host, Database(folder))
    workspace.drives.note_sightings()
    workspace.drives.remove_leftover_tests()
    return workspace
