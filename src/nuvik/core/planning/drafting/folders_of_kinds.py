"""The folders in which the libraries of a kind lie, as one collection: what is spread over drives, seen together."""

from __future__ import annotations

import os
from collections import Counter, defaultdict
from collections.abc import Sequence

from nuvik.core.model.landing import KindFolder
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.paths import is_within

_GROWS = frozenset([Kind.VIDEO, Kind.PHOTO, Kind.SOUND, Kind.DOCUMENT, Kind.DOWNLOAD])
"""A library of such a kind may be the folder into which new content goes: all Videos as one."""


def folder_of(library: Library, libraries: Sequence[Library]) -> str:
    """The folder to which a library belongs among those of its kind: the one above, where several lie side by side or
    which is for that kind alone; else, for what grows by single files, itself.
    """
    return _folder_of(library, _kinds_by_folder(libraries))


def _kinds_by_folder(libraries: Sequence[Library]) -> dict[str, Counter[Kind]]:
    """How many libraries of each kind lie directly in each folder."""
    kinds: defaultdict[str, Counter[Kind]] = defaultdict(Counter)
    for library in libraries:
        kinds[os.path.dirname(library.path)][library.kind] += 1
    return kinds


def _folder_of(library: Library, kinds: dict[str, Counter[Kind]]) -> str:
    above = os.path.dirname(library.path)
    beside = kinds.get(above, Counter())
    shelf = beside[library.kind] > 1 and len(beside) == 1
    named = os.path.basename(above).casefold().startswith(library.kind.value)
    return library.path if library.kind in _GROWS and not shelf and not named else above


def folders_of(kind: Kind, libraries: Sequence[Library], first: str = "") -> tuple[KindFolder, ...]:
    """The folders that hold libraries of a kind; the folder `first` leads, the others follow by size."""
    sums: dict[tuple[str, str], tuple[int, int]] = {}
    kinds = _kinds_by_folder(libraries)
    for library in libraries:
        if library.kind is kind and library.piece is None:
            path = _folder_of(library, kinds)
            count, size = sums.get((path, library.drive), (0, 0))
            sums[path, library.drive] = count + 1, size + library.on_disk_bytes
    folders = [
        KindFolder(path=path, drive=drive, libraries=count, bytes=size) for (path, drive), (count, size) in sums.items()
    ]
    return tuple(sorted(folders, key=lambda folder: (folder.path != first, -folder.bytes, folder.path)))


def left_behind(
    kind: Kind, libraries: Sequence[Library], before: Sequence[str], after: str
) -> tuple[tuple[Library, str], ...]:
    """The libraries of a kind that lie in folders where new content of it went before, and not where it goes from now
    on, each with where it would go: what is such a folder itself takes the place of the new one.
    """
    return tuple(
        (library, after if library.path in before else os.path.join(after, os.path.basename(library.path)))
        for library in libraries
        if library.kind is kind
        and library.piece is None
        and any(is_within(library.path, folder) for folder in before)
        and not is_within(library.path, after)
    )
