"""The one sentence with which Speeds begins, and the line of consequences at its cursor."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from nuvik.core.model.drive import Drive
from nuvik.core.model.gauging import GaugeOutcome, GaugeProgress, GaugeResult, slower_than_before
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_count, format_duration, format_speed
from nuvik.core.survey.drives.drive_findings import at_its_ceiling

Histories = Mapping[str, Sequence[GaugeResult]]
"""The results of each drive by its id, oldest first."""


def speeds_headline(drives: Sequence[Drive], histories: Histories) -> str:
    """How the drives' speeds stand, and what matters most about them."""
    attached = [drive for drive in drives if drive.attached]
    if not attached:
        return "No drive is attached."
    unmeasured = [drive for drive in attached if drive.speed_source != "measured"]
    sentences = []
    if limit := _what_limits(attached, histories):
        sentences.append(limit)
    if not unmeasured:
        fastest = min(attached, key=lambda drive: drive.felt_load_s)
        slowest = max(attached, key=lambda drive: drive.felt_load_s)
        if fastest.id != slowest.id:
            sentences.insert(
                0,
                f"Everything feels {slowest.felt_load_s / fastest.felt_load_s:,.0f} times slower from "
                f"{shown(slowest.label)} than from {shown(fastest.label)}.",
            )
        return " ".join(sentences) or f"{shown(fastest.label)} has been measured: {fastest.tier}."
    if len(unmeasured) == len(attached):
        sentences.insert(0, "No drive has been measured yet: “nuvik gauge” measures them.")
    else:
        names = ", ".join(shown(drive.label) for drive in unmeasured)
        sentences.insert(0, f"Not measured yet: {names}.")
    return " ".join(sentences)


def _what_limits(drives: Sequence[Drive], histories: Histories) -> str:
    """What matters most: a drive that became slower, else a portable one that could be quicker; else nothing."""
    slower = ((drive, slower_than_before(histories[drive.id])) for drive in drives)
    held_back = ((drive, at_its_ceiling(drive)) for drive in drives if drive.portable)
    for drive, finding in (*slower, *held_back):
        if finding is not None:
            return f"{shown(drive.label)} {finding}."
    return ""


def gauging_headline(progress: GaugeProgress | None, label: str) -> str:
    """What is being measured now."""
    if progress is None:
        return "Measuring …"
    speed = f"{progress.per_s:,.0f} a second" if progress.phase == "small reads" else format_speed(progress.per_s)
    return f"Measuring {shown(label)}: {progress.phase}, {speed}. {100 * progress.share:.0f} % of its time; x stops."


def gauged_headline(outcomes: Sequence[GaugeOutcome], labels: Mapping[str, str]) -> str:
    """How a gauging ended."""
    failed = [outcome for outcome in outcomes if outcome.result is None]
    done = [outcome for outcome in outcomes if outcome.result is not None]
    if failed:
        first = failed[0].problem or ""
        more = f" {format_count(len(done), 'drive')} measured." if done else ""
        return f"{first}{more}"
    if len(done) == 1 and done[0].result is not None:
        result = done[0].result
        return (
            f"{shown(labels.get(done[0].drive, done[0].drive))} reads {format_speed(result.read.bytes_per_s)}; "
            f"its passes are within {100 * result.spread:.0f} %. It took {format_duration(result.took_s)}."
        )
    return f"{format_count(len(done), 'drive')} measured; the test files are removed."
