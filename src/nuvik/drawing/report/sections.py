"""What the report tells, section by section: sentences, and drawings that take the width they get. The same sections
become pages and HTML.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

from nuvik.core.model.clock import ago
from nuvik.core.model.drive import Drive
from nuvik.core.model.journal import Move, State
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Plan
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count, format_duration
from nuvik.core.model.wishes import Wishes
from nuvik.core.stages.workspace import Workspace
from nuvik.core.views.away_sentences import without
from nuvik.core.views.growth_sentences import forecast_sentence
from nuvik.core.views.history_rows import bought_words
from nuvik.core.views.recommendation_sentences import recommendation_sentences
from nuvik.core.views.speeds_headline import speeds_headline
from nuvik.core.views.status_sentences import matters, status_headline
from nuvik.core.views.survey_headline import survey_headline
from nuvik.core.views.waiting_rows import NOT_KNOWN_YET, longest_waits
from nuvik.drawing.done import draw_before_after, draw_done, last_run
from nuvik.drawing.history import draw_history
from nuvik.drawing.openings import draw_openings
from nuvik.drawing.page import Page
from nuvik.drawing.plan import draw_moves, strips_of
from nuvik.drawing.speeds import draw_speeds
from nuvik.drawing.strips import Strip, draw_strips
from nuvik.drawing.tables import draw_table

if TYPE_CHECKING:
    from nuvik.core.planning.drafting.draft import Draft
    from nuvik.core.planning.drafting.recommendation import Recommendation

Drawn = Callable[[Page, float, float, float], float]
"""Draws at x and y in so much room, and gives where it ends."""
_LARGEST, _MOST_MOVES, _OPENINGS, _NAMED = 12, 25, 6, 6
_CHART = 24.0
"""How tall a chart over time is, in points."""


@dataclass(frozen=True, slots=True)
class Block:
    """Something that stands together: a sentence, or a drawing."""

    words: str = ""
    draw: Drawn | None = None
    says: str = ""
    """What a drawing shows, for those who do not see it."""
    item: bool = False
    """The sentence is one of a list."""


@dataclass(frozen=True, slots=True)
class Section:
    """A part of the report."""

    title: str
    blocks: tuple[Block, ...]


@dataclass(frozen=True, slots=True)
class Report:
    """The whole of it."""

    title: str
    sentence: str
    sections: tuple[Section, ...]


def report_of(workspace: Workspace, propose: bool = True) -> Report:
    """The report of a computer as it is; with a proposal, which takes some seconds. Raises Refused."""
    snapshot = workspace.survey.latest()
    recommendation = workspace.plan.recommend(Wishes(), snapshot) if propose and snapshot.libraries else None
    sections = [
        _at_a_glance(workspace, snapshot),
        _what_they_hold(snapshot),
        _how_fast(workspace, snapshot),
        *([_what_belongs_where(workspace, recommendation)] if recommendation is not None else []),
        _what_was_moved(workspace, snapshot),
        _over_time(workspace),
        _on_the_road(snapshot),
        _words(),
    ]
    surveyed = f"Surveyed on {snapshot.taken_at[:10]}." if snapshot.taken_at else "Nothing has been surveyed yet."
    count = format_count(len(snapshot.libraries), "library", "libraries")
    drives = format_count(len(snapshot.drives), "drive")
    title = f"The drives of {shown(workspace.host_name)}"
    return Report(title, f"{drives}, {count}. {surveyed}", tuple(section for section in sections if section.blocks))


def _says(words: str) -> Block:
    return Block(words=words)


def _at_a_glance(workspace: Workspace, snapshot: Snapshot) -> Section:
    every = matters(workspace.watching.status())
    strips = [Strip(each, snapshot.on_drive(each.id), each.used_bytes) for each in snapshot.drives if each.attached]
    listed = [
        Block(words=f"{matter.words} {matter.next_step if matter.asks else ''}".strip(), item=True) for matter in every
    ]
    return Section(
        "How full the drives are",
        (
            _says(survey_headline(snapshot)),
            *([Block(draw=partial(_strips, strips), says="Each drive as a bar of its libraries.")] if strips else []),
            _says(status_headline(every)),
            *listed,
        ),
    )


def _strips(strips: Sequence[Strip], page: Page, x: float, y: float, room: float) -> float:
    return draw_strips(page, strips, x, y, room)


def _what_they_hold(snapshot: Snapshot) -> Section:
    if not snapshot.libraries:
        return Section("What they hold", ())
    by_kind: dict[Kind, list[Library]] = {}
    for library in snapshot.libraries:
        by_kind.setdefault(library.kind, []).append(library)
    kinds = sorted(by_kind.items(), key=lambda pair: -_bytes(pair[1]))
    kind_rows = [
        (str(kind), str(len(held)), format_bytes(_bytes(held)), ", ".join(shown(each.name) for each in _large(held)))
        for kind, held in kinds
    ]
    labels = {drive.id: drive.label for drive in snapshot.drives}
    largest = sorted(snapshot.libraries, key=lambda each: (-each.on_disk_bytes, each.path))[:_LARGEST]
    rows = [
        (
            each.name,
            str(each.kind),
            format_bytes(each.on_disk_bytes),
            labels.get(each.drive, each.drive),
            "today" if ago(each.last_used) == "today" else f"{ago(each.last_used)} ago" if each.last_used else "never",
        )
        for each in largest
    ]
    first = kinds[0]
    return Section(
        "What they hold",
        (
            _says(
                f"Most of it is of the kind “{first[0]}”: {format_bytes(_bytes(first[1]))} of "
                f"{format_bytes(_bytes(snapshot.libraries))} in libraries."
            ),
            Block(
                draw=partial(_table, kind_rows, ("kind", "libraries", "size", "the largest"), (1, 2)),
                says="Size by kind.",
            ),
            _says("The largest libraries"),
            Block(
                draw=partial(_table, rows, ("library", "kind", "size", "drive", "last used"), (2,)),
                says="The largest libraries.",
            ),
        ),
    )


def _table(
    rows: Sequence[Sequence[str]],
    head: Sequence[str],
    right: tuple[int, ...],
    page: Page,
    x: float,
    y: float,
    room: float,
) -> float:
    return draw_table(page, rows, head, x, y, room, right=right)


def _how_fast(workspace: Workspace, snapshot: Snapshot) -> Section:
    waits = longest_waits(snapshot.libraries, snapshot.drives)
    total = format_duration(sum(wait.s_per_week for wait in waits))
    blocks = [
        _says(speeds_headline(snapshot.drives, workspace.drives.gauge_histories(snapshot.drives))),
        Block(draw=partial(_speeds, snapshot.drives), says="Reading, writing and small reads of every drive."),
    ]
    if waits:
        blocks += [
            _says(f"You wait {total} a week for libraries to open. Those that you wait for most:"),
            Block(draw=partial(_openings, snapshot), says="How long libraries take to open, now and elsewhere."),
        ]
    elif snapshot.libraries:
        blocks.append(_says(NOT_KNOWN_YET))
    return Section("How fast they are, and what you wait for", tuple(blocks))


def _speeds(drives: Sequence[Drive], page: Page, x: float, y: float, room: float) -> float:
    return draw_speeds(page, drives, x, y, room)


def _openings(snapshot: Snapshot, page: Page, x: float, y: float, room: float) -> float:
    return draw_openings(page, snapshot, x, y, room, _OPENINGS)


def _what_belongs_where(workspace: Workspace, recommendation: Recommendation) -> Section:
    draft = recommendation.draft
    blocks = [_says(recommendation_sentences(recommendation))]
    if draft.places:
        plan = workspace.plan.make(draft, recommendation)
        labels = {drive.id: drive.label for drive in draft.drives}
        now, then = draft.waiting
        waiting = f"Waiting goes from {now.in_words()} a week to {then.in_words()}." if now != then else ""
        blocks += [
            Block(draw=partial(_strips, strips_of(draft)), says="Each drive now and then."),
            _says(f"{waiting}{_weeks(workspace, draft)} The moves, best first:".strip()),
            Block(draw=partial(_moves, plan, labels), says="The moves, with their reasons."),
            _says(
                "Nothing of this has been done. “nuvik propose” makes the plan, “nuvik rehearse” shows what would "
                "happen, and “nuvik carry” does it; a copy is proven before an original goes."
            ),
        ]
    return Section("What is proposed, and why", tuple(blocks))


def _weeks(workspace: Workspace, draft: Draft) -> str:
    """How many weeks of growth the plan makes room for, on drives that gain some."""
    rates, words = workspace.survey.growth(), []
    for drive in draft.drives:
        rate, gain = rates.get(drive.id), draft.free_then_bytes(drive.id) - drive.free_bytes
        if drive.attached and rate is not None and rate.bytes_per_week > 0 and gain > rate.bytes_per_week:
            weeks = format_count(round(gain / rate.bytes_per_week), "week")
            words.append(f"{shown(drive.label)} gains {format_bytes(gain)}, as much as it takes in {weeks}")
    return f" {'; '.join(words)}." if words else ""


def _moves(plan: Plan, labels: dict[str, str], page: Page, x: float, y: float, room: float) -> float:
    return draw_moves(page, plan, labels, x, y, room, _MOST_MOVES)


def _what_was_moved(workspace: Workspace, snapshot: Snapshot) -> Section:
    moves = workspace.logbook.moves()
    if not moves:
        return Section("What was moved", (_says("Nothing has been moved yet."),))
    labels = {drive.id: drive.label for drive in snapshot.drives}
    recent, last = moves[-_MOST_MOVES:], last_run(moves)
    trial = [move for move in moves if move.state is State.ON_TRIAL]
    blocks = [
        Block(draw=partial(_done, recent, labels), says="The moves, expected and taken."),
        Block(draw=partial(_before_after, last, snapshot.drives), says="Free space before and after the last plan."),
    ]
    if trial:
        held = format_bytes(sum(move.frees_bytes for move in trial))
        names = ", ".join(shown(move.library) for move in trial[:_NAMED])
        blocks.append(
            _says(
                f"On trial: {names}. Their originals are kept, {held}, until “nuvik release all” lets them go; until "
                "then taking back is immediate."
            )
        )
    blocks.append(
        _says(
            f"Taking back: “nuvik undo {moves[-1].id}” returns a single move, “nuvik undo plan” the whole last plan. "
            "Each library goes back to where it was, proven like any other copy."
        )
    )
    return Section("What was moved", tuple(blocks))


def _done(moves: Sequence[Move], labels: dict[str, str], page: Page, x: float, y: float, room: float) -> float:
    return draw_done(page, moves, labels, x, y, room)


def _before_after(moves: Sequence[Move], drives: Sequence[Drive], page: Page, x: float, y: float, room: float) -> float:
    return draw_before_after(page, moves, drives, x, y, room)


def _over_time(workspace: Workspace) -> Section:
    history, rates = workspace.watching.history(), workspace.survey.growth()
    if all(len(row.points) < 3 for row in history.drives):
        return Section("Over time", ())
    lines = [
        Block(
            words=f"{shown(row.drive.label)}: {forecast_sentence(row.drive, rates.get(row.drive.id))}"
            f"{bought_words(row)}.",
            item=True,
        )
        for row in history.drives
        if rates.get(row.drive.id) is not None or bought_words(row)
    ] or [_says("How fast the drives fill is not known yet: that takes three surveys over a week.")]
    says = "Free space over time: what should stay free is dashed, what is to come is dotted."
    return Section(
        "Over time",
        (Block(draw=lambda page, x, y, room: draw_history(page, history, x, y, room, _CHART), says=says), *lines),
    )


def _on_the_road(snapshot: Snapshot) -> Section:
    """What depends on each drive that can be taken away."""
    blocks = []
    for drive in snapshot.drives:
        if not drive.portable:
            continue
        (row,) = without(snapshot, drive.id)
        label = shown(drive.label)
        if not drive.attached and not snapshot.on_drive(drive.id):
            blocks.append(Block(words=f"{label} is away, and what is on it is not known.", item=True))
            continue
        if not row.closed and not row.by_new_path:
            blocks.append(Block(words=f"Without {label} everything still opens.", item=True))
            continue
        names = ", ".join(_with_fallback(library, row.fallbacks.get(library.id)) for library in row.closed[:_NAMED])
        more = f" and {len(row.closed) - _NAMED} more" if len(row.closed) > _NAMED else ""
        count = format_count(len(row.closed), "library does", "libraries do")
        blocks.append(Block(words=f"Without {label}, {count} not open: {names}{more}.", item=True))
    return Section("What depends on which portable drive", tuple(blocks))


def _with_fallback(library: Library, fallback: Library | None) -> str:
    return shown(library.name) + (f" ({shown(fallback.name)} opens in its place)" if fallback else "")


def _words() -> Section:
    """What the words mean, for somebody who never saw them."""
    meanings = (
        ("A library", "is a folder that moves as one: a game, a program, an album."),
        ("Headroom", "is what should stay free on a drive, so that it keeps working well."),
        ("Waiting", "is how long you wait for libraries to open, each as often as you open it, in a week."),
        ("On trial", "means moved and proven, while the original is still kept."),
        ("Small reads", "are what programs do when they open: many short pieces from all over the drive."),
    )
    return Section("What the words mean", tuple(Block(words=f"{word} {says}", item=True) for word, says in meanings))


def _bytes(libraries: Sequence[Library]) -> int:
    return sum(library.on_disk_bytes for library in libraries)


def _large(libraries: Sequence[Library]) -> list[Library]:
    return sorted(libraries, key=lambda each: (-each.on_disk_bytes, each.path))[:3]
