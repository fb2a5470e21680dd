"""The parts of a library: folders inside it that may be placed on their own."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import replace

from nuvik.core.model.library import Card, Kind, Part
from nuvik.core.model.paths import is_within
from nuvik.core.survey.recognise.evidence import Context, guess
from nuvik.core.survey.recognise.trade_words import PARTS, PLUG_INS
from nuvik.core.survey.walk.folder_tree import Folder

_PART_BYTES = 1


def parts_of(card: Card | None, folder: Folder, kind: Kind, context: Context) -> Iterator[Part]:
    """The folders inside that may be placed on their own: those of the card, then those that are recognised."""
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
        yield _measured(
            Part(name=inner.name, kind=part_kind, path=inner.name, stays=inner.name.casefold() in PLUG_INS), inner
        )


def _measured(part: Part, inner: Folder) -> Part:
    extent = inner.extent
    return replace(
        part,
        bytes=extent.bytes,
        files=extent.files,
        on_disk_bytes=extent.on_disk_bytes,
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
