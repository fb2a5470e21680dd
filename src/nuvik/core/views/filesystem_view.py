"""Which file system a drive should have, ready to be shown."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.planning.buying.filesystem_advice import (
    Advice,
    Needs,
    advice_in_words,
    steps_to_better,
    this_system,
    weigh,
)


@dataclass(frozen=True, slots=True)
class FileSystemView:
    """The advice for one drive."""

    sentence: str
    weighed: tuple[Advice, ...]
    """Every file system that can be offered, the best first."""
    steps: tuple[str, ...]
    """How to change it with the system's own tool; empty when it is fine as it is."""


def filesystem_view(drive: Drive, needs: Needs, snapshot: Snapshot) -> FileSystemView:
    """The advice for a drive that has to meet these needs."""
    return FileSystemView(
        advice_in_words(drive, needs),
        tuple(weigh(needs, drive.capacity_bytes)),
        tuple(steps_to_better(drive, needs, snapshot.on_drive(drive.id), this_system())),
    )
