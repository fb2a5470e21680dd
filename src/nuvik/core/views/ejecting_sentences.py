"""Ejecting a drive in words."""

from __future__ import annotations

from collections.abc import Sequence

from nuvik.core.model.ejecting import Ejected, Hindrance
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_count
from nuvik.core.views.away_sentences import Without

_NAMED = 3


def eject_question(row: Without) -> str:
    """Whether to eject a drive, with what does not open then."""
    label = shown(row.drive.label)
    if not row.closed:
        return f"Eject {label}? Nothing is opened from it."
    many = format_count(len(row.closed), "library does", "libraries do")
    used = [shown(library.name) for library in row.closed if library.opens_per_week]
    among = f", among them {', '.join(used[:_NAMED])}" if used else ""
    return f"Eject {label}? {many} not open then{among}."


def ejected_sentence(ejected: Ejected) -> str:
    """That the cable may be pulled."""
    label = shown(ejected.label)
    if ejected.switched_off:
        return f"{label} is ejected and switched off: the cable may be pulled."
    return f"{label} is ejected: the cable may be pulled."


def waiting_words(ways: Sequence[Hindrance]) -> str:
    """What is waited for, in a line that is rewritten."""
    more = f", and {len(ways) - 1} more" if len(ways) > 1 else ""
    return f"waiting: {ways[0].what}{more}"
