"""Opening the screens, and what is left to say once they are closed."""

from __future__ import annotations

import gc
import os
import sys
from collections.abc import Callable
from typing import TYPE_CHECKING

from nuvik.core.model.errors import BadInput
from nuvik.tui.app import NuvikApp
from nuvik.tui.prompt_escape import answer_escape_soon
from nuvik.tui.terminal_watch import end_with_the_terminal

if TYPE_CHECKING:
    from nuvik.core.stages.workspace import Workspace


def open_screens(opener: Callable[[], Workspace]) -> None:
    """Run the screens until the user leaves. Raises BadInput without a terminal, and whatever else ended them, as
    `opener` may.
    """
    if not (sys.stdin.isatty() and sys.stdout.isatty()) or os.environ.get("TERM") == "dumb":
        raise BadInput("The screens need a terminal.", next_step="Without one, every stage is a command: nuvik --help.")
    from nuvik.core.stages.config import read_config

    end_with_the_terminal()
    answer_escape_soon()
    app = NuvikApp(opener, read_config().theme, set_apart)
    app.run()
    if app.fault is not None:
        raise app.fault


def set_apart() -> None:
    """Take what there is by now out of the search for circles of values that nothing refers to any more.

    Searching a few thousand libraries again and again would hold up every tenth key by a tenth of a second.
    """
    if gc.get_freeze_count():  # the first time little can be lost, and somebody waits for the first picture
        gc.unfreeze()
        gc.collect()
    gc.freeze()
