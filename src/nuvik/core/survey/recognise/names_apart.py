"""Names that tell libraries apart: of two with one name, each also says where it lies."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace

from nuvik.core.model.library import Kind, Library
from nuvik.core.model.paths import parents


def names_apart(libraries: Sequence[Library]) -> tuple[Library, ...]:
    """The libraries, renamed where two have one name, and where a cache does not say whose it is.

    The nearest folder above that differs is added: “Cache (lantern-editor)”.
    """
    by_name: dict[str, list[Library]] = defaultdict(list)
    for library in libraries:
        by_name[library.name.casefold()].append(library)
    return tuple(_told_apart(library, by_name[library.name.casefold()]) for library in libraries)


def _told_apart(library: Library, namesakes: Sequence[Library]) -> Library:
    # A name that the user gave stays as it is.
    given = library.name != os.path.basename(library.path)
    vague = library.kind is Kind.CACHE and library.name.casefold().strip(".") in ("cache", "caches")
    if given or (len(namesakes) == 1 and not vague):
        return library
    others = [other.path for other in namesakes if other.path != library.path]
    for folder in parents(library.path):
        word = os.path.basename(folder)
        if word and not any(word in (os.path.basename(place) for place in parents(other)) for other in others):
            return replace(library, name=f"{library.name} ({word})")
    return library
