"""A plan against the last survey, in words."""

from __future__ import annotations

from collections.abc import Sequence

from nuvik.core.model.units import format_count
from nuvik.core.planning.drafting.plan_vs_survey import Standing
from nuvik.core.planning.drafting.plan_vs_survey import StepState as StepState


def plan_headline(standings: Sequence[Standing]) -> str:
    """How the plan as a whole stands against the present."""
    by_state = {state: [standing.step.n for standing in standings if standing.state is state] for state in StepState}
    if len(by_state[StepState.HOLDS]) == len(standings):
        return f"Nothing this plan depends on has changed: {format_count(len(standings), 'step')} to carry."
    phrases = []
    for state, words in (
        (StepState.DONE, "already done"),
        (StepState.CHANGED, "changed since"),
        (StepState.DOUBTFUL, "in doubt"),
        (StepState.HOLDS, "as planned"),
    ):
        if by_state[state]:
            numbers = ", ".join(map(str, by_state[state][:8])) + (" …" if len(by_state[state]) > 8 else "")
            phrases.append(f"{'steps' if len(by_state[state]) > 1 else 'step'} {numbers} {words}")
    return "; ".join(phrases)[0].upper() + "; ".join(phrases)[1:] + "."


def still_holds(standings: Sequence[Standing]) -> bool:
    """Whether every step of a plan can be carried as planned."""
    return all(standing.state is StepState.HOLDS for standing in standings)
