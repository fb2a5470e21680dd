"""What a survey could not read, in one line."""

from __future__ import annotations

from collections import Counter

from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Problem, Snapshot
from nuvik.core.model.units import format_count
from nuvik.core.survey.walk.walk_slice import A_SNAPSHOT, MOUNTED_HERE


def unread_problems(snapshot: Snapshot) -> list[Problem]:
    """What is missing in a survey: not the drives that are away, nor those that are mounted inside others, which have
    places of their own.
    """
    return [
        problem
        for problem in snapshot.problems
        if not problem.problem.endswith("is away") and problem.problem not in (MOUNTED_HERE, A_SNAPSHOT)
    ]


def unread_words(snapshot: Snapshot) -> str:
    """Such as “32 folders could not be read (permission denied), the first is /var/log/private”; empty for none."""
    problems = unread_problems(snapshot)
    if not problems:
        return ""
    reason, count = Counter(problem.problem for problem in problems).most_common(1)[0]
    first = next(problem.path for problem in problems if problem.problem == reason)
    if len(problems) == 1:
        return f"{shown(first)} could not be read ({reason})"
    reasons = reason if count == len(problems) else f"mostly: {reason}"
    return f"{format_count(len(problems), 'folder')} could not be read ({reasons}), such as {shown(first)}"
