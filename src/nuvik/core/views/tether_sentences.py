"""What would change in settings files, as lines that any interface shows before."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from nuvik.core.model.names import shown
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


def change_lines(change: Change) -> Iterator[str]:
    """A value as it is, and as it is to be."""
    yield f"{shown(change.key)} in {shown(change.file)}"
    yield f"    - {shown(change.before) or '(nothing)'}"
    yield f"    + {shown(change.after)}"
