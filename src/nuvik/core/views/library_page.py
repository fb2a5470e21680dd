"""Everything about a library, as lines that any interface shows."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass

from nuvik.core.model.clock import ago, moment_or_none
from nuvik.core.model.library import Library, Verdict
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count, format_duration, format_speed
from nuvik.core.planning.drafting.reasons import how_often
from nuvik.core.planning.placement.limits import could_hold
from nuvik.core.survey.walk.folder_tree import Folder
from nuvik.core.views.fallback_sentences import changed_since

_MAY = {
    Verdict.FREE: "yes",
    Verdict.LATER: "yes, but not right now: ",
    Verdict.UNWISE: "better not: ",
    Verdict.IMPOSSIBLE: "no: ",
}


_NOTABLE = 0.02
"""What a library would take elsewhere is told from so large a difference on."""


def library_page(library: Library, snapshot: Snapshot) -> Iterator[tuple[str, str]]:
    """What is known of it as (name, words), in the order in which a user asks."""
    drive, drives = snapshot.drive(library.drive), snapshot.drives
    yield "path", shown(library.path) + (" (hidden)" if library.hidden else "")
    if library.tether:
        yield "opens as", f"{shown(library.tether)}, a link to it"
    sure = "" if library.confidence >= 0.85 else " (a guess)" if library.confidence < 0.5 else " (likely)"
    yield "looks like", f"{library.kind}{sure}" + (f": {library.why}" if library.why else "")
    yield "takes", _size(library)
    yield "largest file", format_bytes(library.largest_file_bytes)
    elsewhere = [
        f"{format_bytes(room)} on {shown(other.label)}"
        for other in drives
        if other.id != drive.id
        and could_hold(other, library)
        and abs((room := library.room_on(other)) - library.on_disk_bytes) > _NOTABLE * library.on_disk_bytes
    ]
    if elsewhere:
        yield "would take", ", ".join(elsewhere)
    opens = f", opened {how_often(library.opens_per_week)}" if library.opens_per_week else ""
    yield "last used", f"{_ago(library.last_used)}{opens} ({library.use_source})"
    if library.cold_bytes:
        yield "cold", f"{format_bytes(library.cold_bytes)} of it neither read nor changed for a year"
    reason = library.why_not or library.caution
    may = _MAY[library.verdict] + reason
    if library.verdict is Verdict.FREE and reason:
        may += f" ({reason})" if may == "yes" else ""
    if library.verdict is Verdict.UNWISE:
        may += "; you can overrule that on its card"
    yield "may it move?", may.replace("yesyou", "yes: you")
    if library.needs_read_bytes_per_s:
        yield "needs", f"a drive that reads at least {format_speed(library.needs_read_bytes_per_s)}"
    labels = {other.id: shown(other.label) for other in drives}
    if library.timings:
        timed = (
            f"{format_duration(each.seconds)} from {labels.get(each.drive, shown(each.drive))}"
            f" ({'recorded' if each.recorded else 'tasted' if each.tasted else 'timed'})"
            for each in library.timings
        )
        yield "opens in", ", ".join(timed)
    elif library.opening_factor != 1.0:
        yield "timed", f"it takes {library.opening_factor:.2f} times as long to open as its kind usually does"
    if library.pattern is not None:
        read, often = format_bytes(library.pattern.bytes), format_count(library.pattern.runs, "stretch", "stretches")
        yield "opening reads", f"{read} in {often}"
    for tether in library.tethers:
        yield "tether", shown(tether.in_words)
    if (fallback := snapshot.fallback_of(library)) is not None:
        newer = ", which changed later than this did" if changed_since(library, fallback) else ""
        yield "fallback", f"{shown(fallback.name)} on {labels[fallback.drive]}{newer}"
    stands_in = [shown(other.name) for other in snapshot.libraries if snapshot.fallback_of(other) is library]
    if stands_in:
        yield "fallback of", ", ".join(stands_in)
    if library.working_set:
        yield "working set", "you really use it"
    links = [
        f"{count} {where}"
        for count, where in (
            (library.links_in, "within it"),
            (library.links_out, "out of it"),
            (library.links_broken, "that lead nowhere"),
        )
        if count
    ]
    if links:
        yield "links", ", ".join(links)
    if library.not_here_files:
        yield "not here", f"{format_count(library.not_here_files, 'file')} are with a cloud service"
    for part in library.parts:
        yield (
            "part",
            f"{shown(part.path)}: {part.kind}, {format_bytes(part.on_disk_bytes)} in "
            f"{format_count(part.files, 'file')}{'; can be rebuilt' if part.rebuildable else ''}",
        )


def inside_lines(folder: Folder) -> Iterator[tuple[str, str]]:
    """The same of what lies directly inside a library, largest first."""
    for number, row in enumerate(inside_rows(folder)):
        used = f", last used {_ago(row.last_used)}" if row.last_used else ""
        words = f"{format_bytes(row.bytes)} ({row.share:.0%}) in {format_count(row.files, 'file')}{used}"
        yield ("inside" if number == 0 else ""), f"{shown(row.name)}: {words}"


def _ago(moment: str | None) -> str:
    when = ago(moment)
    return when if when in ("today", "never") else f"{when} ago"


def _size(library: Library) -> str:
    words = f"{format_bytes(library.on_disk_bytes)} in {format_count(library.files, 'file')}"
    if library.folders:
        words += f" and {format_count(library.folders, 'folder')}"
    if (length := format_bytes(library.bytes)) != format_bytes(library.on_disk_bytes):
        words += f"; {length} long"
    return words


@dataclass(frozen=True, slots=True)
class Inner:
    """A folder (or the loose files) directly inside a library."""

    name: str
    bytes: int
    files: int
    last_used: str | None
    share: float
    """Of the library's bytes."""


def links_in_words(folder: Folder, most: int) -> list[str]:
    """Links inside a library, those that lead nowhere or out of it first, as `name → goal: out of it`."""
    ranked = []
    for link in folder.links:
        if not os.path.exists(link.path):
            rank, where = 0, "nowhere"
        elif is_within(link.goal_path, folder.path):
            rank, where = 2, "within it"
        else:
            rank, where = 1, "out of it"
        ranked.append((rank, os.path.relpath(link.path, folder.path), link.goal, where))
    return [f"{shown(name)} → {shown(goal)}: leads {where}" for _, name, goal, where in sorted(ranked)[:most]]


BESIDE = "(files next to the folders)"
"""What stands for the files that are in none of a library's folders."""


def inside_rows(folder: Folder) -> list[Inner]:
    """What lies directly inside, largest first."""
    total = folder.extent.on_disk_bytes or 1
    rows = []
    for inner in folder.below.values():
        extent, held = inner.extent, inner.extent.on_disk_bytes
        rows.append(Inner(inner.name, held, extent.files, moment_or_none(extent.last_used_s), held / total))
    beside = folder.extent.on_disk_bytes - sum(row.bytes for row in rows)
    files = folder.extent.files - sum(row.files for row in rows)
    if files > 0:
        rows.append(Inner(BESIDE, max(0, beside), files, None, max(0, beside) / total))
    return sorted(rows, key=lambda row: (-row.bytes, row.name))
