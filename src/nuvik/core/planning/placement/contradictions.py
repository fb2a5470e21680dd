"""Why a wish cannot be had: the smallest set of wishes, this one among them, that contradict each other.

The set is found by implicit hitting sets (Ignatiev, Previti, Liffiton and Marques-Silva, “Smallest MUS Extraction with
Minimal Hitting Set Dualization”, CP 2015): of every way to give wishes up until the rest can be had, at least one wish
belongs to the set; the smallest choice that can itself not be had is the answer. Both questions are small programs.
"""

from __future__ import annotations

import time
from dataclasses import dataclass

from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.proposal import Proposal
from nuvik.core.planning.placement.solver import IntegerProgram

TIME_LIMIT_S = 4.0
_ROUNDS, _NODES = 200, 30


@dataclass(frozen=True, slots=True)
class Contradiction:
    """Wishes that cannot be had together, in words."""

    wish: str
    """The one that was asked about."""
    others: tuple[str, ...]
    """What stands against it; empty: it cannot be had at all."""
    proven: bool = True
    """False when time ran out: then giving up these may not be enough, and a smaller set may exist."""

    def in_words(self) -> str:
        """What contradicts what, and what to do."""
        if not self.others:
            return f"“{self.wish}” is impossible, whatever is moved."
        if not self.proven:
            return f"“{self.wish}” is impossible together with everything else you asked for."
        rest = "”, “".join(self.others)
        return f"These contradict each other: “{self.wish}”, “{rest}”. Drop one of them."


def contradictions(
    snapshot: Snapshot, wishes: Wishes, proposal: Proposal, most: int = 3, time_limit_s: float = TIME_LIMIT_S
) -> list[Contradiction]:
    """What stands against the wishes that a proposal does not meet, for the first few of them."""
    if not proposal.short_bytes and not proposal.unmet:
        return []
    model = Placement(snapshot, wishes, relaxed=True)
    wanted = [demand.words for demand in proposal.unmet]
    for space in model.spaces:
        if space.id in proposal.short_bytes:
            labels = " and ".join(shown(drive.label) for drive in space.drives)
            keeps = "keep" if len(space.drives) > 1 else "keeps"
            wanted.append(f"{labels} {keeps} {format_bytes(space.headroom_bytes)} free")
    ends_at = time.monotonic() + time_limit_s
    return [_against(model, model.wishes[words], ends_at) for words in wanted[:most] if words in model.wishes]


def _against(model: Placement, wish: int, ends_at: float) -> Contradiction:
    words = {variable: text for text, variable in model.wishes.items()}
    others = [variable for variable in words if variable != wish]
    ways: list[frozenset[int]] = []
    """Sets of wishes of which each, given up together, lets the rest be had."""
    for _ in range(_ROUNDS):
        chosen = _hitting(others, ways)
        given_up = _given_up(model, {wish, *chosen}, others, max(0.1, ends_at - time.monotonic()))
        if given_up is None or time.monotonic() > ends_at:
            return Contradiction(words[wish], tuple(words[library] for library in sorted(chosen)), given_up is None)
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
    solved = program.solve(0.5, _NODES)
    return frozenset(wish for wish, number in numbers.items() if solved.values[number] > 0.5)


def _given_up(model: Placement, kept: set[int], others: list[int], time_limit_s: float) -> frozenset[int] | None:
    """The fewest wishes to be given up so that the kept ones hold; None when these cannot be had together."""
    program = model.program
    program.rows.append((0.0, 0.0, [(variable, 1.0) for variable in sorted(kept)]))
    try:
        solved = program.solve(0.5, _NODES, dict.fromkeys(others, 1.0))
    finally:
        program.rows.pop()
    if not solved.values:
        return None if solved.impossible else frozenset()
    return frozenset(variable for variable in others if solved.values[variable] > 0.5)
