"""File formats carry a family and a number (`nuvik-plan/1`); newer numbers are refused, not guessed at."""

from __future__ import annotations

import re

from nuvik.core.model.errors import Refused

PLAN_ENDING = ".nuvik-plan.json"
"""What the names of plan files end with."""


def check_format(given: object, newest: str, where: str) -> None:
    """Refuse a file that is of another kind or of a newer format than this Nuvik reads. Raises Refused."""
    family, _, version = newest.partition("/")
    match = re.fullmatch(rf"{re.escape(family)}/(\d+)", given) if isinstance(given, str) else None
    if match is None:
        raise Refused(f"{where}: not a “{family}” file.", next_step=f"It should say format = “{newest}”.")
    if int(match.group(1)) > int(version):
        raise Refused(
            f"{where}: written in the newer format {given}.",
            next_step=f"This Nuvik reads up to {newest}: install a newer Nuvik.",
        )
