"""The application: it holds the desk and the jobs, and goes from stage to stage."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any

from textual import events
from textual.app import SystemCommand
from textual.binding import Binding
from textual.screen import Screen

from nuvik.core.model.drive import Drive
from nuvik.core.model.guide import Story
from nuvik.tui.commands import system_commands
from nuvik.tui.desk import Desk
from nuvik.tui.first_words import say_first_words
from nuvik.tui.jobs.carry import CarryJob
from nuvik.tui.jobs.draft_keeper import DraftKeeper
from nuvik.tui.jobs.drive_watch import DriveWatch
from nuvik.tui.jobs.gauge import GaugeJob
from nuvik.tui.jobs.opening import OpeningJob
from nuvik.tui.jobs.survey import SurveyJob
from nuvik.tui.message_app import MessageApp
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.drive_card import DriveCard
from nuvik.tui.screens.guide import GuidePage
from nuvik.tui.screens.help import Help
from nuvik.tui.screens.opening import OpeningScreen
from nuvik.tui.screens.over import Over
from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.screens.stages import stage_screens
from nuvik.tui.shell import STAGES, Follows, stage_key
from nuvik.tui.themed_app import ThemedApp
from nuvik.tui.whole_figures import keep_figures_whole

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace

_FIRST_PICTURE_S, _WATCH_EVERY_S, _KEEP_EVERY_S = 0.05, 3.0, 2.0


class NuvikApp(ThemedApp, MessageApp):
    """The screens on one computer or world."""

    TITLE = "Nuvik"
    CSS_PATH = "nuvik.tcss"
    SCREENS = stage_screens()
    BINDINGS = [
        *(Binding(stage_key(stage), f"go('{stage}')", stage, show=False) for stage in STAGES),
        Binding("question_mark", "help", "help", key_display="?"),
        Binding("ctrl+p", "command_palette", "commands", key_display="^p"),
        Binding("t", "next_theme", "theme"),
        Binding("q", "leave", "quit"),
    ]

    desk: Desk  # there once the workspace is open, and with it every stage

    def __init__(
        self, opener: Callable[[], Workspace], theme: str = "", at_rest: Callable[[], None] = lambda: None
    ) -> None:
        """`opener` gives the workspace; it is called beside the first picture, since drives may be slow to answer.
        `theme` is night, day or contrast; `at_rest` is called, beside the screens, when long work has brought much that
        will stay.
        """
        keep_figures_whole()
        super().__init__(theme)
        self.at_rest = at_rest
        self.animation_level = "none"
        self.survey_job = SurveyJob(self)
        self.carry_job = CarryJob(self, self.survey_job)
        self.drive_watch = DriveWatch(self, lambda: self.carry_job.is_running)
        self.draft_keeper = DraftKeeper(self)
        self.gauge_job = GaugeJob(self, self.drive_watch)
        self.opening_job = OpeningJob(self, opener)

    def on_mount(self) -> None:
        self.push_screen(OpeningScreen())
        # A moment's wait lets the first picture be drawn before the work takes the processor.
        self.set_timer(_FIRST_PICTURE_S, self.opening_job.begin)

    def opened(self, desk: Desk) -> None:
        """The workspace is open: show it, and survey."""
        self.desk = desk
        self.drive_watch.begin(desk.snapshot.drives)
        self.switch_screen("survey")
        self.call_after_refresh(self.survey_job.begin)
        self.set_interval(_WATCH_EVERY_S, self.drive_watch.look)
        self.set_interval(_KEEP_EVERY_S, self.draft_keeper.look)
        say_first_words(desk, self.notify)

    def go(self, stage: str) -> None:
        if isinstance(self.screen, StageScreen) and stage != self.screen.STAGE:
            self.switch_screen(stage)

    def refresh_stage(self) -> None:
        for screen in self.screen_stack:
            if isinstance(screen, StageScreen) and screen.is_mounted:
                screen.show_desk()

    def follow(self, happening: str, *details: Any) -> None:
        if isinstance(self.screen, Follows):
            self.screen.follow(happening, *details)

    def greet(self, drive: Drive) -> None:
        if isinstance(self.screen, StageScreen):
            self.push_screen(DriveCard(drive, self.desk, then=self._guide))

    def _guide(self, drive: Drive) -> None:
        """A new drive has its name: lead through the rest."""
        self.push_screen(GuidePage(Story.NEW_DRIVE, drive, self.desk))

    def on_click(self, event: events.Click) -> None:
        """A click beside a box does what Esc does."""
        if isinstance(self.screen, Over) and event.widget is self.screen:
            self.simulate_key("escape")

    action_go = go

    def action_next_theme(self) -> None:
        self.next_theme()
        self.refresh_stage()

    def action_help(self) -> None:
        if isinstance(self.screen, StageScreen):
            self.push_screen(Help(self.screen.STAGE))

    def action_leave(self) -> None:
        """Quit; while something is carried, only once it came to a safe point."""
        if hasattr(self, "desk"):
            self.draft_keeper.keep_now()
        if not self.carry_job.is_running:
            self.exit()
            return
        question = "A library is being carried. Stop at the next safe point and quit? Carry continues it later."
        self.push_screen(
            Confirm(question, "stop and quit"), lambda agreed: self.carry_job.stop_and(self.exit) if agreed else None
        )

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:
        return system_commands(
            self, change_theme=self.action_next_theme, show_help=self.action_help, leave=self.action_leave
        )
