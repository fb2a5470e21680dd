"""What is said of emptying, the same on the screen and by the command."""

from __future__ import annotations

from nuvik.core.model.clock import ago
from nuvik.core.model.emptied import Emptied, EmptiedState
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.stages.emptying import Emptiable


def emptying_question(wanted: Emptiable) -> str:
    """What emptying would do, before it is done."""
    holds = f"{format_bytes(wanted.bytes)} in {format_count(wanted.files, 'file')}"
    return (
        f"Empty {shown(wanted.name)}, {holds}? Programs rebuild it, which may take a while. What it holds is "
        "set aside first: it can return until you let it go, and only then is the space free."
    )


def aside_line(emptied: Emptied) -> str:
    """One that is set aside."""
    when = ago(emptied.emptied_at)
    words = f"{emptied.id}. {shown(emptied.name)}, {format_bytes(emptied.bytes)}, at {shown(emptied.path)}"
    if emptied.state is EmptiedState.ASIDE:
        return f"{words}: set aside {when}{'' if when == 'today' else ' ago'}"
    return f"{words}: unfinished; the next start continues it"


def done_words(emptied: Emptied) -> str:
    """What became of it."""
    name, size = shown(emptied.name), format_bytes(emptied.bytes)
    return {
        EmptiedState.ASIDE: f"{name} is empty; the {size} that it held are set aside as {emptied.id}.",
        EmptiedState.BACK: f"{name} has its contents back.",
        EmptiedState.GONE: f"The {size} that {name} held are gone.",
    }.get(emptied.state, f"{name}: {emptied.state}.")
