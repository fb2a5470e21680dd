"""What the command search offers besides each screen's own keys."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from textual.app import SystemCommand

from nuvik.tui.shell import STAGES, Shell


def system_commands(
    shell: Shell, *, change_theme: Callable[[], None], show_help: Callable[[], None], leave: Callable[[], None]
) -> Iterator[SystemCommand]:
    """The commands that apply on every screen."""
    for stage in STAGES:
        yield SystemCommand(f"Go to {stage.capitalize()}", f"the {stage} screen", partial(shell.go, stage))
    yield SystemCommand("Survey again", "measure drives and libraries again", shell.survey_job.begin)
    yield SystemCommand("Change the theme", "night, day, high contrast", change_theme)
    yield SystemCommand("Help", "what the keys of this screen do", show_help)
    yield SystemCommand("Quit", "leave Nuvik", leave)
