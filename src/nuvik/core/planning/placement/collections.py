"""Collections: libraries that people look for in one place, such as the evenings of one series of recordings."""

from __future__ import annotations

import os

from nuvik.core.model.library import Kind, Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.survey.recognise.trade_words import COLLECTIONS, ONE_LIBRARY, SHELVES

_GENERAL = {*COLLECTIONS, *ONE_LIBRARY, *SHELVES, *Kind, *(f"{kind}s" for kind in Kind)}
_COLLECTED = frozenset([Kind.VIDEO, Kind.PHOTO, Kind.SOUND, Kind.DOCUMENT])


def _is_general(folder: str) -> bool:
    """Whether a folder's name says no more than a kind: all videos together are no collection."""
    return os.path.basename(folder).casefold() in _GENERAL


def collections_of(snapshot: Snapshot) -> dict[str, list[Library]]:
    """The libraries of each collection of at least two, by its name.

    A card names the collection of its library. Else media of one kind that lie in a folder of the same name, on
    whichever drive, are taken for one.
    """
    roots = {place for drive in snapshot.drives for place in (drive.path, drive.base_path)}
    collections: dict[str, list[Library]] = {}
    for library in snapshot.libraries:
        if library.piece is not None and not library.piece.body:
            continue
        folder = os.path.dirname(library.path)
        if library.collection:
            collections.setdefault(f"“{library.collection}”", []).append(library)
        elif library.kind in _COLLECTED and folder not in roots and not _is_general(folder):
            collections.setdefault(f"{library.kind}s in “{os.path.basename(folder)}”", []).append(library)
    return {name: members for name, members in collections.items() if len(members) > 1}
