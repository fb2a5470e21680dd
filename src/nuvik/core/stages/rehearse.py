"""The stage Rehearse: what would happen, step by step, before anything is touched."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from nuvik.core.model.errors import BadInput, NuvikError
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Plan
from nuvik.core.model.progress import Stop
from nuvik.core.model.timeline import Timeline
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.lost_drives import Away, Fails
from nuvik.core.rehearsal.rehearse import CheckedPlan, check_plan, rehearse
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate
from nuvik.core.rehearsal.whatif_catalogue import grown, new_of, possible, slower_of
from nuvik.core.rehearsal.whatifs import Bought, Crumbs, SideBySide, StopAfter, WhatIf
from nuvik.core.stages.carry import CarryStage
from nuvik.core.stages.computer import Computer
from nuvik.core.stages.drives import DrivesStage
from nuvik.core.stages.survey import SurveyStage

_MOST_WEEKS = 10_000


@dataclass(frozen=True, slots=True)
class RehearseStage:
    """The calls of this stage."""

    computer: Computer
    survey: SurveyStage
    drives: DrivesStage
    carry: CarryStage

    def check(
        self,
        plan: Plan,
        on_trial: bool = False,
        stop: Stop | None = None,
        report: Callable[[int, int], None] | None = None,
    ) -> CheckedPlan:
        """Look at every step of a plan; rehearsing it then takes no time. It is on trial when that is asked here or in
        the plan; `report` hears of each step that is looked at, and how many there are. Raises StopRequested.
        """
        return check_plan(
            self.computer.host,
            self.computer.drives(),
            plan,
            self.computer.state_folder,
            on_trial or plan.on_trial,
            self.survey.latest(),
            self.carry.work().learnt(),
            self.survey.growth(),
            stop,
            self.carry.pinned(),
            report,
        )

    def on_paper(self, plan: Plan) -> Timeline:
        """What carrying a plan would do by what is known of it, without a look at its libraries: quick, and no more
        than that.
        """
        scene = Scene(
            plan=plan,
            drives=self.computer.drives(),
            snapshot=self.survey.latest(),
            on_trial=plan.on_trial,
            side_by_side=plan.side_by_side,
            pace=self.computer.host.pace,
            calibration=self.carry.work().learnt(),
        )
        return simulate(scene)

    def on_paper_of(self, draft: Draft) -> Timeline | None:
        """The same of a draft; None where nothing moves in it."""
        return self.on_paper(make_plan(draft)) if draft.places else None

    def simulate(self, checked: CheckedPlan, what_ifs: Sequence[WhatIf] = ()) -> Timeline:
        """What carrying a checked plan would do, all of the what-ifs supposed."""
        return rehearse(checked, what_ifs)

    def rehearse(
        self, plan: Plan, on_trial: bool = False, stop: Stop | None = None, what_ifs: Sequence[WhatIf] = ()
    ) -> Timeline:
        """What carrying a plan now would do, all of the what-ifs supposed. Raises StopRequested."""
        return rehearse(self.check(plan, on_trial, stop), what_ifs)

    def worth_supposing(self, checked: CheckedPlan) -> list[WhatIf]:
        """The what-ifs that are worth a look, the likeliest first."""
        try:
            candidates = self.drives.candidates()
        except NuvikError:
            candidates = []  # Speeds says what is wrong with that file
        return possible(checked.scene, candidates, checked.rates)

    def stop_after(self, n: int) -> WhatIf:
        """What if you stop after this step?"""
        return StopAfter(n)

    def what_ifs(
        self,
        plan: Plan,
        *,
        away: Iterable[str] = (),
        slower: Iterable[str] = (),
        small_files: Iterable[str] = (),
        new: Iterable[str] = (),
        fails: Iterable[str] = (),
        buy: Iterable[str] = (),
        weeks: float | None = None,
        stop_after: int | None = None,
        side_by_side: bool = False,
    ) -> list[WhatIf]:
        """What-ifs as the options of a command say them: drives, DRIVE=FACTOR, KIND=SIZE, labels of candidates.

        Raises BadInput and Refused.
        """
        drive = self.drives.find
        what_ifs: list[WhatIf] = [Away(drive(name)) for name in away]
        what_ifs += [slower_of(drive(name), factor) for name, factor in _pairs(slower, "wren=2")]
        what_ifs += [Crumbs(drive(name)) for name in small_files]
        what_ifs += [new_of(kind, size) for kind, size in _pairs(new, "game=90G")]
        what_ifs += [Fails(drive(name)) for name in fails]
        what_ifs += [Bought(self.drives.candidate(label)) for label in buy]
        if weeks is not None:
            if not 0 < weeks <= _MOST_WEEKS:
                raise BadInput(f"--weeks {weeks:g} is out of range.", next_step="Use a number above 0.")
            what_ifs.append(grown(weeks, self.survey.growth()))
        if stop_after is not None:
            if not 1 <= stop_after <= len(plan.steps):
                raise BadInput(f"There is no step {stop_after}.", next_step=f"The plan has {len(plan.steps)} steps.")
            what_ifs.append(StopAfter(stop_after))
        if side_by_side:
            what_ifs.append(SideBySide())
        return what_ifs


def _pairs(typed: Iterable[str], example: str) -> list[tuple[str, str]]:
    """`NAME=VALUE` texts. Raises BadInput."""
    pairs = []
    for text in typed:
        name, sign, value = text.partition("=")
        if not sign:
            raise BadInput(f"“{shown(text)}” has no =.", next_step=f"Write for example {example}.")
        pairs.append((name, value))
    return pairs
