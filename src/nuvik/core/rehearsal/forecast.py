"""Forecast: in how many weeks each drive goes under its headroom, as things are and once a plan is carried."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.timeline import Forecast, Timeline
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.survey.history.growth import Growth, weeks_left


def forecasts(scene: Scene, timeline: Timeline, rates: Mapping[str, Growth | None]) -> tuple[Forecast, ...]:
    """For each attached drive that grows. `rates` are by drive id."""
    results = []
    for drive in scene.drives:
        rate = rates.get(drive.id)
        if rate is None or not drive.attached or rate.bytes_per_week <= 0:
            continue
        floored = replace(drive, headroom_bytes=scene.floor_bytes(drive))
        then = replace(floored, used_bytes=drive.usable_bytes - max(0, timeline.free_after_bytes[drive.id]))
        results.append(Forecast(drive=drive.id, now=_weeks(floored, rate), then=_weeks(then, rate)))
    return tuple(results)


def _weeks(drive: Drive, rate: Growth) -> tuple[float, float] | None:
    return (0.0, 0.0) if drive.free_bytes <= drive.headroom_bytes else weeks_left(drive, rate)
