"""A figure and its unit stay on one line.

Lines are broken by `rich`, for the toolkit too, at any blank, a no-break space among them. Here a blank between a
figure and its unit is none.
"""

from __future__ import annotations

import re
from typing import Any

_TIMES = "s|min|h|days?"
_UNITS = r"%|[kMGTP]?B(?:/s)?|ms|s|min|h|days?|weeks?|months?|years?|moves?|files?|libraries|library"
WORD = re.compile(rf"\s*\S+(?:(?<=\d) (?:{_UNITS})(?: \d+ (?:{_TIMES}))?(?!\w)\S*)?\s*")
"""A word, with the blanks around it: what is not broken. “6 min 24 s” is one."""


def keep_figures_whole() -> None:
    """To be called before anything is drawn. Where lines are broken otherwise, nothing changes."""
    from rich import _wrap

    wrap: Any = _wrap
    if hasattr(wrap, "re_word"):
        wrap.re_word = WORD
