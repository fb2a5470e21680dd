"""Rehearse: what carrying the plan would do, step by step, before anything is touched."""

from __future__ import annotations

from dataclasses import replace

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.widgets import DataTable, Static

from nuvik.core.carrying.run import carry_plan
from nuvik.core.model.errors import NuvikError
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.plan import Step
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.units import format_bytes, format_count, format_duration, format_free
from nuvik.core.rehearsal.headline import rehearsal_headline
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.stage import StageScreen, stage_key
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.drive_board import BoardRow, DriveBoard
from nuvik.tui.widgets.library_table import heading
from nuvik.tui.widgets.strip import StripData


class RehearseScreen(StageScreen):
    """The steps above, the drives as they are after the step at the cursor below."""

    STAGE = "rehearse"
    FIRST_FOCUS = "#steps"
    BINDINGS = [
        Binding("o", "on_trial", "on trial on / off"),
        Binding("c", "carry", "carry it out"),
        Binding(stage_key("plan"), "app.go('plan')", "back to plan"),
    ]

    def body(self) -> ComposeResult:
        yield DataTable(id="steps", cursor_type="row")
        yield Static(id="verdict", markup=False)
        yield DriveBoard(id="drives")

    def on_mount(self) -> None:
        table = self.query_one(DataTable)
        for label, width in ((">step", 4), ("library", 28), (">size", 9), ("from → to", 22), (">begins", 11),
                             (">copy", 12), (">prove", 12), (">done", 12), (">lowest point", 26)):  # fmt: skip
            table.add_column(heading(label), width=width)

    def refresh_stage(self) -> None:
        self._rehearse()
        self._show_steps()
        self._show_verdict()
        self._show_drives()

    def _rehearse(self) -> None:
        desk = self.desk
        if desk.plan is not None and desk.timeline is not None:
            return
        try:
            desk.plan = desk.workspace.plan(desk.draft)
            desk.timeline = desk.workspace.rehearse(desk.plan, desk.on_trial)
        except NuvikError as trouble:
            desk.plan = desk.timeline = None
            self.say(f"{trouble.what} {trouble.next_step}")

    # -- what is shown -------------------------------------------------------------------------------------

    def _show_steps(self) -> None:
        table, plan, timeline = self.query_one(DataTable), self.desk.plan, self.desk.timeline
        row = table.cursor_row
        table.clear()
        if plan is None or timeline is None:
            return
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        self.say(rehearsal_headline(timeline, labels))
        for step in plan.steps:
            table.add_row(*self._cells(step, timeline, labels))
        table.move_cursor(row=min(row, len(plan.steps) - 1), animate=False)

    def _cells(self, step: Step, timeline: Timeline, labels: dict[str, str]) -> list[Text]:
        palette = palette_of(self.app.theme)
        refused = any(one.n == step.n for one in timeline.violations)
        style = palette.look if refused else ""
        foreseen = next((one for one in timeline.steps if one.n == step.n), None)
        cells = [
            Text(f"{'!' if refused else ' '}{step.n}", style=style, justify="right"),
            Text(shorten(step.library, 28), style=style),
            Text(format_bytes(step.bytes), justify="right"),
            Text(f"{shown(labels.get(step.from_drive, '?'))} → {shown(labels.get(step.to_drive, '?'))}"),
        ]
        if foreseen is None:
            return [*cells, *(Text("–", justify="right") for _ in range(5))]
        lowest = foreseen.lowest_free_bytes[step.to_drive]
        times = (foreseen.start_s, foreseen.copy_s, foreseen.prove_s, foreseen.end_s)
        return [
            *cells,
            *(Text(format_duration(seconds), justify="right") for seconds in times),
            Text(f"{shown(labels[step.to_drive])}: {format_free(lowest)}", style=style, justify="right"),
        ]

    def _show_verdict(self) -> None:
        timeline, verdict = self.desk.timeline, self.query_one("#verdict", Static)
        if timeline is None:
            verdict.update("")
            self.tell(f"{stage_key('plan')} goes to Plan: lift a library there and set it down on another drive.")
            return
        look = palette_of(self.app.theme).look
        refusals = [f"Step {one.n}, {shown(one.library)}: {one.problem} → {one.mend}\n" for one in timeline.violations]
        lines = [f"Note: {note}" for note in timeline.notes]
        for drive_id, names in timeline.away.items():
            label = next(drive.label for drive in self.desk.snapshot.drives if drive.id == drive_id)
            if names:
                listed = ", ".join(shown(name) for name in names[:4]) + (" …" if len(names) > 4 else "")
                many = format_count(len(names), "library", "libraries")
                lines.append(f"While {shown(label)} is unplugged, {many} will not open: {listed}")
        verdict.update(Text.assemble(*((refusal, look) for refusal in refusals), "\n".join(lines)))
        mode = (
            "on trial: originals stay until you release them"
            if self.desk.on_trial
            else "originals go once proven and switched"
        )
        self.tell(
            f"c carries it out: about {format_duration(timeline.total_s)}, {mode}."
            if timeline.feasible
            else f"It cannot be carried so: {stage_key('plan')} goes back to Plan."
        )

    def _show_drives(self) -> None:
        plan, timeline, snapshot = self.desk.plan, self.desk.timeline, self.desk.snapshot
        done = self.query_one(DataTable).cursor_row + 1 if plan is not None else 0
        draft = self.desk.draft
        moved = {step.path: step.to_drive for step in plan.steps[:done]} if plan is not None else {}
        free = {drive.id: drive.free_bytes for drive in snapshot.drives}
        if timeline is not None and 0 < done <= len(timeline.steps):
            free |= timeline.steps[done - 1].free_after_bytes
        rows = []
        for drive in draft.drives:
            here = [one for one in snapshot.libraries if moved.get(one.path, one.drive) == drive.id]
            kept = [
                one for one in snapshot.libraries if self.desk.on_trial and one.path in moved and one.drive == drive.id
            ]
            here.sort(key=lambda one: (one.path in moved, -one.bytes))
            arrived = frozenset(one.id for one in here if one.path in moved)
            strip = StripData(
                replace(drive), (*here, *kept), drive.usable_bytes - free[drive.id],
                leaving=frozenset(one.id for one in kept), arriving=arrived,
            )  # fmt: skip
            rows.append(BoardRow((strip,)))
        self.query_one(DriveBoard).show(rows)

    # -- keys ----------------------------------------------------------------------------------------------

    def action_on_trial(self) -> None:
        self.desk.on_trial = not self.desk.on_trial
        self.desk.timeline = None
        self.refresh_stage()

    def action_carry(self) -> None:
        plan, timeline = self.desk.plan, self.desk.timeline
        if plan is None or timeline is None:
            self.notify("There is nothing to carry yet: make a plan first.", severity="warning")
            return
        if not timeline.feasible:
            first = timeline.violations[0]
            self.notify(f"{first.problem} {first.mend}", title="Not done", severity="warning", markup=False)
            return
        question = (
            f"Carry out {format_count(len(plan.steps), 'move')}, {format_bytes(plan.bytes)}, about "
            f"{format_duration(timeline.total_s)}? Each original stays until its copy is proven; you can take it back."
        )
        self.app.push_screen(Confirm(question, "carry it out"), self._confirmed)

    def _confirmed(self, agreed: bool | None) -> None:
        plan, on_trial = self.desk.plan, self.desk.on_trial
        if agreed and plan is not None:
            self.nuvik.begin_carrying("carrying", lambda work: carry_plan(work, plan, on_trial))

    def on_data_table_row_highlighted(self) -> None:
        self._show_drives()
