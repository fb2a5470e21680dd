"""Carry: which phase the library at hand is in, what is safe, how far it is; and expected beside actual at the end."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.widgets import Static

from nuvik.core.model.errors import NuvikError
from nuvik.core.model.journal import Move, State
from nuvik.core.model.leftover import Leftover
from nuvik.core.model.names import padded, shorten, shown
from nuvik.core.model.opening import Afterwards
from nuvik.core.model.progress import Event
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.views.carry_headline import progress_line, running_headline
from nuvik.core.views.carry_phases import Ladder, ladder_of
from nuvik.core.views.move_rows import move_row
from nuvik.core.views.opening_sentences import again_sentence
from nuvik.core.views.tether_sentences import broken_headline
from nuvik.tui.jobs.carry import CarryRun
from nuvik.tui.screens.move_tethers import MoveTethersSheet
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.shell import stage_key
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.beneath import Beneath
from nuvik.tui.widgets.drive_board import BoardRow, DriveBoard
from nuvik.tui.widgets.move_table import MoveTable
from nuvik.tui.widgets.strip import StripData
from nuvik.tui.widgets.traffic import TrafficPanel

_BAR_CELLS, _NAME_CELLS = 60, 30


class CarryScreen(StageScreen):
    """The ladder of phases, the bar of the phase at hand, the moves of this run, and the drives."""

    STAGE = "carry"
    FIRST_FOCUS = "#moves"
    BINDINGS = [
        Binding("s", "stop_after", "stop after this"),
        Binding("x", "stop_now", "stop now, safely"),
        Binding("g", "go_on", "go on"),
        Binding("k", "skip", "leave out"),
        Binding("n", "carry_next", "carry next"),
        Binding("f", "tethers", "how programs find it"),
        Binding(stage_key("logbook"), "app.go('logbook')", "logbook"),
    ]

    _listed: tuple[Move, ...] = ()
    """The moves in the table."""
    _midway: tuple[Move, ...] = ()
    """Those that a stop left half done."""
    _pointed_at = 0
    """The move at which the cursor was put when it began."""
    _phase_shown: tuple[int, str | None] = (0, None)
    """The move and the phase of the latest progress, as the table has it."""
    _now: Snapshot | None = None
    """What is where since the last step ended."""
    """The drives as they were at the last look, with what is used of them then."""

    def body(self) -> ComposeResult:
        yield Static(id="phases", markup=False)
        yield Static(id="progress", markup=False)
        yield TrafficPanel(self.desk.workspace.drives.traffic, id="traffic")
        yield MoveTable("step", id="moves")
        yield DriveBoard(id="drives")
        yield Beneath(id="beneath")

    def refresh_stage(self) -> None:
        carrying = self.shell.carry_job.run
        midway = self._midway = tuple(self.desk.workspace.logbook.midway())
        if carrying is None:
            first = min(midway, key=lambda move: move.state is State.PLANNED, default=None)
            self.say(
                f"{shown(first.library)} is unfinished: {first.state.in_words}. g continues it."
                if first is not None
                else "Nothing is being carried. Make a plan, rehearse it, and carry it out from there."
            )
        elif carrying.running:
            self.say(self._headline(carrying))
        else:
            self.say(carrying.ended or "", carrying.trouble)
            self.in_background(self.desk.workspace.logbook.broken_tethers, self._say_broken, group="tethers")
            self.in_background(self.desk.workspace.openings.afterwards, self._offer_to_record, group="openings")
        self._show_phases()
        self._show_beneath()
        self._watch_traffic()
        self._show_moves()
        self._look_at_drives()
        self._show_drives()
        self.refresh_bindings()

    def follow(self, happening: str, *details: Any) -> None:
        carrying = self.shell.carry_job.run
        if happening != "carry" or carrying is None or not carrying.running:
            return
        event: Event = details[0]
        self.say(self._headline(carrying))
        self._show_phases()
        phase = (event.move, event.detail.get("phase"))
        if event.event != "progress" or phase != self._phase_shown:
            self._phase_shown = phase
            self._show_beneath()
            self._watch_traffic()
            self._show_moves()
            self._look_at_drives()
            self._show_drives()
            self.refresh_bindings()

    def _show_beneath(self) -> None:
        """The latest of what happened, where the drives leave room."""
        beneath, carrying = self.query_one(Beneath), self.shell.carry_job.run
        if carrying is not None:
            beneath.show("What happened, the latest first", reversed(carrying.happened))
        beneath.display = carrying is not None and bool(carrying.happened)

    def _offer_to_record(self, rows: list[Afterwards]) -> None:
        """Once all is carried: what was recorded before can be recorded again, and tells whether it paid."""
        carrying = self.shell.carry_job.run
        if carrying is None or carrying.running:
            return
        if words := again_sentence(rows, carrying.moves):
            self.tell(words)

    def _say_broken(self, broken: list[Leftover]) -> None:
        """Once all is carried: whether programs find it."""
        carrying = self.shell.carry_job.run
        mine = [each for each in broken if each.move is not None and carrying and each.move.id in carrying.moves]
        if mine:
            self.say(broken_headline(mine), trouble=True)

    # -- what is shown -------------------------------------------------------------------------------------

    def _show_phases(self) -> None:
        palette, carrying = palette_of(self.app.theme), self.shell.carry_job.run
        event = carrying.event if carrying else None
        ladder, bar = Text(), Text()
        side_by_side = carrying is not None and carrying.running and len(carrying.at_hand) > 1
        if carrying is not None and event is not None and not carrying.trouble and not side_by_side:
            at_hand = self._ladder(carrying, event)
            for number, phase in enumerate(at_hand.phases):
                mark, style = ("✓", palette.good) if number < at_hand.done else ("▶", f"bold {palette.accent}")
                if number > at_hand.done:
                    mark, style = "·", palette.quiet
                ladder.append(f"{mark} {phase.name:<9}", style=style)
                ladder.append(f"{phase.safe}\n", style=palette.quiet)
        if carrying is not None and carrying.running:
            bar = Text("\n").join(
                self._bar(carrying, carrying.progress[number], named=side_by_side)
                for number in carrying.at_hand
                if number in carrying.progress
            )
        self.query_one("#phases", Static).update(ladder)
        self.query_one("#phases").display = not side_by_side
        progress = self.query_one("#progress", Static)
        progress.styles.height = len(carrying.at_hand) if carrying is not None and side_by_side else 1
        progress.update(bar)
        if carrying is not None and carrying.running:
            self.tell(
                "Whatever you press, the original stays complete until its copy is proven. s stops after this library."
            )
        elif self.desk.workspace.logbook.midway():
            self.tell(f"g continues where it stopped; {stage_key('logbook')} opens Logbook, where u takes it back.")
        else:
            self.tell(f"{stage_key('logbook')} opens Logbook: every move is listed there and can be taken back.")

    def _ladder(self, carrying: CarryRun, event: Event) -> Ladder:
        """The phases of the move of an event; between moves, those of the one before."""
        number = event.move or (carrying.moves[-1] if carrying.moves else 0)
        if not number:
            return Ladder((), 0)
        return ladder_of(self.desk.workspace.logbook.move(number), event, carrying.releasing)

    @staticmethod
    def _headline(carrying: CarryRun) -> str:
        first, *others = carrying.at_hand.values() or [carrying.event]
        return running_headline(first, [other for other in others if other is not None])

    def _bar(self, carrying: CarryRun, event: Event, named: bool) -> Text:
        """How far a phase is; of moves side by side, with the library and the phase before it."""
        palette = palette_of(self.app.theme)
        share = event.done_bytes / event.total_bytes if event.total_bytes else 1.0
        cells = _BAR_CELLS - _NAME_CELLS if named else _BAR_CELLS
        filled = round(cells * min(1.0, share))
        text = Text()
        if named:
            phase = self._ladder(carrying, event).at_hand
            text.append(
                f"{padded(shorten(event.library, _NAME_CELLS - 10), _NAME_CELLS - 9)}{phase.name if phase else '':<9}"
            )
        text += Text("━" * filled, style=palette.accent) + Text("┄" * (cells - filled), style=palette.quiet)
        text.append(f" {share:4.0%}  {progress_line(event)}")
        return text

    def _watch_traffic(self) -> None:
        """The drives at work, while something is carried."""
        carrying, panel = self.shell.carry_job.run, self.query_one(TrafficPanel)
        panel.display = carrying is not None and carrying.running and carrying.event is not None
        if panel.display and carrying is not None and carrying.at_hand:
            moves = [self.desk.workspace.logbook.move(number) for number in carrying.at_hand]
            used = [drive_id for move in moves for drive_id in (move.source_drive, move.target_drive)]
            drives = {drive.id: drive for drive in self.desk.snapshot.drives}
            panel.watch_drives([drives[drive_id] for drive_id in dict.fromkeys(used) if drive_id in drives])

    def _show_moves(self) -> None:
        labels = {drive.id: drive.label for drive in self.desk.snapshot.drives}
        carrying = self.shell.carry_job.run
        proving = (
            {number for number, event in carrying.progress.items() if event.detail.get("phase") == "proving"}
            if carrying is not None and carrying.running
            else set()
        )
        self._listed = tuple(self._moves())
        rows = [move_row(move, labels, proving=move.id in proving) for move in self._listed]
        self.query_one(MoveTable).show(rows)
        begun = next(iter(carrying.at_hand), 0) if carrying is not None else 0
        if begun and begun != self._pointed_at:  # the user may look elsewhere until the next one begins
            self._pointed_at = begun
            self.query_one(MoveTable).point_at(begun)

    def _moves(self) -> list[Move]:
        """The moves of the run at hand; before one, those that stand midway."""
        every = sorted(
            self.desk.workspace.logbook.moves(), key=lambda move: (move.state is State.PLANNED, move.position, move.id)
        )
        carrying = self.shell.carry_job.run
        if carrying is None or not carrying.moves:
            return [move for move in every if not move.state.finished]
        runs = {move.run for move in every if move.id in carrying.moves}
        return [move for move in every if move.run in runs and (move.undoes is None or move.id in carrying.moves)]

    def _look_at_drives(self) -> None:
        """While something is carried, what arrived counts as a library at once, not only after the next survey."""
        carrying = self.shell.carry_job.run
        if carrying is not None and carrying.running:
            self.in_background(self.desk.workspace.survey.latest, self._take_now, group="drives")
        else:
            self._now = None

    def _take_now(self, now: Snapshot) -> None:
        self._now = now
        self._show_drives()

    def _show_drives(self) -> None:
        snapshot, carrying = self._now or self.desk.snapshot, self.shell.carry_job.run
        at_hand = carrying.event.library if carrying and carrying.running and carrying.event else None
        marked = next((library.id for library in snapshot.libraries if library.name == at_hand), None)
        rows = [
            BoardRow((StripData(drive, snapshot.on_drive(drive.id), drive.used_bytes, marked=marked),))
            for drive in snapshot.drives
        ]
        self.query_one(DriveBoard).show(rows)

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """Keys are shown where they apply."""
        carrying = self.shell.carry_job.run
        running = carrying is not None and carrying.running
        if action in ("stop_after", "stop_now"):
            return running
        if action == "go_on":
            return not running and bool(self._midway)
        if action in ("skip", "carry_next"):
            return any(move.state is State.PLANNED for move in self._listed)
        return action != "tethers" or bool(self._listed)

    # -- keys ----------------------------------------------------------------------------------------------

    def action_stop_after(self) -> None:
        if self.shell.carry_job.run is not None and self.shell.carry_job.run.running:
            self.shell.carry_job.run.stop.ask_after_step()
            self.notify("It will stop after this library.")

    def action_stop_now(self) -> None:
        if self.shell.carry_job.run is not None and self.shell.carry_job.run.running:
            self.shell.carry_job.run.stop.ask()
            self.notify("Stopping at the next safe point.")

    def action_skip(self) -> None:
        """Leave out the waiting move at the cursor."""
        self._with_waiting(lambda wanted: self.desk.workspace.carry.skip(wanted))

    def action_carry_next(self) -> None:
        """Let the waiting move at the cursor be the next."""
        self._with_waiting(lambda wanted: self.desk.workspace.carry.carry_next(wanted))

    def _with_waiting(self, act: Callable[[str], object]) -> None:
        move = self.query_one(MoveTable).move
        if move is None:
            return
        try:
            act(str(move.id))
        except NuvikError as refusal:
            self.shell.complain(refusal)
        self.refresh_stage()

    def action_tethers(self) -> None:
        """How programs find what the move at the cursor carried, and putting that right."""
        move = self.query_one(MoveTable).move
        if move is not None:
            self.app.push_screen(MoveTethersSheet(self.desk, move), lambda _: self.refresh_stage())

    def action_go_on(self) -> None:
        self.shell.carry_job.begin(self.desk.workspace.carry.resume)
        self.refresh_stage()
