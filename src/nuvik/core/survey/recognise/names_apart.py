"""Names that tell libraries apart: of two with one name, each also says where it lies."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace

from nuvik.core.model.library import Kind, Library


def names_apart(libraries: Sequence[Library]) -> tuple[Library, ...]:
    """The libraries, renamed where two have one name, and where a cache does not say whose it is.

    As many of the folders above are added as it takes: “Cache (lantern-editor)”.
    """
    by_name: dict[str, list[Library]] = defaultdict(list)
    for library in libraries:
        by_name[library.name.casefold()].append(library)
    return tuple(_renamed_apart(library, by_name[library.name.casefold()]) for library in libraries)


def _renamed_apart(library: Library, namesakes: Sequence[Library]) -> Library:
    # A name that the user gave stays as it is.
    given = library.name != os.path.basename(library.path)
    vague = library.kind is Kind.CACHE and library.name.casefold().strip(".") in ("cache", "caches")
    if given or (len(namesakes) == 1 and not vague):
        return library
    mine = _folders_above(library)
    others = [_folders_above(other) for other in namesakes if other.path != library.path]
    for count in range(1, len(mine) + 1):
        if not any(other[-count:] == mine[-count:] for other in others):
            return replace(library, name=f"{library.name} ({os.sep.join(mine[-count:])})")
    return library


def _folders_above(library: Library) -> list[str]:
    return [name for name in os.path.dirname(library.path).split(os.sep) if name]
