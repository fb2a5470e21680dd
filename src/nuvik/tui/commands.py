"""What the command search offers besides each screen's own keys."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import TYPE_CHECKING

from textual.app import SystemCommand

from nuvik.tui.shell import STAGES

if TYPE_CHECKING:
    from nuvik.tui.app import NuvikApp


def system_commands(app: NuvikApp) -> Iterator[SystemCommand]:
    """The commands that apply on every screen."""
    for stage in STAGES:
        yield SystemCommand(f"Go to {stage.capitalize()}", f"the {stage} screen", partial(app.go, stage))
    yield SystemCommand("Survey again", "measure drives and libraries anew", app.survey_job.begin)
    yield SystemCommand("Change the theme", "night, day, high contrast", app.action_next_theme)
    yield SystemCommand("Help", "what the keys of this screen do", app.action_help)
    yield SystemCommand("Quit", "leave Nuvik", app.action_leave)
