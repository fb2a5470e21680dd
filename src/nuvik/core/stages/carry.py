"""The stage Carry: do it, safely, while you watch or walk away."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.carrying.outcome import Outcome
from nuvik.core.carrying.run import carry_plan, find_move, resume
from nuvik.core.carrying.waiting import carry_next, skip
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.desktop import show_notice
from nuvik.core.model.errors import Refused
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Plan
from nuvik.core.model.progress import Report, Stop, silent
from nuvik.core.stages.computer import Computer
from nuvik.core.store.card_store import CardBox, Moved
from nuvik.core.store.journal import Journal


@dataclass(frozen=True, slots=True)
class CarryStage:
    """The calls of this stage. `report` hears of each event, `stop` asks to end at the next safe point."""

    computer: Computer

    def pinned(self) -> frozenset[str]:
        """The paths of the libraries that the user has pinned."""
        computer = self.computer
        cards = (*CardBox(computer.database).cards(computer.drives()), *computer.host.cards())
        moved = Moved.by(Journal(computer.database), computer.is_taken)
        return frozenset(moved.now_at(card.path) for card in cards if card.pinned)

    def work(self, report: Report = silent, stop: Stop | None = None) -> Work:
        """What carrying needs at hand."""
        computer = self.computer
        journal = Journal(computer.database)
        return Work(computer.host, computer.drives, journal, computer.state_folder, report, stop or Stop())

    def carry(self, plan: Plan, on_trial: bool = False, report: Report = silent, stop: Stop | None = None) -> Outcome:
        """Rehearse a plan once more and carry it out. Raises Refused, when nothing was changed, and Stopped."""
        if kept := self.computer.database.kept_aside:
            raise Refused(
                f"Nuvik's database was damaged and is kept as {shown(kept)}. What earlier moves left on the drives has "
                "not been looked for yet.",
                next_step="Run “nuvik mend”, then carry the plan.",
            )
        return carry_plan(self.work(report, stop), plan, on_trial or plan.on_trial, self.pinned())

    def resume(self, report: Report = silent, stop: Stop | None = None, without_marks: bool = False) -> Outcome:
        """Go on with what a stop left midway, if need be `without_marks` that a target cannot keep. Raises Refused when
        there is nothing, and Stopped.
        """
        return resume(self.work(report, stop), without_marks)

    def skip(self, wanted: str) -> list[Move]:
        """Leave out a move that waits, by its number, and whatever waits for it; also while others are carried. Gives
        those left out. Raises Refused when it has begun.
        """
        work = self.work()
        return skip(work, find_move(work, wanted))

    def carry_next(self, wanted: str) -> Move:
        """Let a move that waits, by its number, be the next; also while others are carried. Raises Refused."""
        work = self.work()
        return carry_next(work, find_move(work, wanted))

    def show_notice(self, words: str) -> None:
        """Tell on the desktop that something is done."""
        show_notice(words)
