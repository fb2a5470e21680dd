"""The calls of a quiet watch: how things stand, and what needs a decision."""

from __future__ import annotations

import sys
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from nuvik.core.hosts.desktop import show_notice
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.timers import Timer, daily_timer, install, remove
from nuvik.core.model.clock import moment_of
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.free_history import History
from nuvik.core.model.gauging import slower_than_before
from nuvik.core.model.journal import State
from nuvik.core.model.library import Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.watching import Arrival, Status
from nuvik.core.planning.placement.waiting_history import seen_readings, waiting_history
from nuvik.core.stages.drives import DrivesStage
from nuvik.core.stages.landings import LandingStage
from nuvik.core.stages.logbook import LogbookStage
from nuvik.core.stages.openings import OpeningStage
from nuvik.core.stages.survey import SurveyStage
from nuvik.core.store.snapshots import drive_history, reading_history
from nuvik.core.survey.history.free_histories import free_histories
from nuvik.core.survey.history.growth import Change, Difference, Growth, differences, weeks_left

_SOON_WEEKS = 6.0
"""Assumed: what a drive lacks in so many weeks is worth a word now."""
_NOTABLE_BYTES = 1_000_000_000
"""Assumed: less than this that came to a drive is no news."""
_COMES = (Change.NEW, Change.GREW)


@dataclass(frozen=True, slots=True)
class Past:
    """What earlier surveys say beside the latest."""

    since: str | None
    """When the survey before the latest was taken; None while there are not two."""
    differences: tuple[Difference, ...]
    """What changed since, the largest change first."""
    rates: Mapping[str, Growth | None]
    """How fast each drive fills, by its id."""
    history: History


@dataclass(frozen=True, slots=True)
class WatchStage:
    """What there is to know without asking anything of the drives that takes time."""

    survey: SurveyStage
    drives: DrivesStage
    logbook: LogbookStage
    openings: OpeningStage
    landings: LandingStage

    def status(self) -> Status:
        """How things stand now."""
        snapshot = self.survey.latest()
        drives, moves = snapshot.drives, self.logbook.moves()
        attached = [drive for drive in drives if drive.attached]
        on_trial = tuple(move for move in moves if move.state is State.ON_TRIAL)
        rates = self.survey.growth()
        soonest = {
            drive.id: weeks[0]
            for drive in attached
            if (rate := rates.get(drive.id)) is not None and (weeks := weeks_left(drive, rate)) is not None
        }
        host = self.survey.computer.host
        return Status(
            drives=tuple(drives),
            surveyed_at=snapshot.taken_at,
            unfinished=tuple(self.logbook.midway()),
            on_trial=on_trial,
            held_bytes=sum(move.frees_bytes for move in on_trial),
            weeks_left={id: weeks for id, weeks in soonest.items() if weeks <= _SOON_WEEKS},
            needed_away=_needed_away(snapshot),
            fallbacks=tuple(self.survey.fallbacks(snapshot)),
            changed_drives=tuple(self.drives.changed()),
            arrivals=self._arrivals(drives),
            leftovers=tuple(self.logbook.broken_tethers()),
            restarts=tuple(str(row.kind) for row in self.landings.rows(snapshot) if row.login_due),
            not_paid=tuple(row for row in self.openings.afterwards() if row.did_not_pay),
            slower={
                drive: words
                for drive, results in self.drives.gauge_histories(attached).items()
                if (words := slower_than_before(results)) is not None
            },
            failing={drive.id: words for drive in attached if (words := host.health(drive))},
        )

    def history(self) -> History:
        """Free space at the surveys so far, drive by drive, and the waiting."""
        database, now_s = self.survey.computer.database, time.time()
        drives, moves = self.drives.all(), self.logbook.moves()
        free = free_histories(drives, drive_history(database), moves, self.survey.growth(), now_s)
        by_id = {drive.id: drive for drive in drives}
        waiting = waiting_history(reading_history(database), by_id)
        if waiting and any(move.ended_at and moment_of(move.ended_at).timestamp() >= waiting[-1][0] for move in moves):
            # What was carried since the last survey shows at once.
            waiting += [(now_s, seconds) for _, seconds in waiting_history(seen_readings(self.survey.latest()), by_id)]
        return History(drives=tuple(free), waiting=tuple(waiting))

    def past(self) -> Past:
        """What changed since the survey before, and how all went so far. Reads whole surveys, which takes a while where
        there are thousands of libraries. Raises Refused where the database cannot be read.
        """
        both = self.survey.changes()
        return Past(
            since=both[0].taken_at if both else None,
            differences=tuple(differences(*both)) if both else (),
            rates=self.survey.growth(),
            history=self.history(),
        )

    # -- a timer that looks --------------------------------------------------------------------------------

    def timer(self) -> Timer:
        """A timer that looks once a day how things stand here. Raises Refused in a world."""
        computer = self.survey.computer
        if not isinstance(computer.host, LocalHost):
            raise Refused("A world needs no timer.", next_step="Leave --world out.")
        words = [sys.executable, "-m", "nuvik", "status", "--look", "--notice", "--quiet"]
        words += ["--state", computer.state_folder]
        return daily_timer(words)

    def install_timer(self, timer: Timer) -> list[str]:
        """Write and start it; what the system said where it did not start. Raises Refused."""
        return install(timer)

    def remove_timer(self, timer: Timer) -> list[str]:
        """End and remove it; what the system said where it did not end. Raises Refused."""
        return remove(timer)

    def show_notice(self, words: str) -> None:
        """Show a notice on the desktop."""
        show_notice(words)

    def _arrivals(self, drives: Sequence[Drive]) -> tuple[Arrival, ...]:
        both = self.survey.changes()
        if both is None:
            return ()
        came = [each for each in differences(*both) if each.change in _COMES]
        rows = [
            Arrival(
                drive=drive.id,
                bytes=sum(each.bytes for each in came if each.drive == drive.id),
                names=tuple(each.name for each in came if each.drive == drive.id),
            )
            for drive in drives
        ]
        return tuple(row for row in rows if row.bytes >= _NOTABLE_BYTES)


def _needed_away(snapshot: Snapshot) -> dict[str, tuple[Library, ...]]:
    rows = {
        drive.id: tuple(
            sorted(
                (library for library in snapshot.on_drive(drive.id) if library.opens_per_week > 0),
                key=lambda library: (-library.opens_per_week, library.name),
            )
        )
        for drive in snapshot.drives
        if not drive.attached
    }
    return {id: libraries for id, libraries in rows.items() if libraries}
