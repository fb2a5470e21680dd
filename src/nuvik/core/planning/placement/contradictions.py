"""Why a wish cannot be had: the smallest set of wishes, this one among them, that contradict each other.

The set is found by implicit hitting sets (Ignatiev, Previti, Liffiton and Marques-Silva, “Smallest MUS Extraction with
Minimal Hitting Set Dualization”, CP 2015): of every way to give wishes up until the rest can be had, at least one wish
belongs to the set; the smallest choice that can itself not be had is the answer. Both questions are small programs.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes_apart
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.proposal import Proposal
from nuvik.core.planning.placement.solver import Effort, IntegerProgram

_ROUNDS, _NODES = 40, 12


@dataclass(frozen=True, slots=True)
class Contradiction:
    """Wishes that cannot be had together, in words."""

    wish: str
    """The one that was asked about."""
    others: tuple[str, ...]
    """What stands against it; empty: it cannot be had at all."""
    proven: bool = True
    """False when the search ended before: then giving up these may not be enough, and a smaller set may exist."""
    free_bytes: int = 0
    """What all drives together have free …"""
    asked_bytes: int = 0
    """… and what is to be free on them, where that alone is why it cannot be had; else 0."""

    def in_words(self) -> str:
        """What contradicts what, and what to do."""
        if self.asked_bytes:
            free, asked = format_bytes_apart(self.free_bytes, self.asked_bytes)
            return (
                f"All attached drives together have {free} free, and {asked} are to be kept free on them: no move can "
                "change that. Remove something, ask for less, or add a drive."
            )
        if not self.others:
            return f"“{self.wish}” is impossible, whatever is moved."
        if not self.proven:
            return f"“{self.wish}” is impossible together with everything else you asked for."
        rest = "”, “".join(self.others)
        return f"These contradict each other: “{self.wish}”, “{rest}”. Drop one of them."


def contradictions(
    snapshot: Snapshot,
    wishes: Wishes,
    proposal: Proposal,
    impossible: Collection[str] | None = None,
    most: int = 3,
) -> list[Contradiction]:
    """What stands against the wishes that a proposal does not meet, for the first few of them; each is named once. Of
    the drives that it leaves short, `impossible` are those that could not be mended at any price, by their ids; None:
    all of them.
    """
    if not proposal.short_bytes and not proposal.unmet:
        return []
    model = Placement(snapshot, wishes, relaxed=True)
    unmet = [demand.words for demand in proposal.unmet]
    mendless = proposal.short_bytes if impossible is None else impossible
    short = [space.keeps_words for space in model.spaces if space.id in mendless]
    known = _too_full(model, proposal)
    named = {words for each in known for words in (each.wish, *each.others)}
    for words in (*unmet, *short):
        if words in model.wishes and words not in named and len(known) < most:
            known.append(_against(model, model.wishes[words]))
            if words in short:
                named |= {words, *known[-1].others}
    return known


def _too_full(model: Placement, proposal: Proposal) -> list[Contradiction]:
    """That all drives together have too little free, where that is so: then no search is needed. A drive on which
    nothing is to be kept free counts, too: what it has free is room for what is on the others.
    """
    free = sum(space.free_bytes for space in model.spaces)
    asked = sum(space.headroom_bytes for space in model.spaces)
    # On a drive with other clusters a library may take less.
    gains = sum(
        max(0, choice.library.on_disk_bytes - min(choice.library.room_on(drive) for drive, _ in choice.variables))
        for choice in model.choices.values()
        if choice.variables
    )
    if not proposal.short_bytes or free + gains >= asked:
        return []
    keeping = [space for space in model.spaces if space.headroom_bytes]
    headroom = {space.id: space.keeps_words for space in keeping if space.keeps_words in model.wishes}
    short = [words for space, words in headroom.items() if space in proposal.short_bytes]
    others = tuple(words for words in headroom.values() if words not in short[:1])
    return [Contradiction(short[0], others, free_bytes=free, asked_bytes=asked)] if short else []


def _against(model: Placement, wish: int) -> Contradiction:
    words = {variable: text for text, variable in model.wishes.items()}
    others = [variable for variable in words if variable != wish]
    ways: list[frozenset[int]] = []
    """Sets of wishes of which each, given up together, lets the rest be had."""
    for _ in range(_ROUNDS):
        chosen = _hitting(others, ways)
        given_up = _given_up(model, {wish, *chosen}, others)
        if given_up is None:
            return Contradiction(words[wish], tuple(words[each] for each in sorted(chosen)))
        if not given_up:
            break
        ways.append(given_up)
    return Contradiction(words[wish], tuple(words[other] for other in others), proven=False)


def _hitting(wishes: list[int], ways: list[frozenset[int]]) -> frozenset[int]:
    """The smallest set of wishes with one of each way in it."""
    if not ways:
        return frozenset()
    program = IntegerProgram()
    numbers = {wish: program.variable(1.0) for wish in wishes}
    for way in ways:
        program.row([(numbers[wish], 1.0) for wish in sorted(way)], lower=1.0)
    solved = program.solve(0.5)
    return frozenset(wish for wish, number in numbers.items() if solved.values[number] > 0.5)


def _given_up(model: Placement, kept: set[int], others: list[int]) -> frozenset[int] | None:
    """The fewest wishes to be given up so that the kept ones hold; none when the search for them ended before; None
    when these cannot be had together.
    """
    program = model.program
    program.rows.append((0.0, 0.0, [(variable, 1.0) for variable in sorted(kept)]))
    try:
        solved = program.solve(0.5, _NODES, dict.fromkeys(others, 1.0), effort=Effort.LITTLE)
    finally:
        program.rows.pop()
    if not solved.values:
        return None if solved.impossible else frozenset()
    return frozenset(variable for variable in others if solved.values[variable] > 0.5)
