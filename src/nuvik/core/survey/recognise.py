"""What is this folder? Libraries are found by cards, by collections with one title per folder, and by contents.

Nuvik knows no product by name: it goes by folder conventions and by the shares of bytes that files of each
type take.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass

from nuvik.core.hosts.base import Host
from nuvik.core.model.library import Card, Kind
from nuvik.core.model.paths import is_within
from nuvik.core.survey.walk import OURS_PREFIX, Measure

_TYPES: dict[Kind, frozenset[str]] = {
    Kind.VIDEO: frozenset([".mp4", ".mkv", ".mov", ".avi", ".webm", ".m4v", ".mpg", ".mpeg", ".ts", ".ogv"]),
    Kind.PHOTO: frozenset(
        [".jpg", ".jpeg", ".png", ".tif", ".tiff", ".raw", ".dng", ".fits", ".fit", ".heic", ".webp", ".gif", ".bmp"]
    ),
    Kind.SOUND: frozenset([".wav", ".flac", ".mp3", ".ogg", ".opus", ".m4a", ".aac", ".aif", ".aiff"]),
    Kind.DOCUMENT: frozenset(
        [
            ".pdf",
            ".txt",
            ".md",
            ".odt",
            ".ods",
            ".odp",
            ".doc",
            ".docx",
            ".xls",
            ".xlsx",
            ".ppt",
            ".pptx",
            ".epub",
            ".csv",
            ".tex",
        ]
    ),
    Kind.DISC_IMAGE: frozenset([".iso", ".img", ".qcow2", ".vdi", ".vmdk", ".vhd", ".vhdx"]),
    Kind.BACKUP: frozenset([".bak", ".backup"]),
}
_CLEAR_SHARE = 0.6
"""Assumed: a kind is clear when files of its types take three fifths of the bytes."""
_COLLECTION_NAMES = {kind.folder.casefold(): kind for kind in Kind}
_OF_THE_FILE_SYSTEM = {"lost+found", "System Volume Information", "$RECYCLE.BIN", ".Trashes", ".Spotlight-V100"}
"""Folders that systems keep on every volume for themselves."""
CACHE_TAG = "CACHEDIR.TAG"


@dataclass(frozen=True, slots=True)
class Candidate:
    """A folder taken for a library."""

    path: str
    card: Card | None = None
    tether: str | None = None
    """The link that leads here, when there is one."""
    kind: Kind | None = None
    """The kind of the collection it stands in."""


def find_libraries(host: Host, roots: tuple[str, ...]) -> list[Candidate]:
    """The libraries below `roots`: each sub-folder is one, unless it only holds others."""
    cards = {card.path: card for card in host.cards()}
    found: dict[str, Candidate] = {}
    for root in roots:
        if root in cards:
            _take(found, Candidate(root, cards[root]))
            continue
        for candidate in _below(host, root, cards, None):
            _take(found, candidate)
    # A tethered library is found twice, by its link and where it lies: nothing counts twice.
    return [
        one for one in found.values() if not any(one.path != other and is_within(one.path, other) for other in found)
    ]


def _take(found: dict[str, Candidate], candidate: Candidate) -> None:
    known = found.get(candidate.path)
    if known is None or (known.tether is None and candidate.tether is not None):
        found[candidate.path] = candidate


def _below(host: Host, folder: str, cards: dict[str, Card], kind: Kind | None) -> Iterator[Candidate]:
    try:
        entries = host.files.list_folder(folder)
    except OSError:
        return  # an away drive or a closed folder: the survey of its drive says so
    for entry in entries:
        path, card = entry.path, cards.get(entry.path)
        if entry.name.startswith(OURS_PREFIX) or entry.name in _OF_THE_FILE_SYSTEM or os.path.ismount(path):
            continue
        if entry.is_symlink():
            real = os.path.realpath(path)
            if host.files.exists(real) and host.files.is_folder(real) and not is_within(folder, real):
                yield Candidate(real, card or cards.get(real), tether=path, kind=collection_kind(real) or kind)
            continue
        if card is not None:
            yield Candidate(path, card, kind=kind)
        elif not entry.is_dir(follow_symlinks=False):
            continue
        elif any(is_within(carded, path) for carded in cards):
            yield from _below(host, path, cards, _COLLECTION_NAMES.get(entry.name.casefold()))
        elif (collection := _COLLECTION_NAMES.get(entry.name.casefold())) and _holds_only_folders(host, path):
            yield from _below(host, path, cards, collection)
        else:
            yield Candidate(path, kind=kind)


def _holds_only_folders(host: Host, path: str) -> bool:
    try:
        entries = host.files.list_folder(path)
    except OSError:
        return False
    return bool(entries) and all(entry.is_dir() for entry in entries)


def collection_kind(path: str) -> Kind | None:
    """The kind of the collection that a library stands in, by the name of the folder above it."""
    return _COLLECTION_NAMES.get(os.path.basename(os.path.dirname(path)).casefold())


def kind_of(host: Host, candidate: Candidate, measured: Measure) -> Kind:
    """What a library holds: as its card says, else its collection, else by name and contents."""
    if candidate.card is not None and candidate.card.kind is not None:
        return candidate.card.kind
    if candidate.kind is not None:
        return candidate.kind
    name = os.path.basename(candidate.path).casefold()
    if "cache" in name or host.files.exists(os.path.join(candidate.path, CACHE_TAG)):
        return Kind.CACHE
    if name in _COLLECTION_NAMES:
        return _COLLECTION_NAMES[name]
    if "backup" in name:
        return Kind.BACKUP
    for kind, extensions in _TYPES.items():
        share = sum(measured.by_extension.get(extension, 0) for extension in extensions)
        if measured.bytes and share >= _CLEAR_SHARE * measured.bytes:
            return kind
    return Kind.OTHER
