"""Why a library is where it is, in words."""

from __future__ import annotations

from collections.abc import Iterator

from nuvik.core.model.names import shown
from nuvik.core.model.units import format_duration
from nuvik.core.planning.drafting.reasons import how_often
from nuvik.core.planning.drafting.why import OnDrive, Why

_FELT_S_PER_WEEK = 0.5
_LEAST_LINE = 0.005


def why_lines(why: Why) -> Iterator[str]:
    """What `nuvik why` says, and the page of a library: the answer first, then each drive."""
    library, now = why.library, why.drives[0]
    name = shown(library.name)
    goes = f"{name} should go to {shown(why.moves_to)}" if why.moves_to else f"{name} stays on {shown(now.label)}"
    yield f"{goes}: {why.reason}." if why.reason else f"{goes}."
    often = how_often(library.opens_per_week) if library.opens_per_week else "hardly ever, as far as is known"
    yield (
        f"You open it {often}, from {shown(now.label)} in {format_duration(now.opening.total_s)}: {_parts(now)}. "
        + (
            "The time is by your own timing."
            if library.opening_factor != 1.0
            else f"These are the figures for the kind “{library.kind}”; “nuvik card --took” replaces them with yours."
        )
    )
    for row in why.drives[1:]:
        yield _elsewhere(row, library.on_disk_bytes)


def _parts(row: OnDrive) -> str:
    opening = row.opening
    parts = (
        (opening.computing_s, "computing"),
        (opening.sequence_s, "reading in sequence"),
        (opening.small_reads_s, "small reads"),
    )
    return ", ".join(f"{format_duration(seconds)} {what}" for seconds, what in parts if seconds >= 0.05) or "no time"


def _elsewhere(row: OnDrive, size: int) -> str:
    words = f"{shown(row.label)}: {format_duration(row.opening.total_s)} ({_parts(row)})"
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
