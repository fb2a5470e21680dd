"""A rehearsal in words."""

from __future__ import annotations

from nuvik.core.model.estimate import Estimate
from nuvik.core.model.names import shown
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.units import format_bytes, format_count


def takes(timeline: Timeline) -> str:
    """How long it takes, as one duration or two."""
    low, high = timeline.total_range_s or (timeline.total_s, timeline.total_s)
    return Estimate(low, timeline.total_s, high).in_words()


def rehearsal_headline(timeline: Timeline, labels: dict[str, str]) -> str:
    """The sentence that matters most. `labels` gives each drive's label by id."""
    if timeline.violations:
        first = timeline.violations[0]
        many = f" (and {len(timeline.violations) - 1} more)" if len(timeline.violations) > 1 else ""
        return f"Cannot be carried: step {first.n}, {shown(first.library)}: {first.problem}{many}"
    if not timeline.steps:
        return "Nothing to rehearse: set a library down on another drive in Plan first."
    said = f"Fits. {format_count(len(timeline.steps), 'move')} in {takes(timeline)}."
    margins = {
        drive: low - timeline.floor_bytes[drive]
        for drive, low in timeline.lowest_free_bytes.items()
        if low < timeline.free_before_bytes[drive]
    }
    if margins:
        tightest = min(margins, key=lambda drive: margins[drive])
        at = next(
            one.n for one in timeline.steps if one.lowest_free_bytes[tightest] == timeline.lowest_free_bytes[tightest]
        )
        low = format_bytes(timeline.lowest_free_bytes[tightest])
        said += f" Lowest point: {low} free on {shown(labels[tightest])} during step {at}."
    arriving = {drive: names for drive, names in timeline.away.items() if names and drive in margins}
    for drive, names in arriving.items():
        many = format_count(len(names), "library", "libraries")
        said += f" Without {shown(labels[drive])} attached, {many} will not open."
    return said
