"""What happens while carrying, in words for commands and screens."""

from __future__ import annotations

from nuvik.core.model.names import shown
from nuvik.core.model.progress import Event
from nuvik.core.model.units import format_bytes

_WORDS = {
    "copied": "copied, original untouched",
    "proven": "proven: read back and identical",
    "on-trial": "on trial: the original is kept",
    "released": "released: the original is gone",
}


def event_words(event: Event) -> str:
    """What an event says of its library; empty for progress and for the end of a run."""
    if event.event == "step-started":
        return f"{shown(event.library)}: {format_bytes(event.total_bytes)}"
    if event.event == "proven" and not event.detail.get("read_from_medium", True):
        return "compared: identical, but not read from the medium of the drive"
    if event.event == "switched":
        by_old_path = event.detail.get("by_old_path", True)
        return f"switched: {'the old path opens the library' if by_old_path else 'it is used'} in its new place"
    if event.event == "undone":
        left = str(event.detail.get("problem") or "").rstrip(".")
        return "taken back: it is where it was" + (f"; {left}" if left else "")
    if event.event == "stopped":
        return f"stopped: {event.detail.get('problem', '')}"
    return _WORDS.get(event.event, "")
