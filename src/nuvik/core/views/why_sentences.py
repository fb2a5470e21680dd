"""Why a library is where it is, in words."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from nuvik.core.model.names import shown
from nuvik.core.model.units import format_count, format_duration
from nuvik.core.planning.drafting.reasons import how_often
from nuvik.core.planning.drafting.why import OnDrive, Why
from nuvik.core.views.waiting_rows import bar, between, hardly_waited_for

_FELT_S_PER_WEEK = 0.5
_LEAST_LINE = 0.005
_MAY_DIFFER = "elsewhere it may differ by a tenth"
_SELDOM, _OFTEN = 0.05, 200.0
"""Openings a week: what is less or more than that is no figure for anybody."""


def where_it_belongs(why: Why) -> str:
    """The answer, and what would change it."""
    name, goal = shown(why.library.name), _goal(why)
    goes = f"{name} should go to {shown(goal.label)}" if goal else f"{name} stays on {shown(why.drives[0].label)}"
    answer = f"{goes}: {why.reason}." if why.reason else f"{goes}."
    return f"{answer} {_what_would_change(why, goal)}".rstrip()


def where_its_seconds_come_from(why: Why) -> str:
    """How often it is opened, and how well its seconds are known."""
    often = (
        how_often(why.library.opens_per_week) if why.library.opens_per_week else "rarely if ever, as far as is known"
    )
    sure = _how_sure(why, "its card (e) takes yours instead")
    return f"You open it {often}. {sure}{hardly_waited_for(why.library)}"


@dataclass(frozen=True, slots=True)
class WhyRow:
    """What one drive would mean for a library, in columns."""

    drive: str
    opens_in: str
    between: str
    """Between what that lies; empty where no timing tells."""
    bar: str
    """Computing, reading in sequence and small reads, side by side."""
    a_week: str
    worth: str
    obstacle: str


def why_rows(why: Why, cells: int) -> Iterator[WhyRow]:
    """Each drive, where the library is now first; the longest opening fills a bar of so many cells."""
    longest_s = max(row.opening.total_s for row in why.drives)
    for row in why.drives:
        opening, saves_s = row.opening, row.saves_s_per_week
        a_week = f"{'saves' if saves_s > 0 else 'costs'} {format_duration(abs(saves_s))}"
        yield WhyRow(
            drive=shown(row.label),
            opens_in=format_duration(opening.total_s),
            between=between(row.bounds_s),
            bar=bar(opening, longest_s, cells),
            a_week="is here" if row.here else a_week if abs(saves_s) >= _FELT_S_PER_WEEK else "no difference",
            worth=f"{row.worth_s_per_week_per_gb:.2g} s" if saves_s >= _FELT_S_PER_WEEK else "",
            obstacle=row.obstacle,
        )


def why_lines(why: Why) -> Iterator[str]:
    """What `nuvik why` says: the answer first, then each drive."""
    library, now = why.library, why.drives[0]
    yield where_it_belongs(why)
    often = how_often(library.opens_per_week) if library.opens_per_week else "rarely if ever, as far as is known"
    yield (
        f"You open it {often}, from {shown(now.label)} in {format_duration(now.opening.total_s)}: {_parts(now)}. "
        + _how_sure(why, "“nuvik card --took” replaces them with yours")
        + hardly_waited_for(library)
    )
    for row in why.drives[1:]:
        yield _elsewhere(row)


def _goal(why: Why) -> OnDrive | None:
    return next((row for row in why.drives if row.drive == why.moves_to), None)


def _how_sure(why: Why, better: str) -> str:
    """How well its seconds are known, and what makes them `better` known."""
    library = why.library
    if why.source == "assumed":
        like = library.like
        known = f", corrected by {like.libraries} of that kind that you recorded" if like is not None else ""
        return f"These are the figures for the kind “{library.kind}”{known}; {better}."
    if why.source == "recorded":
        recorded = len({timing.drive for timing in library.timings if timing.recorded})
        if tasted := len({timing.drive for timing in library.timings if timing.tasted}):
            return f"Its opening was recorded, and {format_count(tasted, 'more drive')} tasted: {_MAY_DIFFER}."
        if recorded > 1:
            return f"Its opening was recorded on {recorded} drives: {_MAY_DIFFER}."
        return "Its opening was recorded on one drive: elsewhere it may differ by a fifth."
    if library.computing_s is not None:
        return "You timed it on two drives, which tells computing from reading."
    return "You timed it on one drive: how much of that was computing is not known, so the other drives have a range."


def _what_would_change(why: Why, goal: OnDrive | None) -> str:
    """With how many openings a week the answer would be another one; empty where no such number is of use."""
    if goal is not None:
        if goal.pays_below_per_week is not None:
            return f"It would stay if you opened it {_per_week(goal.pays_below_per_week)} or more."
        turns = goal.pays_from_per_week or 0.0
        return f"It would stay if you opened it less than {_per_week(turns)}." if turns > _SELDOM else ""
    now = why.library.opens_per_week
    able = [row for row in why.drives[1:] if not row.obstacle and why.library.movable]
    more = [(row.pays_from_per_week, row.label) for row in able if row.pays_from_per_week is not None]
    fewer = [(row.pays_below_per_week, row.label) for row in able if row.pays_below_per_week is not None]
    if more and now < min(more)[0] < _OFTEN:
        return f"It would belong on {shown(min(more)[1])} if you opened it {_per_week(min(more)[0])} or more."
    if fewer and now > max(fewer)[0] > _SELDOM:
        return f"It would belong on {shown(max(fewer)[1])} if you opened it less than {_per_week(max(fewer)[0])}."
    return ""


def _per_week(times: float) -> str:
    """A number of openings, rounded as a person would say it."""
    if times < 0.75:
        return f"once every {round(1 / max(times, _SELDOM))} weeks"
    return how_often(round(times * 2) / 2 if times < 10 else round(times))


def _parts(row: OnDrive) -> str:
    opening = row.opening
    parts = (
        (opening.computing_s, "computing"),
        (opening.sequence_s, "reading in sequence"),
        (opening.small_reads_s, "small reads"),
    )
    return ", ".join(f"{format_duration(seconds)} {what}" for seconds, what in parts if seconds >= 0.05) or "no time"


def _elsewhere(row: OnDrive) -> str:
    words = f"{shown(row.label)}: {format_duration(row.opening.total_s)} ({_parts(row)}{_range(row)})"
    if abs(row.saves_s_per_week) < _FELT_S_PER_WEEK:
        words += "; no difference that you would feel"
    elif row.saves_s_per_week > 0:
        words += (
            f"; saves {format_duration(row.saves_s_per_week)} a week, {row.worth_s_per_week_per_gb:.2g} s for each GB"
        )
    else:
        words += f"; costs {format_duration(-row.saves_s_per_week)} a week"
    if row.line_s_per_week_per_gb > _LEAST_LINE:
        words += f". Its last gigabyte is worth {row.line_s_per_week_per_gb:.2g} s a week"
        if row.saves_s_per_week > 0 and row.worth_s_per_week_per_gb < row.line_s_per_week_per_gb:
            words += ", so others are better off there"
    return f"{words}. Not possible: {row.obstacle}." if row.obstacle else f"{words}."


def _range(row: OnDrive) -> str:
    """Between what the seconds lie, where that is wider than is shown anyway."""
    lies = between(row.bounds_s).replace(" to ", " and ")
    return f"; between {lies}" if lies else ""
