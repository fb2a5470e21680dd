"""Where the two ends of a move are now: a place is a volume and a path within it, wherever the volume is mounted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from nuvik.core.hosts.anchors import Anchor
from nuvik.core.model.errors import Stopped
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within, parents

Anchors = Mapping[str, Sequence[Anchor]]
"""The anchors of each attached drive, by its id."""


def located(move: Move, anchors: Anchors) -> Move:
    """A move with the paths by which its ends are reached now. Raises Stopped when one is not on its drive."""
    move = source_located(move, anchors)
    path, place = _located(move, move.target_drive, move.target, move.target_place, anchors)
    if path != move.target:
        made = tuple(reversed(tuple(parents(path))[: len(move.made_folders)]))
        move = replace(move, was_target=(*move.was_target, move.target), target=path, made_folders=made)
    return replace(move, target_place=place)


def source_located(move: Move, anchors: Anchors) -> Move:
    """A move with the path by which its source is reached now. Raises Stopped when that is not on its drive."""
    path, place = _located(move, move.source_drive, move.source, move.source_place, anchors)
    if path != move.source:
        move = replace(move, was_source=(*move.was_source, move.source), source=path)
    return replace(move, source_place=place)


def _located(move: Move, drive_id: str, path: str, place: str, anchors: Anchors) -> tuple[str, str]:
    """Path and place of one end."""
    mine = anchors[drive_id]
    if place:
        # Where it was reached before is better than any other of several mounts.
        shown_at = [seen for anchor in mine if (seen := anchor.shows(place)) is not None]
        if shown_at:
            return (path if path in shown_at else shown_at[0]), place
        raise Stopped(
            f"{shown(drive_id)} is mounted so that {shown(place)} on it cannot be reached. {shown(move.library)}: "
            f"{move.state.in_words}.",
            next_step="Mount the whole drive, then run “nuvik resume”.",
        )
    holding = _holding(path, anchors)
    if holding is None or holding[0] != drive_id:
        points = ", ".join(shown(anchor.point) for anchor in mine)
        raise Stopped(
            f"{shown(path)} is not on {shown(drive_id)}, which is mounted at {points} now. {shown(move.library)}: "
            f"{move.state.in_words}.",
            next_step="Mount it where it was, then run “nuvik resume”.",
        )
    return path, holding[1].holds(path) or ""


def _holding(path: str, anchors: Anchors) -> tuple[str, Anchor] | None:
    """The drive, and its anchor, on which a path lies: the one with the longest mount point."""
    able = [
        (drive_id, anchor)
        for drive_id, of_drive in anchors.items()
        for anchor in of_drive
        if is_within(path, anchor.point)
    ]
    return max(able, key=lambda pair: len(pair[1].point), default=None)
