"""Messages of the core name commands; on a screen the same is said by its keys."""

from __future__ import annotations

import re

from nuvik.tui.shell import stage_key

_KEYS: tuple[tuple[str, str, str], ...] = (
    (r"resume", "g", "carry"),
    (r"undo (?:last|\d+)", "u", "logbook"),
    (r"undo plan", "U", "logbook"),
    (r"release(?: all| \d+)?", "e", "logbook"),
    (r"logbook", "", "logbook"),
    (r"mend", "m", "logbook"),
    (r"empty", "E", "logbook"),
    (r"opening record", "o", "logbook"),
    (r"propose(?: --room-to-grow \d+)?", "a", "plan"),
    (r"gauge", "g", "speeds"),
    (r"changes", "g", "survey"),
    (r"survey", "r", "survey"),
    (r"drives", "", "survey"),
    (r"fallback", "k on its page", "survey"),
    (r"landing", "d", "plan"),
    (r"tether(?: [^”]*)?", "f", "plan"),
    (r"carry --side-by-side", "b", "rehearse"),
    (r"card --took", "e on its page", "survey"),
)
"""What a command says after its name, the key that does the same, and its stage."""
_PATTERNS = tuple(
    (re.compile(rf"(?P<run>\b[Rr]un )?“nuvik {command}”"), f"{key} in " * bool(key), stage)
    for command, key, stage in _KEYS
)


def by_keys(text: str) -> str:
    """A message with keys in the place of commands; what has no key stays a command."""
    if "nuvik " not in text and "--" not in text:
        return text
    for pattern, key, stage in _PATTERNS:
        place = f"{key}{stage.capitalize()} ({stage_key(stage)})"

        def says(match: re.Match[str], place: str = place, press: str = "press " if key else "go to ") -> str:
            run = match["run"]
            return place if not run else f"{press.capitalize() if run[0] == 'R' else press}{place}"

        text = pattern.sub(says, text)
    return text.replace("(--every-move)", "(A asks for every move)")
