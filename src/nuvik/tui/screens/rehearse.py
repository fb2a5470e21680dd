"""Rehearse: what carrying the plan would do, step by step, and what if; before anything is touched."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from rich.text import Text
from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.widgets import DataTable, SelectionList, Static

from nuvik.core.model.names import shown
from nuvik.core.model.plan import Plan
from nuvik.core.model.progress import Report, Stop
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.views.draft_sentences import suspended_words
from nuvik.core.views.rehearsal_sentences import (
    dip_line,
    effect_line,
    forecast_line,
    halfway_line,
    rehearsal_headline,
    takes,
)
from nuvik.core.views.tether_sentences import change_lines, tether_lines
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.screens.taste_openings import TasteSheet
from nuvik.tui.shell import stage_key
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.drive_board import BoardRow, DriveBoard
from nuvik.tui.widgets.plan_curves import Curve, PlanCurves, free_curve, waiting_curve
from nuvik.tui.widgets.step_table import StepTable
from nuvik.tui.widgets.strip import StripData
from nuvik.tui.widgets.what_if_list import StopAtCursor, WhatIfList

if TYPE_CHECKING:
    from nuvik.core.carrying.outcome import Outcome
    from nuvik.core.planning.drafting.draft import Draft
    from nuvik.core.rehearsal.rehearse import CheckedPlan
    from nuvik.core.rehearsal.whatifs import WhatIf

_MOST_LINES = 12


_CHANGES = 18
"""So many lines of what changes in settings files are shown before carrying."""


class RehearseScreen(StageScreen):
    """The steps above; free space over the time beside what-ifs; the drives as they are at the cursor below."""

    STAGE = "rehearse"
    FIRST_FOCUS = "#steps"
    BINDINGS = [
        Binding("tab", "app.focus_next", "switch"),
        Binding("space", "suppose", "what if"),
        Binding("o", "on_trial", "on trial on / off"),
        Binding("b", "side_by_side", "side by side"),
        Binding("w", "without_marks", "without marks", show=False),
        Binding("e", "taste", "taste openings"),
        Binding("c", "carry", "carry it out"),
        Binding("escape", "leave", "stop", show=False),
        Binding("x", "as_it_is", "what-ifs off"),
        Binding(stage_key("plan"), "app.go('plan')", "back to plan"),
    ]

    _supposed: Timeline | None = None
    """What is shown: the rehearsal with all what-ifs that are on."""
    _checking: Draft | None = None
    """The draft whose moves are being looked at."""
    _offered_for: CheckedPlan | None = None
    """The plan for which the what-ifs are listed."""
    _carries_then = False
    """Whether the user asked to carry while the steps were being looked at: asked again once that is done."""

    def body(self) -> ComposeResult:
        yield StepTable(id="steps")
        with Horizontal(id="over-time"):
            with Vertical(id="curves-box"):
                yield Static("waiting and free space over time", classes="quiet")
                yield PlanCurves(id="curves")
            with Vertical(id="what-ifs-box"):
                yield Static("what if … (Space)", classes="quiet")
                yield WhatIfList(id="what-ifs")
        yield Static(id="verdict", markup=False)
        yield DriveBoard(id="drives", gap=0)

    def refresh_stage(self) -> None:
        self._rehearse()
        self._show_steps()
        self._show_time()

    # -- rehearsing ----------------------------------------------------------------------------------------

    def _rehearse(self) -> None:
        """Look at every step, beside the keys, unless that was done; then simulate, which takes no time."""
        desk, stage = self.desk, self.desk.workspace.rehearse
        if desk.checked is None:
            if not desk.draft.places:
                desk.timeline = self._supposed = None
                self.say("Nothing moves in this plan. Put a library on another drive first.")
            elif self._checking is not desk.draft:
                self._check()
            return
        desk.timeline = desk.timeline or stage.simulate(desk.checked)
        if desk.checked is not self._offered_for:
            self._offered_for = desk.checked
            self._offer(stage.worth_supposing(desk.checked))
        chosen = self._chosen()
        self._supposed = stage.simulate(desk.checked, chosen) if chosen else desk.timeline

    def _check(self) -> None:
        """Make the plan and look at its steps."""
        desk, workspace = self.desk, self.desk.workspace
        draft, recommendation, on_trial = desk.draft, desk.recommendation, desk.on_trial
        side_by_side, without_marks = desk.side_by_side, desk.without_marks
        self._checking = draft
        stop = Stop()

        def report(n: int, total: int) -> None:
            self.tick(f"Looking at step {n} of {total}")

        def check() -> tuple[Plan, CheckedPlan]:
            made = replace(
                workspace.plan.make(draft, recommendation),
                on_trial=on_trial,
                side_by_side=side_by_side,
                without_marks=without_marks,
            )
            return made, workspace.rehearse.check(made, stop=stop, report=report)

        says = f"Looking at {format_count(len(draft.loads), 'move')}"
        self.wait_for(says, check, partial(self._take, draft, on_trial), stop.ask)

    def stopped_waiting(self) -> None:
        self._checking, self._carries_then = None, False

    def _take(self, draft: Draft, on_trial: bool, result: tuple[Plan, CheckedPlan]) -> None:
        self._checking = None
        if self.desk.draft is draft and self.desk.on_trial is on_trial:  # else it was looked at for nothing
            self.desk.plan, self.desk.checked = result
            self.desk.timeline = None
            self.refresh_stage()
            if self._carries_then and self.is_current:
                self.action_carry()

    def _offer(self, what_ifs: list[WhatIf]) -> None:
        at_cursor = [StopAtCursor()] if self.desk.plan is not None and self.desk.plan.steps else []
        self.query_one(WhatIfList).offer([*what_ifs[:1], *at_cursor, *what_ifs[1:]])

    def _chosen(self) -> tuple[WhatIf, ...]:
        stage, chosen = self.desk.workspace.rehearse, self.query_one(WhatIfList).chosen
        return tuple(
            stage.stop_after(self.cursor_n) if isinstance(what_if, StopAtCursor) else what_if for what_if in chosen
        )

    @property
    def cursor_n(self) -> int:
        """The number of the step at the cursor."""
        return self.query_one(DataTable).cursor_row + 1

    # -- what is shown -------------------------------------------------------------------------------------

    def _show_steps(self) -> None:
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        self.query_one(StepTable).show(self.desk.plan, self._supposed, labels)

    def _show_time(self) -> None:
        """All that follows the cursor and the what-ifs."""
        self._show_words()
        self._show_curves()
        self._show_drives()

    def _show_words(self) -> None:
        timeline, plain, verdict = self._supposed, self.desk.timeline, self.query_one("#verdict", Static)
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        if timeline is None or plain is None:
            verdict.update("")
            words = f"{stage_key('plan')} goes to Plan: pick up a library there and put it on another drive."
            self.tell(words if self._checking is None else "")
            return
        self.say(rehearsal_headline(timeline, labels))
        verdict.update(self._lines(timeline, labels))
        mode = (
            "on trial: originals stay until you release them"
            if self.desk.on_trial
            else "originals go once the copies are proven and in use"
        )
        if self.desk.plan is not None and self.desk.plan.side_by_side:
            mode += "; moves that share no disk go side by side (b)"
        if self.desk.plan is not None and self.desk.plan.without_marks:
            mode += "; marks that a target cannot keep are remembered (w)"
        learnt = f" {timeline.calibration[0].upper()}{timeline.calibration[1:]}." if timeline.calibration else ""
        self.tell(
            f"c carries it out: {takes(plain)}, {mode}.{learnt}"
            if plain.feasible
            else f"This cannot be carried: {stage_key('plan')} goes back to Plan."
        )

    def _lines(self, timeline: Timeline, labels: dict[str, str]) -> Text:
        """Refusals first, then what is supposed, then what to know."""
        palette, lines = palette_of(self.app.theme), []
        for violation in timeline.violations:
            lines.append(
                (
                    f"Step {violation.n}, {shown(violation.library)}: {violation.problem} → {violation.mend}",
                    palette.look,
                )
            )
        for effect in timeline.effects:
            lines.append((effect_line(effect), palette.look if effect.bad else palette.text))
        for drive_id, names in timeline.away.items():
            if names and not timeline.effects:
                listed = ", ".join(shown(name) for name in names[:4]) + (" …" if len(names) > 4 else "")
                many = format_count(len(names), "library", "libraries")
                lines.append(
                    (f"While {shown(labels[drive_id])} is unplugged, {many} will not open: {listed}", palette.text)
                )
        lines += [
            (f"{dip_line(dip, timeline, labels[dip.drive])}.", palette.text)
            for dip in timeline.dips
            if not timeline.effects
        ]
        if (halfway := halfway_line(timeline)) and not timeline.effects:
            lines.append((f"{halfway}.", palette.text))
        lines += [(forecast_line(forecast_, labels[forecast_.drive]), palette.text) for forecast_ in timeline.forecast]
        if self.desk.draft.suspended:
            lines.append((f"Not in this plan yet: {suspended_words(self.desk.draft)}.", palette.look))
        lines += [(f"Note: {note}", palette.quiet) for note in timeline.notes]
        return Text("\n").join(Text(words, style=style) for words, style in lines[:_MOST_LINES])

    def _show_curves(self) -> None:
        timeline = self._supposed
        curves: list[Curve] = []
        step = next((step for step in timeline.steps if step.n == self.cursor_n), None) if timeline else None
        if timeline is not None:
            free = step.free_after_bytes if step is not None else timeline.free_before_bytes
            for drive in self.desk.draft.drives:
                if (points := timeline.curves.get(drive.id)) is not None:
                    lowest = timeline.lowest_free_bytes[drive.id]
                    curves.append(free_curve(drive, points, timeline.floor_bytes[drive.id], lowest, free[drive.id]))
            if (waiting := waiting_curve(timeline, step)) is not None:
                curves.insert(0, waiting)
        at_s = step.end_s if step is not None else 0.0
        self.query_one(PlanCurves).show(curves, timeline.total_s if timeline else 0.0, at_s)

    def _show_drives(self) -> None:
        """The drives as they are once the step at the cursor is done."""
        checked, timeline, draft = self.desk.checked, self._supposed, self.desk.draft
        done = self.cursor_n if checked is not None and timeline is not None else 0
        then = checked.scene.stopped_after(done).draft if checked is not None and done else None
        then = then or draft.laid_on(self.desk.snapshot).at_the_beginning()
        free = {drive.id: drive.free_bytes for drive in draft.drives}
        step = next((step for step in timeline.steps if step.n == done), None) if timeline else None
        if step is not None:
            free |= step.free_after_bytes
        rows = []
        for drive in draft.drives:
            kept = [library for library in then.moving() if self.desk.on_trial and library.drive == drive.id]
            strip = StripData(
                drive,
                (*then.on_drive_then(drive.id), *kept),
                drive.usable_bytes - free[drive.id],
                leaving=frozenset(kept_library.id for kept_library in kept),
                arriving=frozenset(then.places),
            )
            rows.append(BoardRow((strip,)))
        self.query_one("#drives", DriveBoard).show(rows)

    # -- keys ----------------------------------------------------------------------------------------------

    def on_screen_suspend(self) -> None:
        self._carries_then = False

    def action_leave(self) -> None:
        """Stop looking at the steps, and go back to Plan: looking begins again with the next visit."""
        if self.is_waiting:
            self.stop_waiting()
            self.shell.go("plan")

    def action_suppose(self) -> None:
        self.query_one(WhatIfList).focus()

    def action_as_it_is(self) -> None:
        self.query_one(WhatIfList).deselect_all()

    def action_on_trial(self) -> None:
        desk = self.desk
        desk.on_trial = not desk.on_trial
        self._look_again()

    def action_without_marks(self) -> None:
        """Go on, or not, without the marks that a target cannot keep."""
        self.desk.without_marks = not self.desk.without_marks
        self._look_again()

    def action_side_by_side(self) -> None:
        """Carry moves that share no disk at the same time, or one after the other."""
        self.desk.side_by_side = not self.desk.side_by_side
        self._look_again()

    def _look_again(self) -> None:
        self.desk.checked = self.desk.timeline = None
        self._checking = None
        self.refresh_stage()

    def action_taste(self) -> None:
        """Try how what was recorded would open from the drives to which it goes."""
        if self.desk.plan is None or self.desk.timeline is None:
            self.notify("There is nothing to taste yet. Make a plan first.", severity="warning")
            return
        self.app.push_screen(TasteSheet(self.desk, self.desk.plan))

    def action_carry(self) -> None:
        plan, timeline = self.desk.plan, self.desk.timeline
        self._carries_then = plan is None and self._checking is not None
        if self._carries_then:
            self.notify("The moves are still being looked at: you will be asked once that is done.")
            return
        if plan is None or timeline is None:
            self.notify("There is nothing to carry yet. Make a plan first.", severity="warning")
            return
        if not timeline.feasible:
            first = timeline.violations[0]
            self.notify(f"{first.problem} {first.mend}", title="Not done", severity="warning", markup=False)
            return
        self.in_background(lambda: self._changes_of(plan), partial(self._ask_to_carry, plan), group="changes")

    def _changes_of(self, plan: Plan) -> list[str]:
        """What carrying changes in settings, of the libraries and of where new content goes."""
        workspace = self.desk.workspace
        lines = list(tether_lines(workspace.tethers.changes(plan)))
        if landings := [line for change in workspace.landings.changes_of(plan) for line in change_lines(change)]:
            lines += ["where new content goes:", *landings]
        return lines

    def _ask_to_carry(self, plan: Plan, changes: list[str]) -> None:
        """The changes to settings files are shown before anything is done."""
        timeline = self.desk.timeline
        if not self.is_current:
            return
        if self.desk.plan is not plan or timeline is None:  # a survey ended meanwhile: its steps are looked at again
            self.action_carry()
            return
        question = (
            f"Carry out {format_count(len(plan.steps), 'move')}, {format_bytes(plan.frees_bytes)}, "
            f"in {takes(timeline)}? "
            + (
                "On trial: each original stays, and takes its space, until you release it in Logbook."
                if self.desk.on_trial or plan.on_trial
                else "Each original stays until its copy is proven; you can take it back."
            )
        )
        if changes:
            more = [f"… and {len(changes) - _CHANGES} more lines"] if len(changes) > _CHANGES else []
            question += "\n\nSettings that change with it:\n" + "\n".join([*changes[:_CHANGES], *more])
        self.app.push_screen(Confirm(question, "carry it out"), partial(self._confirmed, plan, self.desk.on_trial))

    def _confirmed(self, plan: Plan, on_trial: bool, agreed: bool | None) -> None:
        """What was agreed to is carried, also when a survey ended while the question stood there."""
        if agreed:
            workspace = self.desk.workspace

            def carry(report: Report, stop: Stop) -> Outcome:
                outcome = workspace.carry.carry(plan, on_trial, report, stop)
                for words in workspace.landings.apply_plan(plan).left:
                    self.app.call_from_thread(self.notify, words, severity="warning", markup=False)
                return outcome

            self.shell.carry_job.begin(carry)

    def on_data_table_row_highlighted(self) -> None:
        if any(isinstance(what_if, StopAtCursor) for what_if in self.query_one(WhatIfList).chosen):
            self._rehearse()
        self._show_time()

    @on(SelectionList.SelectedChanged)
    def _switched(self) -> None:
        self._rehearse()
        self._show_steps()
        self._show_time()
