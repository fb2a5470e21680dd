"""Growth in words: what changed between two surveys, and how long each drive will last."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from nuvik.core.model.drive import Drive
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.survey.history.growth import FAR_WEEKS, Difference, Growth, differences, weeks_left


def changes_between(before: Snapshot, now: Snapshot) -> list[Difference]:
    """What changed from one survey to another, the largest change first."""
    return differences(before, now)


def forecast_sentence(drive: Drive, rate: Growth | None) -> str:
    """For example “grows by 3 GB a week (2 to 5, 9 surveys): down to its headroom in about 12 weeks (8 to 20)”."""
    if rate is None:
        return "how fast it fills is not known yet; that takes three surveys over a week"
    base = f"by {format_bytes(round(abs(rate.bytes_per_week)))} a week"
    least, most = _signed(rate.least_bytes_per_week), _signed(rate.most_bytes_per_week)
    surveys = format_count(rate.surveys, "survey")
    spread = f"{least} to {most}, {surveys}"
    if rate.bytes_per_week <= 0:
        if abs(rate.bytes_per_week) < 1e6:
            return f"does not grow ({least} to {most} a week, {surveys})"
        return f"shrinks {base} ({spread})"
    if drive.free_bytes <= drive.headroom_bytes:
        return f"grows {base} ({spread}), and is already short of its headroom"
    weeks = weeks_left(drive, rate)
    if weeks is None:
        return f"grows {base} ({spread}): it will last for years"
    middle = (drive.free_bytes - drive.headroom_bytes) / rate.bytes_per_week
    soonest, latest = f"{weeks[0]:.0f}", "many" if weeks[1] >= FAR_WEEKS else f"{weeks[1]:.0f}"
    about = f"about {format_count(round(max(1, middle)), 'week')}"
    about += f" ({soonest} to {latest})" if soonest != latest else ""
    return f"grows {base} ({spread}): down to its headroom in {about}"


def difference_line(difference: Difference) -> str:
    """A difference, as a line."""
    where = " (in no library)" if difference.loose else ""
    return f"{difference.change:<6} {_signed(difference.bytes):>9}  {shown(difference.name)}{where}"


def changes_by_drive(
    every_difference: Sequence[Difference], drives: Sequence[Drive]
) -> Iterator[tuple[Drive, int, list[Difference]]]:
    """Each drive on which something changed, with the sum of it."""
    for drive in drives:
        mine = [difference for difference in every_difference if difference.drive == drive.id]
        if mine:
            yield drive, sum(change.bytes for change in mine), mine


def _signed(count_bytes: float) -> str:
    return f"{'+' if count_bytes >= 0 else '−'}{format_bytes(round(abs(count_bytes)))}"
