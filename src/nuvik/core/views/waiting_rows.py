"""Where the seconds of an opening come from, drive by drive, and how well they are known."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_duration
from nuvik.core.planning.drafting.reasons import how_often
from nuvik.core.planning.placement.limits import could_hold
from nuvik.core.planning.placement.waiting import (
    OpeningTime,
    is_hardly_waited_for,
    known_by,
    opening_bounds_s,
    opening_s,
    opening_time,
    waiting_s_per_week,
    waits_per_week,
)

PARTS = (("▓", "computing"), ("█", "reading in sequence"), ("░", "small reads"))
"""The parts of a bar: what each looks like, and what it stands for."""
LEGEND = "   ".join(f"{sign} {what}" for sign, what in PARTS)


NOT_KNOWN_YET = "How often anything is opened is not known yet, so nothing can be said of waiting."
WILL_BE_KNOWN = "Surveys on other days show it, or say it yourself with “nuvik card PATH --opens-per-week 3”."


@dataclass(frozen=True, slots=True, kw_only=True)
class WaitingRow:
    """One opening of a library from one drive."""

    drive: Drive
    here: bool
    opening: OpeningTime
    bounds_s: tuple[float, float] | None
    """Between what it lies, as far as timings and recordings tell; None where only its kind does."""
    waiting_s_per_week: float


def waiting_rows(library: Library, drives: Sequence[Drive]) -> list[WaitingRow]:
    """Where it is now first, then the quickest drive first. Drives that are away count, too: their speed is known."""
    by_id = {drive.id: drive for drive in drives}
    rows = [
        WaitingRow(
            drive=drive,
            here=drive.id == library.drive,
            opening=opening_time(library, drive),
            bounds_s=opening_bounds_s(library, drive, by_id),
            waiting_s_per_week=waiting_s_per_week(library, drive),
        )
        for drive in drives
    ]
    return sorted(rows, key=lambda row: (not row.here, row.opening.total_s, row.drive.label))


def rows_to_compare(library: Library, drives: Sequence[Drive]) -> list[WaitingRow]:
    """From where it is now, and from the quickest and the slowest other drive that could hold it."""
    able = [drive for drive in drives if drive.id == library.drive or could_hold(drive, library)]
    here, *others = waiting_rows(library, able)
    return [here, *others[:1], *others[1:][-1:]]


def bar(opening: OpeningTime, longest_s: float, cells: int) -> str:
    """An opening as a bar of its parts, in which `longest_s` fills all cells; each part that is there has a cell."""
    ends, at_s, text = [], 0.0, ""
    for seconds in (opening.computing_s, opening.sequence_s, opening.small_reads_s):
        at_s += seconds
        ends.append(at_s / longest_s * cells if longest_s > 0 else 0.0)
    for (sign, _), end in zip(PARTS, ends, strict=True):
        text += sign * (round(end) - len(text))
    return text or (PARTS[0][0] if opening.total_s else "")


def between(bounds_s: tuple[float, float] | None) -> str:
    """Such as `19 s to 24 s`; empty where nothing tells, or where it is as narrow as it is shown."""
    if bounds_s is None:
        return ""
    low, high = map(format_duration, bounds_s)
    return f"{low} to {high}" if low != high else ""


def how_known(library: Library) -> str:
    """How well its seconds are known, in a few words for the end of a line."""
    known = known_by(library)
    if known == "recorded":
        count = len({timing.drive for timing in library.timings if timing.recorded})
        words = "recorded" if count == 1 else f"recorded on {count} drives"
        return f"{words}, and tasted" if any(timing.tasted for timing in library.timings) else words
    if known == "timed":
        return "as you timed it"
    if library.like is not None:
        count = library.like.libraries
        return f"like the {count} recorded of its kind" if count > 1 else "like the recorded one of its kind"
    return "assumed by its kind"


def opening_headline(library: Library) -> str:
    """How well the seconds of its opening are known, and how often they pass."""
    often = f" You open it {how_often(library.opens_per_week)}." if library.opens_per_week else ""
    return f"Seconds to open {shown(library.name)}, {how_known(library)}.{often}{hardly_waited_for(library)}"


def hardly_waited_for(library: Library) -> str:
    """Why a week's waiting is less than its openings take together; empty where it is not."""
    if not is_hardly_waited_for(library):
        return ""
    return f" A tenth of that counts as waiting, since programs read a {library.kind} while you do something else."


@dataclass(frozen=True, slots=True, kw_only=True)
class Wait:
    """What the user waits for a library where it is now."""

    library: Library
    drive: Drive
    opens_s: float

    @property
    def s_per_week(self) -> float:
        return self.opens_s * waits_per_week(self.library)

    @property
    def cells(self) -> tuple[str, ...]:
        """Library, drive, one opening, all of a week, how often, and how well that is known."""
        times = (format_duration(self.opens_s), format_duration(self.s_per_week))
        often = how_often(self.library.opens_per_week)
        return shown(self.library.name), shown(self.drive.label), *times, often, how_known(self.library)


def longest_waits(libraries: Sequence[Library], drives: Sequence[Drive]) -> list[Wait]:
    """The libraries that the user waits for, the most seconds a week first."""
    by_id = {drive.id: drive for drive in drives}
    waits = [
        Wait(library=each, drive=by_id[each.drive], opens_s=opening_s(each, by_id[each.drive]))
        for each in libraries
        if each.opens_per_week and each.drive in by_id
    ]
    return sorted(waits, key=lambda wait: (-wait.s_per_week, wait.library.name))
