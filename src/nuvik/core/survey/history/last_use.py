"""How a library is used: the last time, and opens per week, each with the evidence it rests on.

The user's card wins. Else opens per week are the most that any evidence proves: days on which the desktop's list of
recent files names something in it, and surveys since whose last one it was read or changed. Both count too little
rather than too much: a list keeps one line a file, and a library opened twice between surveys counts once.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from nuvik.core.model.clock import days_since, moment_or_none, moment_text
from nuvik.core.model.extent import Extent
from nuvik.core.model.history import Sighting
from nuvik.core.model.library import OPENINGS_UNKNOWN, Card
from nuvik.core.model.surroundings import Recent
from nuvik.core.model.units import format_count

_WEEKS_OF_LIST = 4
"""So far back the list of recent files is taken to be whole."""
_FEWEST_DAYS = 3.0
"""Surveys closer together say nothing of a week."""


@dataclass(frozen=True, slots=True)
class Use:
    """How a library is used."""

    last_used: str | None
    opens_per_week: float
    source: str
    """Where both come from, in words."""


class RecentFiles:
    """The desktop's list, for quick questions."""

    def __init__(self, recent: Sequence[Recent]) -> None:
        self._recent = sorted(recent, key=lambda recent_file: recent_file.path)
        self._paths = [recent_file.path for recent_file in self._recent]

    def below(self, folder: str) -> list[Recent]:
        prefix = folder.rstrip("/\\") + ("\\" if "\\" in folder and "/" not in folder else "/")
        first = bisect_left(self._paths, prefix)
        last = bisect_left(self._paths, prefix + "\U0010ffff")
        return self._recent[first:last]


def use_of(
    extent: Extent,
    card: Card | None,
    recent: Sequence[Recent],
    history: Sequence[Sighting],
    no_access_times: str | None,
) -> Use:
    """What is known of a library's use. `history` holds earlier surveys, oldest first, this one left out."""
    on_card = card.opens_per_week if card is not None else None
    moments = [(extent.newest_content_s, "its newest change")]
    if no_access_times is None:
        moments.append((extent.newest_access_s, "the access times of its files"))
    if recent:
        moments.append((max(recent_file.used_s for recent_file in recent), "the list of recent files"))
    known = [(moment, source) for moment, source in moments if moment is not None]
    last_s, source = max(known, key=lambda pair: pair[0], default=(None, "it holds no files"))
    last_used = moment_or_none(last_s)
    evidence = f"last use: {source}"
    if no_access_times is not None and "access" not in source:
        evidence += f" ({no_access_times})"
    if on_card is not None:
        return Use(last_used, on_card, f"{evidence}; openings: your card")
    per_week, why = max(_from_list(recent), _from_history(extent, history, no_access_times))
    return Use(last_used, per_week, f"{evidence}; openings: {why}" if why else f"{evidence}; {OPENINGS_UNKNOWN}")


def _from_list(recent: Sequence[Recent]) -> tuple[float, str]:
    days = {
        moment_text(recent_file.used_s)[:10]
        for recent_file in recent
        if days_since(moment_text(recent_file.used_s)) <= 7 * _WEEKS_OF_LIST
    }
    if not days:
        return 0.0, ""
    why = f"at least {format_count(len(days), 'day')} in {_WEEKS_OF_LIST} weeks, by the list of recent files"
    return round(len(days) / _WEEKS_OF_LIST, 2), why


def _from_history(extent: Extent, history: Sequence[Sighting], no_access_times: str | None) -> tuple[float, str]:
    if not history or days_since(history[0].taken_at) < _FEWEST_DAYS:
        return 0.0, ""
    moments = [(result.newest_content, None if no_access_times else result.newest_access) for result in history]
    now = (extent.newest_content_s, None if no_access_times else extent.newest_access_s)
    moments.append((moment_or_none(now[0]), moment_or_none(now[1])))
    used = sum(
        (later[0] or "") > (sighting[0] or "") or (later[1] or "") > (sighting[1] or "")
        for sighting, later in pairwise(moments)
    )
    if not used:
        return 0.0, ""
    weeks = days_since(history[0].taken_at) / 7
    return round(used / weeks, 2), f"used between {used} of the last {len(history) + 1} surveys"
