"""A move as it is seen from this computer now: by its journal, or by what its folder says of it."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass, replace

from nuvik.core.carrying.places import Anchors
from nuvik.core.carrying.sidecar import Sidecar, VolumeName
from nuvik.core.carrying.work import Work
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Stopped
from nuvik.core.model.journal import Move
from nuvik.core.model.paths import is_within, parents


@dataclass(frozen=True, slots=True, kw_only=True)
class SeenMove:
    """A move, and which of its two ends can be reached. The paths of an end that cannot are those of before."""

    move: Move
    source_is_here: bool
    target_is_here: bool
    source_label: str
    target_label: str


def seen_by_journal(work: Work, move: Move) -> SeenMove:
    """A move that the journal knows. An end that its drive, as it is mounted, does not show is not here."""
    labels = {drive.id: drive.label for drive in work.drives()}
    try:
        move, shown_now = work.now(move), True
    except Stopped:
        shown_now = False
    return SeenMove(
        move=move,
        source_is_here=shown_now and work.is_here(move.source_drive),
        target_is_here=shown_now and work.is_here(move.target_drive),
        source_label=labels.get(move.source_drive, move.source_drive),
        target_label=labels.get(move.target_drive, move.target_drive),
    )


def seen_by_sidecar(sidecar: Sidecar, number: int, token: str, drives: Iterable[Drive], anchors: Anchors) -> SeenMove:
    """A move that the journal does not know, of whose folder the name gives number and token.

    What such a folder says is only trusted as far as the disk bears it out: it may come from anybody's stick.
    """
    attached = [drive for drive in drives if drive.id in anchors]
    # What refers to other moves belongs to the journal that is not here.
    move = replace(sidecar.move, id=0, run=0, token=token, first_id=number, undoes=None, may_lose=False)
    source = _end(sidecar.source_volume, move.source_place, move.source, attached, anchors)
    target = _end(sidecar.target_volume, move.target_place, move.target, attached, anchors)
    if source is not None:
        move = replace(move, source_drive=source[0].id, source=source[1])
    if target is not None:
        above = tuple(parents(target[1]))
        made = sum(is_within(move.target, folder) for folder in move.made_folders)
        move = replace(move, target_drive=target[0].id, target=target[1], made_folders=tuple(reversed(above[:made])))
    return SeenMove(
        move=move,
        source_is_here=source is not None,
        target_is_here=target is not None,
        source_label=source[0].label if source else sidecar.source_volume.label,
        target_label=target[0].label if target else sidecar.target_volume.label,
    )


def _end(
    volume: VolumeName, place: str, path_then: str, drives: Iterable[Drive], anchors: Anchors
) -> tuple[Drive, str] | None:
    """The drive of a volume, and the path by which a place in it is reached; None where that cannot be had. Some
    systems tell ordinary users no identities: then it is the drive that shows the place by the path that it had.
    """
    if not os.path.isabs(place) or "\0" in place:
        return None
    for drive in drives:
        if drive.identity != volume.identity:
            continue
        paths = [path for anchor in anchors[drive.id] if (path := anchor.shows(os.path.normpath(place)))]
        if volume.identity:
            return (drive, paths[0]) if paths else None
        if path_then in paths:
            return drive, path_then
    return None
