"""What is too small to be a library, in words."""

from __future__ import annotations

from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count


def small_things_words(snapshot: Snapshot, drive_id: str | None = None) -> str:
    """Such as “412 MB in 37 small folders”, of one drive or of all; empty when there are none."""
    chosen = [small for small in snapshot.small_things if drive_id in (None, small.drive)]
    if not chosen:
        return ""
    folders = sum(small.folders for small in chosen)
    size = format_bytes(sum(small.bytes for small in chosen))
    return f"{size} in {format_count(folders, 'small folder')}"
