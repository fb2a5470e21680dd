"""Whether a library may move, and why not, in the few words of a list."""

from __future__ import annotations

from nuvik.core.model.library import Library, Verdict
from nuvik.core.model.names import shown

_BEFORE = {Verdict.IMPOSSIBLE: "cannot move: ", Verdict.UNWISE: "better not: ", Verdict.LATER: "not now: "}


def verdict_words(library: Library) -> str:
    """Such as “better not: a program keeps its data here”; empty when nothing speaks against moving it."""
    reason = library.why_not or library.caution
    return f"{_BEFORE.get(library.verdict, '')}{shown(reason)}" if reason else ""
