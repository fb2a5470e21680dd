"""The folders in which the libraries of a kind lie, as one collection: what is spread over drives, seen together."""

from __future__ import annotations

import os
from collections.abc import Sequence

from nuvik.core.model.landing import KindFolder
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.paths import is_within


def folders_of(kind: Kind, libraries: Sequence[Library], first: str = "") -> tuple[KindFolder, ...]:
    """The folders that hold libraries of a kind; the folder `first` leads, the others follow by size. A library that is
    itself the folder where new content goes counts as that folder.
    """
    sums: dict[tuple[str, str], tuple[int, int]] = {}
    for library in libraries:
        if library.kind is kind and library.piece is None:
            path = library.path if library.path == first else os.path.dirname(library.path)
            count, size = sums.get((path, library.drive), (0, 0))
            sums[path, library.drive] = count + 1, size + library.on_disk_bytes
    folders = [
        KindFolder(path=path, drive=drive, libraries=count, bytes=size) for (path, drive), (count, size) in sums.items()
    ]
    return tuple(sorted(folders, key=lambda folder: (folder.path != first, -folder.bytes, folder.path)))


def left_behind(kind: Kind, libraries: Sequence[Library], before: Sequence[str], after: str) -> tuple[Library, ...]:
    """The libraries of a kind that lie in folders where new content of it went before, and not where it goes from now
    on.
    """
    return tuple(
        library
        for library in libraries
        if library.kind is kind
        and library.piece is None
        and any(is_within(library.path, folder) for folder in before)
        and not is_within(library.path, after)
    )
