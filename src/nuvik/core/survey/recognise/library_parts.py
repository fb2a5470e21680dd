"""The parts of a library: folders inside it that may be placed on their own."""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator
from dataclasses import replace

from nuvik.core.model.library import Card, Kind, Part
from nuvik.core.model.paths import is_within
from nuvik.core.survey.recognise.evidence import Context, guess
from nuvik.core.survey.recognise.trade_words import MADE_ANEW, PARTS, PLUG_INS, VERSION_CONTROL, VIRTUAL_ENVIRONMENT
from nuvik.core.survey.walk.folder_tree import Folder

_PART_BYTES = 1
_DEEP, _MOST_MADE_ANEW, _NOTABLE_SHARE = 3, 20, 0.01
"""How deep what can be rebuilt is looked for, how much of it is listed, and from which share of the project on."""


def parts_of(card: Card | None, folder: Folder, kind: Kind, context: Context) -> Iterator[Part]:
    """The folders inside that may be placed on their own: those of the card, then those that are recognised; and in a
    project what can be rebuilt, at most `_DEEP` folders down.
    """
    card_parts = card.parts if card else ()
    seen = set()
    for part in card_parts:
        place = os.path.normpath(os.path.join(folder.path, part.path))
        inner = _inner(folder, place)
        if inner is not None:
            seen.add(place)
            yield _measured(part, inner)
    for inner in folder.below.values():
        if inner.name.casefold() not in PARTS or inner.path in seen or inner.extent.bytes < _PART_BYTES:
            continue
        part_kind = PARTS[inner.name.casefold()] or guess(inner, context).kind
        if part_kind is Kind.GAME and kind is not Kind.GAME:
            part_kind = kind
        seen.add(inner.path)
        yield _measured(
            Part(
                name=inner.name,
                kind=part_kind,
                path=inner.name,
                stays=inner.name.casefold() in PLUG_INS,
                rebuildable=part_kind is Kind.CACHE,
            ),
            inner,
        )
    if kind is Kind.PROJECT:
        for inner in _rebuildable(folder, seen, context):
            path = os.path.relpath(inner.path, folder.path)
            yield _measured(Part(name=path, kind=Kind.CACHE, path=path, stays=True, rebuildable=True), inner)


def _rebuildable(folder: Folder, seen: Collection[str], context: Context) -> Iterator[Folder]:
    """The outermost folders of a project that programs make again from the rest, the largest first."""
    least = max(_PART_BYTES, int(folder.extent.on_disk_bytes * _NOTABLE_SHARE))
    waiting, made = [(folder, 0)], []
    while waiting:
        at, depth = waiting.pop()
        for inner in at.below.values():
            if inner.extent.on_disk_bytes < least or inner.path in seen or inner.name in VERSION_CONTROL:
                continue
            if inner.name.casefold() in MADE_ANEW or _is_virtual_environment(inner, context):
                made.append(inner)
            elif depth + 1 < _DEEP:
                waiting.append((inner, depth + 1))
    yield from sorted(made, key=lambda inner: (-inner.extent.on_disk_bytes, inner.path))[:_MOST_MADE_ANEW]


def _is_virtual_environment(folder: Folder, context: Context) -> bool:
    try:
        return context.host.files.exists(os.path.join(folder.path, VIRTUAL_ENVIRONMENT))
    except OSError:
        return False


def _measured(part: Part, inner: Folder) -> Part:
    extent = inner.extent
    return replace(
        part,
        bytes=extent.bytes,
        files=extent.files,
        on_disk_bytes=extent.on_disk_bytes,
        hole_bytes=extent.hole_bytes,
        folders=extent.folders,
        largest_file_bytes=extent.largest_file_bytes,
        sizes=tuple(sorted(inner.histogram.items())),
        links=extent.links,
    )


def _inner(folder: Folder, place: str) -> Folder | None:
    if not is_within(place, folder.path):
        return None
    at: Folder | None = folder
    for name in os.path.relpath(place, folder.path).split(os.sep):
        at = at.below.get(name) if at is not None and name != "." else at
    return at
