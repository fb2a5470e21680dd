"""The stage Logbook: what was done, did it work, and can it be taken back?"""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from nuvik.core.carrying.mending.find_leftovers import find_broken_tethers, find_leftovers
from nuvik.core.carrying.mending.mend import Mended, mend
from nuvik.core.carrying.outcome import Outcome
from nuvik.core.carrying.run import moves_of_last_plan, outlook_of_undo, release, standing_moves, undo, undo_plan
from nuvik.core.carrying.undo import Way
from nuvik.core.model.errors import NotNamed
from nuvik.core.model.journal import Move
from nuvik.core.model.leftover import Leftover
from nuvik.core.model.names import shown
from nuvik.core.model.paths import normalised
from nuvik.core.model.plan import Plan
from nuvik.core.model.progress import Report, Stop, silent
from nuvik.core.stages.carry import CarryStage


@dataclass(frozen=True, slots=True)
class LogbookStage:
    """The calls of this stage. A move is named by its number; `report` and `stop` are as in Carry."""

    carry: CarryStage

    def moves(self) -> list[Move]:
        """Every move, oldest first."""
        return self.carry.work().journal.moves()

    def open_moves(self) -> list[Move]:
        """Those that still ask for something: not ended yet, or on trial; oldest first."""
        return self.carry.work().journal.open_moves()

    def move(self, number: int) -> Move:
        """The move of this number. Raises Refused."""
        return self.carry.work().journal.move(number)

    def midway(self) -> list[Move]:
        """Moves that a stop left midway."""
        return self.carry.work().journal.unfinished()

    def outlook(self, wanted: str) -> tuple[Move, Way]:
        """The move meant, a number or `last`, and how it would be taken back; changes nothing. Raises Refused."""
        return outlook_of_undo(self.carry.work(), wanted)

    def undo(self, wanted: str, report: Report = silent, stop: Stop | None = None) -> Outcome:
        """Take a move back, a number or `last`. Raises Refused and Stopped."""
        return undo(self.carry.work(report, stop), wanted)

    def release(
        self,
        wanted: str,
        even_if_changed: bool = False,
        report: Report = silent,
        stop: Stop | None = None,
        even_if_unread: bool = False,
        older_than_days: float = 0.0,
    ) -> Outcome:
        """Let the kept originals of one move, or of `all` on trial for at least so many days, go. Raises Refused and
        Stopped.
        """
        return release(self.carry.work(report, stop), wanted, even_if_changed, even_if_unread, older_than_days)

    def standing(self) -> list[Move]:
        """The moves of all plans that are not taken back yet. Raises Refused when there are none."""
        return standing_moves(self.carry.work())

    def undo_all(self, report: Report = silent, stop: Stop | None = None) -> Outcome:
        """Take back every move, the last first. Raises Refused and Stopped."""
        return undo_plan(self.carry.work(report, stop), every=True)

    def last_plan(self) -> list[Move]:
        """The moves, not taken back yet, of the plan that was carried last. Raises Refused when there are none."""
        return moves_of_last_plan(self.carry.work())

    def plans_of(self, moves: Iterable[Move]) -> list[Plan]:
        """The plans to which moves belong, as far as they are still known."""
        journal = self.carry.work().journal
        plans = (journal.plan_of(run) for run in dict.fromkeys(move.run for move in moves))
        return [plan for plan in plans if plan is not None]

    def undo_plan(self, report: Report = silent, stop: Stop | None = None) -> Outcome:
        """Take back the plan that was carried last, its last move first. Raises Refused and Stopped."""
        return undo_plan(self.carry.work(report, stop))

    def leftovers(self, below: Sequence[str] = (), stop: Stop | None = None) -> list[Leftover]:
        """What Nuvik left on the attached drives, or only `below` some folders, and what would be right for it. Takes
        as long as reading the names of all folders. Raises Refused when one of them is not there, and when the database
        cannot be read; a damaged one is kept aside first.
        """
        database = self.carry.computer.database
        database.look_closely()
        folders = [os.path.realpath(normalised(folder)) for folder in below]
        for folder in folders:
            if not os.path.isdir(folder):
                raise NotNamed(f"There is no folder at {shown(folder)}.", next_step="Name one in which to look.")
        leftovers = find_leftovers(self.carry.work(stop=stop), folders)
        if not folders:
            database.mended()
        return leftovers

    def broken_tethers(self) -> list[Leftover]:
        """The links, settings and checks of what was moved that do not hold now, to be mended like leftovers."""
        work = self.carry.work()
        return find_broken_tethers(work, work.journal.moves())

    def mend(self, leftovers: list[Leftover], report: Report = silent, stop: Stop | None = None) -> list[Mended]:
        """Do what is safe about leftovers. Raises Refused while another Nuvik is at work."""
        return mend(self.carry.work(report, stop), leftovers)
