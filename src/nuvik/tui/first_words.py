"""What is said once the screens are open."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from nuvik.core.model.units import format_count
from nuvik.tui.desk import Desk
from nuvik.tui.shell import stage_key

WELCOME = (
    "Your drives are surveyed now; nothing on them is changed by that.\n"
    "1 to 6 are the stages, in the order of the work; ? explains the one you see.\n"
    "Nothing moves until you carry a plan (5), and everything can be taken back (6)."
)
"""Three lines for whoever starts Nuvik for the first time."""


def say_first_words(desk: Desk, notify: Callable[..., Any]) -> None:
    """Welcome whoever is new, and say what cannot be kept and what waits in Plan."""
    if not desk.snapshot.taken_at:
        notify(WELCOME, title="Welcome", timeout=30)
    if why := desk.workspace.why_only_read:
        notify(why, severity="warning", timeout=20, markup=False)
    if desk.draft.places or desk.draft.suspended:
        count = format_count(len(desk.draft.places) + len(desk.draft.suspended), "move")
        notify(f"Your plan of {count} is in Plan ({stage_key('plan')}), as you left it.")
