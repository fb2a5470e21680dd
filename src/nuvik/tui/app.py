"""The application: it holds the desk, goes from stage to stage, and runs long work beside the screens."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from importlib import import_module
from time import monotonic
from typing import TYPE_CHECKING

from textual.app import App, SystemCommand
from textual.binding import Binding
from textual.message import Message
from textual.screen import Screen
from textual.worker import Worker, WorkerState

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NuvikError, StopRequested
from nuvik.core.model.gauging import GaugeBudget, GaugeProgress
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Event, Stop
from nuvik.core.survey.walk.walk_pool import Progress
from nuvik.tui.desk import Carrying, Desk, Gauging
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.help import Help
from nuvik.tui.screens.opening import Opening
from nuvik.tui.screens.stage import STAGES, StageScreen
from nuvik.tui.screens.survey import SurveyScreen
from nuvik.tui.theme import palette_of, themes

if TYPE_CHECKING:
    from nuvik.core.carrying.run import Outcome
    from nuvik.core.carrying.work import Work
    from nuvik.core.workspace import Workspace


def _later(module: str, name: str) -> Callable[[], StageScreen]:
    """A stage that is loaded when it is first gone to, so that the first picture does not wait for it."""

    def make() -> StageScreen:
        screen: StageScreen = getattr(import_module(f"nuvik.tui.screens.{module}"), name)()
        return screen

    return make


_FIRST_PICTURE_S = 0.05
_WATCH_EVERY_S = 3.0
_TELL_EVERY_S = 0.1


def open_screens(opener: Callable[[], Workspace]) -> None:
    """Run the screens until the user leaves. Raises what `opener` raised, if it did."""
    app = NuvikApp(opener)
    app.run()
    if app.trouble is not None:
        raise app.trouble


class CarryNews(Message):
    """Something happened while carrying."""

    def __init__(self, event: Event) -> None:
        super().__init__()
        self.event = event


class NuvikApp(App[None]):
    """The screens on one computer or world."""

    TITLE = "Nuvik"
    CSS_PATH = "nuvik.tcss"
    SCREENS = {
        "survey": SurveyScreen,
        "speeds": _later("speeds", "SpeedsScreen"),
        "plan": _later("plan", "PlanScreen"),
        "rehearse": _later("rehearse", "RehearseScreen"),
        "carry": _later("carry", "CarryScreen"),
        "logbook": _later("logbook", "LogbookScreen"),
    }
    BINDINGS = [
        *(Binding(str(number), f"go('{stage}')", stage, show=False) for number, stage in enumerate(STAGES, start=1)),
        Binding("question_mark", "help", "help", key_display="?"),
        Binding("ctrl+p", "command_palette", "commands", key_display="^p"),
        Binding("t", "next_theme", "theme"),
        Binding("q", "leave", "quit"),
    ]

    desk: Desk
    """There once the workspace is open, and with it every stage."""

    def __init__(self, opener: Callable[[], Workspace]) -> None:
        """`opener` gives the workspace; it is called beside the first picture, since drives may be slow to answer."""
        super().__init__()
        self._opener = opener
        self.trouble: NuvikError | None = None
        """Why the workspace could not be opened, once the application has ended for that."""
        self._survey_stop = Stop()
        self._told_at_s = 0.0
        self._attached: dict[str, bool] = {}
        """Which drives were here at the last look."""
        self.surveying: Progress | None = None
        """How far the survey has got; None when none runs."""

        for theme in themes():
            self.register_theme(theme)
        self.theme = themes()[0].name

    def get_theme_variable_defaults(self) -> dict[str, str]:
        """Variables of our own that the style sheet uses, for themes that do not set them."""
        return {"quiet": palette_of("").quiet}

    def on_mount(self) -> None:
        self.push_screen(Opening())
        # A moment's wait lets the first picture be drawn before the work takes the processor.
        self.set_timer(_FIRST_PICTURE_S, lambda: self.run_worker(self._open, thread=True, group="open"))

    def _open(self) -> None:
        try:
            desk = Desk.laid(self._opener())
        except NuvikError as trouble:
            self.trouble = trouble
            self.call_from_thread(self.exit)
            return
        self.call_from_thread(self._opened, desk)

    def _opened(self, desk: Desk) -> None:
        self.desk = desk
        self._attached = {drive.id: drive.attached for drive in desk.snapshot.drives}
        self.switch_screen("survey")
        self.call_after_refresh(self.begin_survey)
        self.set_interval(_WATCH_EVERY_S, self._watch_drives)

    # -- going about ---------------------------------------------------------------------------------------

    def action_go(self, stage: str) -> None:
        """Go to a stage."""
        if isinstance(self.screen, StageScreen) and stage != self.screen.STAGE:
            self.switch_screen(stage)

    def action_next_theme(self) -> None:
        names = [theme.name for theme in themes()]
        self.theme = names[(names.index(self.theme) + 1) % len(names)] if self.theme in names else names[0]
        self.refresh_stage()

    def action_help(self) -> None:
        if isinstance(self.screen, StageScreen):
            self.push_screen(Help(self.screen.STAGE))

    def action_leave(self) -> None:
        """Quit; while something is carried, only after it came to a safe point."""
        if isinstance(self.screen, Opening):
            self.exit()
            return
        carrying = self.desk.carrying
        if carrying is None or not carrying.running:
            self.exit()
            return
        question = "A library is being carried. Stop at the next safe point and leave? “nuvik resume” goes on later."
        self.push_screen(Confirm(question, "stop and leave"), self._leave_when_stopped)

    def _leave_when_stopped(self, agreed: bool | None) -> None:
        if agreed and self.desk.carrying is not None:
            self.desk.carrying.stop.ask()
            self.set_interval(
                0.2, lambda: self.exit() if not self.desk.carrying or not self.desk.carrying.running else None
            )

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:
        """What the command search offers."""
        for stage in STAGES:
            yield SystemCommand(f"Go to {stage.capitalize()}", f"the {stage} screen", partial(self.action_go, stage))
        yield SystemCommand("Survey again", "measure drives and libraries anew", self.begin_survey)
        yield SystemCommand("Change the theme", "night, day, high contrast", self.action_next_theme)
        yield SystemCommand("Help", "what the keys of this screen do", self.action_help)
        yield SystemCommand("Quit", "leave Nuvik", self.action_leave)

    def refresh_stage(self) -> None:
        """Let the stage on view show the desk again."""
        for screen in self.screen_stack:
            if isinstance(screen, StageScreen) and screen.is_mounted:
                screen.show_desk()

    def complain(self, trouble: NuvikError) -> None:
        """Show a refusal: what happened and what to do next."""
        self.notify(
            f"{trouble.what} {trouble.next_step}", title="Not done", severity="warning", timeout=12, markup=False
        )

    # -- surveying -----------------------------------------------------------------------------------------

    def begin_survey(self) -> None:
        """Survey in the background; the screens show the last snapshot meanwhile."""
        if self.surveying is not None:
            return
        self.surveying = Progress(0, 0, 0, 0)
        self._survey_stop = Stop()
        self.refresh_stage()
        self.run_worker(self._survey, thread=True, group="survey", exit_on_error=False)

    def stop_survey(self) -> None:
        """Let the survey end with what it has; that is shown, and marked as not complete."""
        self._survey_stop.ask()

    def _survey(self) -> None:
        try:
            snapshot = self.desk.workspace.survey((), self._survey_progress, self._survey_stop)
        except NuvikError as trouble:
            self.call_from_thread(self.complain, trouble)
            snapshot = None
        self.call_from_thread(self._surveyed, snapshot)

    def _survey_progress(self, progress: Progress) -> None:
        self.surveying = progress
        self.call_from_thread(self._follow_survey)

    def _follow_survey(self) -> None:
        if isinstance(self.screen, StageScreen):
            self.screen.follow_survey()

    def _surveyed(self, snapshot: object) -> None:
        from nuvik.core.model.snapshot import Snapshot

        self.surveying = None
        if isinstance(snapshot, Snapshot):
            self.desk.take_snapshot(snapshot)
        self.refresh_stage()

    # -- carrying ------------------------------------------------------------------------------------------

    def begin_carrying(self, title: str, act: Callable[[Work], Outcome]) -> None:
        """Carry, resume, undo or release in the background, and go to Carry to watch it."""
        if self.desk.carrying is not None and self.desk.carrying.running:
            self.notify("Something is being carried already: wait until it is done.", severity="warning")
            return
        self._survey_stop.ask()
        self.desk.carrying = Carrying(title)
        self.action_go("carry")
        self.run_worker(partial(self._carry, act, self.desk.carrying), thread=True, group="carry", exit_on_error=False)

    def _carry(self, act: Callable[[Work], Outcome], carrying: Carrying) -> None:
        from nuvik.core.views.carry_headline import ended_headline

        workspace = self.desk.workspace
        try:
            outcome = act(workspace.work(self._report, carrying.stop))
            ended, trouble = ended_headline(outcome, workspace.labels()), False
        except NuvikError as fault:
            ended, trouble = f"{fault.what} {fault.next_step}", True
        self.call_from_thread(self._carried, carrying, ended, trouble)

    def _report(self, event: Event) -> None:
        self.post_message(CarryNews(event))

    def _carried(self, carrying: Carrying, ended: str, trouble: bool) -> None:
        carrying.ended, carrying.trouble = ended, trouble
        self.refresh_stage()
        self.begin_survey()

    def on_carry_news(self, news: CarryNews) -> None:
        carrying = self.desk.carrying
        if carrying is None:
            return
        if news.event.event == "progress":
            carrying.progress = news.event
        carrying.event = news.event
        if news.event.move and news.event.move not in carrying.moves:
            carrying.moves.append(news.event.move)
        if isinstance(self.screen, StageScreen):
            self.screen.follow(news.event)

    # -- drives and speeds ---------------------------------------------------------------------------------

    def begin_gauging(self, budgets: list[GaugeBudget]) -> None:
        """Measure drives in the background, and go to Speeds to watch it."""
        if self.desk.gauging is not None and self.desk.gauging.running:
            self.notify("A drive is being measured already: wait until it is done.", severity="warning")
            return
        self.desk.gauging = Gauging()
        self.action_go("speeds")
        work = partial(self._gauge, budgets, self.desk.gauging)
        self.run_worker(work, thread=True, group="gauge", exit_on_error=False)

    def _gauge(self, budgets: list[GaugeBudget], gauging: Gauging) -> None:
        try:
            gauging.outcomes = self.desk.workspace.gauge(
                budgets, lambda progress: self._gauge_told(gauging, progress), gauging.stop
            )
        except StopRequested:
            gauging.trouble = "Stopped as asked; the test file is removed, and nothing of this measurement was kept."
        except NuvikError as trouble:
            gauging.trouble = f"{trouble.what} {trouble.next_step}"
        self.call_from_thread(self._gauged, gauging)

    def _gauge_told(self, gauging: Gauging, progress: GaugeProgress) -> None:
        now_s = monotonic()
        if now_s - self._told_at_s >= _TELL_EVERY_S:
            self._told_at_s = now_s
            self.call_from_thread(self._follow_gauge, gauging, progress)

    def _follow_gauge(self, gauging: Gauging, progress: GaugeProgress) -> None:
        gauging.take(progress)
        if isinstance(self.screen, StageScreen):
            self.screen.follow_gauge()

    def _gauged(self, gauging: Gauging) -> None:
        gauging.running = False
        self.drives_changed()

    def drives_changed(self) -> None:
        """Look at the drives anew, unless they are being moved about on."""
        carrying = self.desk.carrying
        if carrying is None or not carrying.running:
            self.desk.take_drives(self.desk.workspace.host.drives())
            self.refresh_stage()

    def _watch_drives(self) -> None:
        """Look in the background whether a drive came or went; one that hangs must not stop the screens."""
        if not isinstance(self.screen, StageScreen):
            return
        self.run_worker(self._look_at_drives, thread=True, group="watch", exclusive=True, exit_on_error=False)

    def _look_at_drives(self) -> None:
        try:
            drives, strangers = self.desk.workspace.host.drives(), self.desk.workspace.strangers()
        except NuvikError:
            return  # the state folder or the world's file is being changed: the next look tells
        self.call_from_thread(self._looked_at_drives, drives, strangers)

    def _looked_at_drives(self, drives: tuple[Drive, ...], strangers: list[Drive]) -> None:
        before, now = self._attached, {drive.id: drive.attached for drive in drives}
        self._attached = now
        if before == now:
            return
        for drive in drives:
            if before.get(drive.id, not drive.attached) != drive.attached:
                self.notify(f"{shown(drive.label)} {'is here' if drive.attached else 'went away'}.", markup=False)
        self.drives_changed()
        if strangers and isinstance(self.screen, StageScreen):
            from nuvik.tui.screens.arrival import DriveCard

            self.push_screen(DriveCard(strangers[0], self.desk))

    def on_worker_state_changed(self, change: Worker.StateChanged) -> None:
        """A fault of our own in background work must not leave the screens waiting for ever."""
        if change.state is not WorkerState.ERROR:
            return
        fault = change.worker.error
        self.notify(f"A fault in Nuvik itself: {fault!r}", severity="error", timeout=20, markup=False)
        if change.worker.group == "survey":
            self.surveying = None
        elif change.worker.group == "gauge" and self.desk.gauging is not None:
            self.desk.gauging.trouble = "A fault in Nuvik itself ended this measurement."
            self.desk.gauging.running = False
        elif self.desk.carrying is not None and change.worker.group == "carry":
            self.desk.carrying.ended = "A fault in Nuvik itself ended this. Go to Logbook: go on, or take it back."
            self.desk.carrying.trouble = True
        self.refresh_stage()
