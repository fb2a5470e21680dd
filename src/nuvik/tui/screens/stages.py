"""The screens of the stages, each loaded when it is first gone to, so that the first picture does not wait for all."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from typing import Any

from textual.screen import Screen

from nuvik.tui.screens.stage import StageScreen
from nuvik.tui.screens.survey import SurveyScreen
from nuvik.tui.shell import STAGES


def stage_screens() -> dict[str, Callable[[], Screen[Any]]]:
    """By the name of each stage, what makes its screen."""
    return {"survey": SurveyScreen, **{stage: _later(stage) for stage in STAGES[1:]}}


def _later(stage: str) -> Callable[[], StageScreen]:
    def make() -> StageScreen:
        screen: StageScreen = getattr(import_module(f"nuvik.tui.screens.{stage}"), f"{stage.capitalize()}Screen")()
        return screen

    return make
