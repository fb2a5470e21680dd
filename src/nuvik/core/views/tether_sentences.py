"""What would change in settings files, as lines that any interface shows before."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from nuvik.core.model.leftover import Leftover, Repair
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.tether import TetherState
from nuvik.core.model.units import and_more
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.placement.main_tether import main_tether
from nuvik.core.settings.settings_file import Change


def tether_lines(changes: Iterable[tuple[int, Change | str]]) -> Iterator[str]:
    """For each step the old values and the new ones; what is not certain, or is to be done by hand, in words."""
    for n, change in changes:
        if isinstance(change, str):
            yield f"step {n}: {change}"
        elif change.before == change.after:
            yield f"step {n}: {shown(change.key)} in {shown(change.file)} leads to the new place already"
        else:
            first, *rest = change_lines(change)
            yield f"step {n}: {first}"
            yield from rest


_STATES = {
    TetherState.DUE: "· not yet",
    TetherState.OK: "✓ holds",
    TetherState.BROKEN: "! broken",
    TetherState.AWAY: "– away",
    TetherState.BACK: "✓ as before",
    TetherState.LEFT: "! left alone",
}


def tether_state_words(state: TetherState) -> str:
    """How a tether stands, with a sign for those who do not see colours."""
    return _STATES[state]


def tether_letters(draft: Draft, library: Library) -> str:
    """A letter for each kind of tether that a library has, or would leave: `LS` for a link and settings."""
    first = main_tether(library, draft.drive(library.drive))
    letters = dict.fromkeys([first.letter, *(tether.kind.letter for tether in library.tethers)])
    return "".join(letters)


def change_lines(change: Change) -> Iterator[str]:
    """A value as it is, and as it is to be."""
    yield f"{shown(change.key)} in {shown(change.file)}"
    yield f"    - {shown(change.before) or '(nothing)'}"
    yield f"    + {shown(change.after)}"


def broken_headline(broken: Sequence[Leftover]) -> str:
    """What first of all keeps programs from finding what was moved; empty where nothing does."""
    if not broken:
        return ""
    more = f" There is {and_more(len(broken) - 1, 'finding').removeprefix(', and ')}." if len(broken) > 1 else ""
    press = " Press f." if broken[0].repair is not Repair.NONE else ""
    return f"{broken[0].what}{more}{press}"
