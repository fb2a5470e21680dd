"""A rehearsal in words."""

from __future__ import annotations

from nuvik.core.model.estimate import Estimate
from nuvik.core.model.names import shown
from nuvik.core.model.timeline import Dip, Effect, Forecast, Timeline
from nuvik.core.model.units import and_more, format_bytes, format_count, format_duration
from nuvik.core.survey.history.growth import FAR_WEEKS


def takes(timeline: Timeline) -> str:
    """How long it takes, as one duration or two."""
    low, high = timeline.total_range_s or (timeline.total_s, timeline.total_s)
    return Estimate(low, timeline.total_s, high).in_words()


def rehearsal_headline(timeline: Timeline, labels: dict[str, str]) -> str:
    """The sentence that matters most. `labels` gives each drive's label by id."""
    if timeline.violations:
        first = timeline.violations[0]
        problem = first.problem.rstrip(".")
        more = and_more(len(timeline.violations) - 1, "problem")
        return f"Cannot be carried: step {first.n}, {shown(first.library)}: {problem}{more}."
    if not timeline.steps:
        return "Nothing to rehearse. Put a library on another drive in Plan first."
    if bad := [effect for effect in timeline.effects if effect.bad]:
        others = len(bad) - 1
        return effect_line(bad[0], named=False) + (f" {format_count(others, 'more problem')} below." if others else "")
    fits = "Fits"
    if timeline.effects:
        fits += f", also if {' and '.join(effect.what for effect in timeline.effects)}"
    words = f"{fits}. {format_count(len(timeline.steps), 'move')} in {takes(timeline)}."
    return " ".join((words, *_on_the_way(timeline, labels)))


def effect_line(effect: Effect, named: bool = True) -> str:
    """What comes of a supposition, as a sentence; then the libraries that it is about, if they are to be named."""
    sentences = (f"If {effect.what}: {effect.words}", effect.names if named else "")
    return " ".join(f"{words}{'' if words.endswith('…') else '.'}" for words in sentences if words)


def on_paper_lines(timeline: Timeline, labels: dict[str, str]) -> list[str]:
    """What carrying a proposal would be like: how long it takes, how low drives go, and what will not open then."""
    if not timeline.steps:
        return []
    lines = [" ".join((f"Moving takes {takes(timeline)}.", *_on_the_way(timeline, labels)))]
    lines += [f"{dip_line(dip, timeline, labels[dip.drive])}." for dip in timeline.dips]
    if halfway := halfway_line(timeline):
        lines.append(f"{halfway}.")
    return lines


def _on_the_way(timeline: Timeline, labels: dict[str, str]) -> list[str]:
    """The lowest point, and what does not open without the portable drives that something comes to."""
    sentences = []
    margins = {
        drive: low - timeline.floor_bytes[drive]
        for drive, low in timeline.lowest_free_bytes.items()
        if low < timeline.free_before_bytes[drive]
    }
    if margins:
        tightest = min(margins, key=lambda drive: margins[drive])
        at = next(
            step.n
            for step in timeline.steps
            if step.lowest_free_bytes[tightest] == timeline.lowest_free_bytes[tightest]
        )
        low = format_bytes(timeline.lowest_free_bytes[tightest])
        sentences.append(f"Lowest point: {low} free on {shown(labels[tightest])} during step {at}.")
    arriving = {drive: names for drive, names in timeline.away.items() if names and drive in margins}
    for drive, names in arriving.items():
        many = format_count(len(names), "library", "libraries")
        sentences.append(f"Without {shown(labels[drive])} attached, {many} will not open.")
    return sentences


def dip_line(dip: Dip, timeline: Timeline, label: str) -> str:
    """For example “Dunlin goes down to 61.0 GB for 8 min, 37.3 GB below its headroom, and then recovers”."""
    below = format_bytes(timeline.floor_bytes[dip.drive] - dip.lowest_bytes)
    low, name = format_bytes(dip.lowest_bytes), shown(label)
    return (
        f"{name} goes down to {low} for {format_duration(dip.seconds)}, {below} below its headroom, and then recovers"
    )


def halfway_line(timeline: Timeline) -> str:
    """When most of the waiting is saved, should one stop midway; empty when that says nothing."""
    saved_s = timeline.waiting_before_s_per_week - timeline.waiting_after_s_per_week
    steps = [step for step in timeline.steps if step.waiting_after_s_per_week is not None]
    if saved_s < 1 or len(steps) < 3:
        return ""
    by_step: dict[int, str] = {}
    for share, name in ((0.5, "half"), (0.9, "nine tenths")):
        wanted = timeline.waiting_before_s_per_week - share * saved_s
        reached = next((step for step in steps if (step.waiting_after_s_per_week or 0.0) <= wanted), None)
        if reached is not None:
            by_step[reached.n] = f"{name} of the savings after {format_duration(reached.end_s)} (step {reached.n})"
    return f"You get {' and '.join(by_step.values())}" if by_step else ""


def forecast_line(forecast: Forecast, label: str) -> str:
    """For example “Kestrel is at its headroom in 3 to 5 weeks; once this is carried, in 20 to 31”."""
    now, then = _when(forecast.now), "not for years" if forecast.then is None else _when(forecast.then)
    name = shown(label)
    if forecast.now == (0.0, 0.0):
        start = f"{name} is already short of its headroom"
    else:
        start = f"{name} {'stays above' if forecast.now is None else 'is down to'} its headroom {now}"
    return start if forecast.now == forecast.then else f"{start}; after this plan, {then}"


def _when(weeks: tuple[float, float] | None) -> str:
    if weeks is None:
        return "for years"
    if weeks == (0.0, 0.0):
        return "at once"
    earliest, latest = f"{weeks[0]:.0f}", "many" if weeks[1] >= FAR_WEEKS else f"{weeks[1]:.0f}"
    return f"in {earliest} to {latest} weeks" if earliest != latest else f"in {format_count(int(earliest), 'week')}"
