"""Finding the libraries in sized trees: each sub-folder is one, unless it only holds others.

What overlaps is counted once: the outermost library wins, and what lies in it are its parts.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from nuvik.core.model.library import Card, Kind, Part
from nuvik.core.model.names import OURS_PREFIX
from nuvik.core.model.paths import is_within, parents
from nuvik.core.survey.recognise.guess_kind import Context, Guess, collection, guess
from nuvik.core.survey.recognise.trade_words import COLLECTIONS, OF_THE_FILE_SYSTEM, PARTS, PLUG_INS, PLURALS
from nuvik.core.survey.walk.folder_tree import Folder, Tree, folder_in

_SETTINGS_BYTES = 100_000_000
"""Assumed: what a program keeps hidden in the home is settings when it takes less than this."""
_PART_BYTES = 1


@dataclass(frozen=True, slots=True)
class LibraryCandidate:
    """A folder taken for a library."""

    path: str
    card: Card | None = None
    tether: str | None = None
    """The link that leads here, when there is one."""
    kind: Kind | None = None
    """The kind of the collection it stands in, if it stands in one."""
    why: str = ""
    """Why that collection is one."""


def find_candidates(
    trees: Sequence[Tree], cards: Mapping[str, Card], context: Context
) -> tuple[list[LibraryCandidate], list[str]]:
    """The libraries in these trees, in the order of their paths; and folders that links lead to, outside the trees."""
    search = _Search(trees, cards, context)
    for tree in trees:
        card = cards.get(tree.root.path)
        if card is not None and not card.titles:
            search.take(LibraryCandidate(tree.root.path, card))
        else:
            search.below(tree.root, None, "")
    candidates = search.candidates
    # A tethered library is found twice, by its link and where it lies: nothing counts twice.
    outermost = [
        outermost for path, outermost in candidates.items() if not any(above in candidates for above in parents(path))
    ]
    outside = [candidate.path for candidate in outermost if folder_in(trees, candidate.path) is None]
    return sorted(outermost, key=lambda candidate: candidate.path), outside


class _Search:
    """Going down the trees."""

    def __init__(self, trees: Sequence[Tree], cards: Mapping[str, Card], context: Context) -> None:
        self._trees, self._cards, self._context = trees, cards, context
        self._above_cards = {above for path, card in cards.items() if not card.ignored for above in parents(path)}
        self._cards_in: dict[str, list[tuple[str, Card]]] = {}
        for path, card in cards.items():
            if not card.ignored:
                self._cards_in.setdefault(os.path.dirname(path), []).append((path, card))
        self.candidates: dict[str, LibraryCandidate] = {}

    def take(self, candidate: LibraryCandidate) -> None:
        known = self.candidates.get(candidate.path)
        if known is None or (known.tether is None and candidate.tether is not None):
            if known is not None:
                candidate = replace(candidate, card=candidate.card or known.card, kind=known.kind or candidate.kind)
            self.candidates[candidate.path] = candidate

    def below(self, folder: Folder, kind: Kind | None, why: str) -> None:
        """Take the libraries among the sub-folders, and the links that lead to one."""
        for inner in folder.below.values():
            if not inner.name.startswith(OURS_PREFIX) and inner.name not in OF_THE_FILE_SYSTEM:
                self._one(inner, kind, why)
        for name, _ in folder.own.link_list:
            path = os.path.join(folder.path, name)
            if os.sep not in name:
                self._link(folder, path, kind)
        for path, card in self._cards_in.get(folder.path, ()):
            # A card may stand on a single file.
            if path not in self.candidates and os.path.basename(path) not in folder.below and self._is_file(path):
                self.take(LibraryCandidate(path, card, kind=kind))

    def _one(self, folder: Folder, kind: Kind | None, why: str) -> None:
        card, path, about = self._cards.get(folder.path), folder.path, self._context.about
        if card is not None and card.ignored:
            return
        if card is not None and not card.titles:
            self.take(LibraryCandidate(path, card, kind=kind, why=why))
        elif card is not None:
            self.below(folder, card.kind or kind, "you said that each folder there is one library")
        elif path in self._above_cards or path in about.containers:
            self.below(folder, COLLECTIONS.get(folder.name.casefold()), "")
        elif path in about.caches:
            self.below(folder, Kind.CACHE, "it is where the system lets programs keep caches")
        elif self._is_settings(folder):
            return
        elif (named := self._named_collection(folder)) is not None:
            self.below(folder, named, f"it is next to other {PLURALS[named]} in “{folder.name}”")
        elif kind is None and (titles := collection(folder, self._context)) is not None:
            self.below(folder, titles.kind, f"{titles.why}: {PLURALS[titles.kind]}")
        else:
            self.take(LibraryCandidate(path, kind=kind, why=why))

    def _is_settings(self, folder: Folder) -> bool:
        """Whether a folder is where a program keeps its settings: hidden in the home, or among those of programs, and
        too small to be worth a library. It stays where it is and counts as loose.
        """
        about, above = self._context.about, os.path.dirname(folder.path)
        hidden = folder.name.startswith(".") and above == about.home
        return (hidden or above in about.containers) and folder.extent.bytes < _SETTINGS_BYTES

    def _named_collection(self, folder: Folder) -> Kind | None:
        kind = self._context.about.standard.get(folder.path) or COLLECTIONS.get(folder.name.casefold())
        if kind is None or folder.own.files or not (folder.below or folder.own.links):
            return None
        # A library that was moved away is a link to a folder here.
        links = [os.path.join(folder.path, name) for name, _ in folder.own.link_list if os.sep not in name]
        only_folders = len(links) == folder.own.links and all(map(os.path.isdir, links))
        return kind if only_folders else None

    def _link(self, folder: Folder, path: str, kind: Kind | None) -> None:
        files, real = self._context.host.files, os.path.realpath(path)
        card = self._cards.get(path) or self._cards.get(real)
        if card is not None and card.ignored:
            return
        try:
            leads_to_library = files.is_folder(real) and not is_within(folder.path, real) and real not in self.roots
        except OSError:
            return
        if leads_to_library and self._context.host.why_protected(real) is None:
            self.take(LibraryCandidate(real, card, tether=path, kind=collection_kind(real) or kind))

    def _is_file(self, path: str) -> bool:
        """A link is no file: what it leads to is found by itself."""
        files = self._context.host.files
        try:
            return files.exists(path) and not files.is_link(path) and not files.is_folder(path)
        except OSError:
            return False

    @property
    def roots(self) -> set[str]:
        return {tree.root.path for tree in self._trees}


def collection_kind(path: str) -> Kind | None:
    """The kind of the collection that a library stands in, by the name of the folder above it."""
    return COLLECTIONS.get(os.path.basename(os.path.dirname(path)).casefold())


def guess_of(candidate: LibraryCandidate, folder: Folder, context: Context) -> Guess:
    """What a library holds: as its card says, else its collection, else by its signs."""
    if candidate.card is not None and candidate.card.kind is not None:
        return Guess(candidate.card.kind, 1.0, "its card says so")
    if candidate.kind is not None:
        why = candidate.why or f"it is next to other {PLURALS[candidate.kind]}"
        return Guess(candidate.kind, 0.9, why)
    return guess(folder, context)


def parts_of(candidate: LibraryCandidate, folder: Folder, kind: Kind, context: Context) -> Iterator[Part]:
    """The folders inside that may be placed on their own: those of the card, then those that are recognised."""
    card_parts = candidate.card.parts if candidate.card else ()
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
