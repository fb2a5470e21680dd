"""A check that the user taught: what must hold once a library has moved, looked at by path."""

from __future__ import annotations

import os

from nuvik.core.model.errors import Refused
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.tether import Tether, TetherKind
from nuvik.core.settings.settings_file import means, value_of


def place_of_check(check: Tether, library: str) -> str:
    """The file that a check looks at, for a library that lies at a path."""
    return os.path.normpath(os.path.join(library, check.file))


def why_not_held(check: Tether, library: str, home: str) -> str:
    """What of a check does not hold for a library at a path, as a sentence; empty where all does."""
    place = place_of_check(check, library)
    if not os.path.isabs(check.file) and not is_within(place, library):
        return f"{shown(check.file)} is not in {shown(library)}."
    if not check.key:
        return "" if os.path.exists(place) else f"{shown(place)} is not there."
    try:
        value = value_of(Tether(kind=TetherKind.CHECK, file=place, format=check.format, key=check.key))
    except Refused as refusal:
        return refusal.what
    held = value == check.value if check.value else means(TetherKind.SETTING, value, library, home)
    wanted = f"“{shown(check.value)}”" if check.value else shown(library)
    return "" if held else f"“{shown(check.key)}” in {shown(place)} is “{shown(value)}”, not {wanted}."
