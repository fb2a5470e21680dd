"""How things stand, in sentences: what needs a decision first, then what is good to know."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from nuvik.core.model.clock import ago, days_since
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_bytes_apart, format_count
from nuvik.core.model.watching import DriveChange, Status
from nuvik.core.views.fallback_sentences import changed_since
from nuvik.core.views.opening_sentences import came_of

_NAMED, _OLD_DAYS = 3, 14


@dataclass(frozen=True, slots=True, kw_only=True)
class Matter:
    """One thing to know."""

    kind: str
    """What it is about: failing, short, unfinished, fills, leftover, formatted, resized, slower, not-paid, on-trial,
    restart, away, fallback, arrived, or survey.
    """
    words: str
    next_step: str
    """What to do about it; empty where nothing is to be done."""
    asks: bool
    """It needs a decision."""


def matters(status: Status) -> list[Matter]:
    """What there is to know, what needs a decision first."""
    every = [*_of_drives(status), *_of_moves(status), *_to_know(status)]
    return sorted(every, key=lambda matter: not matter.asks)


def status_headline(every: list[Matter]) -> str:
    """Whether anything needs a decision."""
    asks = sum(matter.asks for matter in every)
    if not asks:
        return "All is well."
    return f"{format_count(asks, 'matter needs', 'matters need')} a decision."


def _of_drives(status: Status) -> Iterator[Matter]:
    labels = {drive.id: shown(drive.label) for drive in status.drives}
    for drive_id, words in status.failing.items():
        yield _ask("failing", f"{labels[drive_id]}: {words}", "Copy what matters to another drive now.")
    for drive in status.drives:
        if drive.attached and drive.short_of_headroom_bytes and not drive.read_only:
            free, headroom = format_bytes(drive.free_bytes), format_bytes(drive.headroom_bytes)
            words = f"{labels[drive.id]} has {free} free; {headroom} should stay free."
            yield _ask("short", words, "“nuvik propose” says what to move.")
    for drive_id, weeks in status.weeks_left.items():
        when = "this week" if weeks < 1 else f"in {format_count(round(weeks), 'week')}"
        yield _ask("fills", f"{labels[drive_id]} goes under its headroom {when}, as it has grown so far.", _PROPOSE)
    for change in status.changed_drives:
        yield _changed(change)
    for drive_id, words in status.slower.items():
        yield _ask("slower", f"{labels[drive_id]} {words}.", "“nuvik gauge” measures it again.")


_PROPOSE = "“nuvik propose --room-to-grow 12” makes room for twelve weeks."


def _of_moves(status: Status) -> Iterator[Matter]:
    if status.unfinished:
        names = _names([move.library for move in status.unfinished])
        yield _ask("unfinished", f"{_moves(len(status.unfinished))} unfinished: {names}.", "“nuvik resume” goes on.")
    for leftover in status.leftovers:
        yield _ask("leftover", leftover.what, leftover.right)
    for row in status.not_paid:
        words = f"Move {row.move}, {shown(row.library)}: {came_of(row)}"
        yield _ask("not-paid", words, f"“nuvik undo {row.move}” takes it back.")
    if status.on_trial:
        held = format_bytes(status.held_bytes)
        names = _names([move.library for move in status.on_trial])
        words = f"{format_count(len(status.on_trial), 'original')} on trial, {held}: {names}."
        oldest = min((move.ended_at or "" for move in status.on_trial), default="")
        asks = bool(oldest) and days_since(oldest) > _OLD_DAYS
        yield Matter(kind="on-trial", words=words, next_step="“nuvik release all” lets them go.", asks=asks)


def _to_know(status: Status) -> Iterator[Matter]:
    labels = {drive.id: shown(drive.label) for drive in status.drives}
    for kind in status.restarts:
        words = f"Programs that are open know the new place for {kind} once they start again."
        yield Matter(kind="restart", words=words, next_step="Log out and in again.", asks=False)
    for drive_id, libraries in status.needed_away.items():
        many = "a library that you open does" if len(libraries) == 1 else f"{len(libraries)} libraries that you open do"
        words = f"{labels[drive_id]} is away: {many} not open, {_names([each.name for each in libraries])}."
        yield Matter(kind="away", words=words, next_step="", asks=False)
    attached = {drive.id for drive in status.drives if drive.attached}
    for library, fallback in status.fallbacks:
        name, other = shown(library.name), shown(fallback.name)
        if library.drive not in attached and fallback.drive in attached:
            words = f"{other} on {labels[fallback.drive]} opens in place of {name}."
            yield Matter(kind="fallback", words=words, next_step="", asks=False)
        elif {library.drive, fallback.drive} <= attached and changed_since(library, fallback):
            words = f"{other}, the fallback of {name}, changed later than {name} did."
            yield Matter(kind="fallback", words=words, next_step="“nuvik fallback” compares them.", asks=False)
    for arrival in status.arrivals:
        words = f"{format_bytes(arrival.bytes)} came to {labels[arrival.drive]}: {_names(arrival.names)}."
        yield Matter(kind="arrived", words=words, next_step="“nuvik changes” lists it all.", asks=False)
    if not status.surveyed_at:
        yield Matter(
            kind="survey", words="Nothing has been surveyed yet.", next_step="“nuvik survey” begins.", asks=False
        )
    elif days_since(status.surveyed_at) > _OLD_DAYS:
        words = f"The last survey was {ago(status.surveyed_at)} ago."
        yield Matter(kind="survey", words=words, next_step="“nuvik survey” looks again.", asks=False)


def _changed(change: DriveChange) -> Matter:
    label = shown(change.drive.label)
    if change.now is not None:
        words = (
            f"{label} seems to have been formatted: {shown(change.now.label)}, which is new, has a disk and size like "
            f"those of {label}."
        )
        return _ask("formatted", words, f"If so, “nuvik drive {shown(change.drive.id)} --forget” strikes it off.")
    before, now = format_bytes_apart(change.bytes_before, change.drive.capacity_bytes)
    grew = "grew" if change.drive.capacity_bytes > change.bytes_before else "shrank"
    headroom = format_bytes(change.drive.headroom_bytes)
    words = f"{label} {grew} from {before} to {now}; its headroom is {headroom}."
    return Matter(kind="resized", words=words, next_step="“nuvik survey” looks at what is on it now.", asks=False)


def _ask(kind: str, words: str, next_step: str) -> Matter:
    return Matter(kind=kind, words=words, next_step=next_step, asks=True)


def _moves(count: int) -> str:
    return "One move is" if count == 1 else f"{count} moves are"


def _names(names: Iterable[str]) -> str:
    every = [shown(name) for name in names]
    return ", ".join(every[:_NAMED]) + (f" and {len(every) - _NAMED} more" if len(every) > _NAMED else "")
