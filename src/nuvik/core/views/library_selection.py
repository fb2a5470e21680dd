"""Choosing among libraries: which are shown, in which order, and which are marked."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.clock import days_since
from nuvik.core.model.cold import is_cold
from nuvik.core.model.library import Kind, Library, Verdict
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count

_LATELY_DAYS = 7


class Only(StrEnum):
    """A property by which libraries are chosen."""

    ALL = "all"
    MOVABLE = "may move"
    STAYS = "stays"
    COLD = "not used for a year"
    HIDDEN = "hidden"
    WORKING_SET = "really used"
    MARKED = "marked"


class Order(StrEnum):
    """What comes first in a list."""

    SIZE = "largest"
    LAST_USE = "longest unused"
    OPENS = "most opened"
    NAME = "by name"


@dataclass(frozen=True, slots=True)
class Choice:
    """Which libraries are shown, and in which order."""

    text: str = ""
    """A part of the name or path, in any case."""
    kind: Kind | None = None
    only: Only = Only.ALL
    drive: str | None = None
    order: Order = Order.SIZE

    def of(self, libraries: Iterable[Library], marked: frozenset[str] = frozenset()) -> list[Library]:
        """The libraries that are shown, in order. A text is looked for on all drives."""
        wanted = self.text.casefold()
        chosen = [
            library
            for library in libraries
            if (not wanted or wanted in library.name.casefold() or wanted in library.path.casefold())
            and (self.kind is None or library.kind is self.kind)
            and (self.drive is None or wanted or library.drive == self.drive)
            and _has(library, self.only, marked)
        ]
        if self.order is Order.LAST_USE:
            return sorted(chosen, key=lambda library: (library.last_used or "", -library.on_disk_bytes))
        if self.order is Order.OPENS:
            return sorted(chosen, key=lambda library: (-library.opens_per_week, -library.on_disk_bytes))
        if self.order is Order.NAME:
            return sorted(chosen, key=lambda library: (library.name.casefold(), library.path))
        return sorted(chosen, key=lambda library: (-library.on_disk_bytes, library.path))

    def in_words(self, shown_count: int, all_count: int) -> str:
        """For example “12 of 45 libraries: games, not used for a year, largest first”."""
        phrases = [] if self.kind is None else [f"kind {self.kind}"]
        if self.only is not Only.ALL:
            phrases.append(str(self.only))
        if self.text:
            phrases.append(f"with “{shown(self.text)}”")
        count = (
            f"{shown_count} of {all_count} libraries"
            if shown_count != all_count
            else format_count(all_count, "library", "libraries")
        )
        order = str(self.order) + ("" if self.order is Order.NAME else " first")
        return f"{count}: {', '.join([*phrases, order])}"


def _has(library: Library, only: Only, marked: frozenset[str]) -> bool:
    match only:
        case Only.ALL:
            return True
        case Only.MOVABLE:
            return library.movable
        case Only.STAYS:
            return not library.movable
        case Only.COLD:
            return is_cold(library.last_used)
        case Only.HIDDEN:
            return library.hidden
        case Only.WORKING_SET:
            return library.working_set
        case Only.MARKED:
            return library.id in marked


class Marking(StrEnum):
    """Ways to mark many at once."""

    ALL = "all that are shown"
    KIND = "all of this kind"
    COLD = "all not used for a year"
    INVERT = "those not marked instead"
    NONE = "none"


def marked_by(
    marking: Marking, marked: frozenset[str], listed: Sequence[Library], at: Library | None
) -> frozenset[str]:
    """The marks after marking among the listed; what is not listed keeps its mark, except for NONE."""
    ids = {library.id for library in listed}
    match marking:
        case Marking.ALL:
            return marked | ids
        case Marking.KIND:
            return marked | {library.id for library in listed if at is not None and library.kind is at.kind}
        case Marking.COLD:
            return marked | {library.id for library in listed if is_cold(library.last_used)}
        case Marking.INVERT:
            return (marked - ids) | (ids - marked)
        case Marking.NONE:
            return frozenset()


def marked_in_words(libraries: Iterable[Library], marked: frozenset[str]) -> str:
    """For example “3 marked, 210 GB; one stays: it is pinned to its place”; empty when nothing is marked."""
    chosen = [library for library in libraries if library.id in marked]
    if not chosen:
        return ""
    words = f"{len(chosen)} marked, {format_bytes(sum(library.on_disk_bytes for library in chosen))}"
    stay = [library for library in chosen if not library.movable]
    if stay:
        words += f", of which {len(stay)} must stay"
    return words


def movable_of(libraries: Iterable[Library], marked: frozenset[str]) -> list[Library]:
    """The marked libraries that may move, largest first."""
    chosen = [library for library in libraries if library.id in marked and library.movable]
    return sorted(chosen, key=lambda library: (-library.on_disk_bytes, library.path))


def working_set_in_words(libraries: Iterable[Library]) -> str:
    """What is in the working set, and what was used lately and could join it: so it grows week by week."""
    libraries = list(libraries)
    chosen = [library for library in libraries if library.working_set]
    lately = [
        library
        for library in libraries
        if not library.working_set
        and library.last_used is not None
        and (library.opens_per_week >= 1 or days_since(library.last_used) <= _LATELY_DAYS)
    ]
    words = (
        f"{format_bytes(sum(library.on_disk_bytes for library in chosen))} in real use"
        if chosen
        else "nothing chosen yet"
    )
    if lately:
        lately.sort(key=lambda library: (-library.opens_per_week, library.path))
        names = ", ".join(shown(library.name) for library in lately[:3])
        words += f"; recently used but not among them: {names}" + (f" and {len(lately) - 3} more" if lately[3:] else "")
    return f"{words}; w adds or removes"


def may_overrule(library: Library) -> bool:
    """Only what is unwise can be overruled, never what is impossible."""
    return library.verdict is Verdict.UNWISE
