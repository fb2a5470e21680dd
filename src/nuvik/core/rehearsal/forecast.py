"""Forecast: in how many weeks each drive goes under its headroom, as things are and once a plan is carried."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.names import shown
from nuvik.core.model.timeline import Forecast, Timeline
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.survey.history.growth import FAR_WEEKS, Growth, weeks_left


def forecasts(scene: Scene, timeline: Timeline, rates: Mapping[str, Growth | None]) -> tuple[Forecast, ...]:
    """For each attached drive that grows. `rates` are by drive id."""
    found = []
    for drive in scene.drives:
        rate = rates.get(drive.id)
        if rate is None or not drive.attached or rate.per_week <= 0:
            continue
        floored = replace(drive, headroom_bytes=scene.floor_bytes(drive))
        then = replace(floored, used_bytes=drive.usable_bytes - max(0, timeline.free_after_bytes[drive.id]))
        found.append(Forecast(drive=drive.id, now=_weeks(floored, rate), then=_weeks(then, rate)))
    return tuple(found)


def _weeks(drive: Drive, rate: Growth) -> tuple[float, float] | None:
    return (0.0, 0.0) if drive.free_bytes <= drive.headroom_bytes else weeks_left(drive, rate)


def in_words(forecast: Forecast, label: str) -> str:
    """For example “Kestrel is at its headroom in 3 to 5 weeks; once this is carried, in 20 to 31”."""
    now, then = _said(forecast.now), _said(forecast.then)
    name = shown(label)
    under = forecast.now == (0.0, 0.0)
    start = f"{name} is under its headroom now" if under else f"{name} comes to its headroom {now}"
    return start if forecast.now == forecast.then else f"{start}; once this is carried, {then}"


def _said(weeks: tuple[float, float] | None) -> str:
    if weeks is None:
        return "not for years"
    if weeks == (0.0, 0.0):
        return "at once"
    latest = "many" if weeks[1] >= FAR_WEEKS else f"{weeks[1]:.0f}"
    return f"in {weeks[0]:.0f} to {latest} weeks"
