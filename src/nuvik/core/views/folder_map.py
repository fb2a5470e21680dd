"""The map of a drive's folders: every folder by size, and which of them are libraries."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.paths import parents
from nuvik.core.survey.walk.folder_tree import Folder, Tree


@dataclass(frozen=True, slots=True)
class MapRow:
    """A folder on the map."""

    folder: Folder
    name: str
    bytes: int
    """What it takes on its drive."""
    library: Library | None
    """When it is one."""
    held: int
    """How many libraries lie in it."""
    opens: bool
    """Whether there are folders in it."""


class FolderMapRows:
    """The rows of the map, over the trees of a survey and the libraries in them."""

    def __init__(self, trees: Sequence[Tree], libraries: Sequence[Library]) -> None:
        self._roots = [tree.root for tree in trees]
        self._by_path = {library.path: library for library in libraries}
        self._held: dict[str, int] = {}
        """How many libraries lie in a folder; what is mounted below it does not lie in it."""
        tops = {root.path for root in self._roots}
        beside = Counter(path.rpartition(os.sep)[0] for path in self._by_path if path not in tops)
        for words, count in beside.items():
            folder = os.path.dirname(words + os.sep)  # which is slow: once for all libraries that lie side by side
            for above in (folder, *(parents(folder) if folder not in tops else ())):
                self._held[above] = self._held.get(above, 0) + count
                if above in tops:
                    break

    def roots(self) -> list[MapRow]:
        """The folders at the top of the map, the largest first."""
        return self._rows(self._roots, full_paths=True)

    def below(self, folder: Folder) -> list[MapRow]:
        """The folders directly in one, the largest first."""
        return self._rows(list(folder.below.values()))

    def _rows(self, folders: Sequence[Folder], full_paths: bool = False) -> list[MapRow]:
        rows = [
            MapRow(
                folder=folder,
                name=shown(folder.path if full_paths else folder.name),
                bytes=folder.held_bytes,
                library=self._by_path.get(folder.path),
                held=self._held.get(folder.path, 0),
                opens=bool(folder.below),
            )
            for folder in folders
        ]
        return sorted(rows, key=lambda row: (-row.bytes, row.name))
