"""Libraries in pieces: the body and the parts that may be placed on their own, each standing for a library.

While a library is planned in pieces, its pieces take its place in the snapshot, and everything that plans libraries
plans pieces. Parts that go where the body goes are carried with it, in one move.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace

from nuvik.core.model.library import Kind, Library, Part, Piece
from nuvik.core.model.paths import is_within
from nuvik.core.model.snapshot import Snapshot

WORTH_A_PLACE_BYTES = 1_000_000_000
"""Smaller parts are not proposed for a place of their own."""
_NOT_STREAMED = frozenset([Kind.BACKUP, Kind.CACHE])


def separable(library: Library) -> tuple[Part, ...]:
    """The parts that may be placed on their own. One that lies within another goes with that."""
    able = [part for part in library.parts if not part.stays and part.bytes > 0 and part.bytes <= library.bytes]
    paths = [os.path.normpath(part.path) for part in able]
    return tuple(
        part
        for part, path in zip(able, paths, strict=True)
        if not any(path != other and is_within(path, other) for other in paths)
    )


def worth_splitting(snapshot: Snapshot) -> list[str]:
    """The ids of libraries of which a part may be worth a place of its own."""
    return [
        library.id
        for library in snapshot.libraries
        if library.piece is None
        and library.movable
        and any(part.bytes >= WORTH_A_PLACE_BYTES for part in separable(library))
    ]


def split(
    snapshot: Snapshot, library_ids: Collection[str], only: Mapping[str, Collection[str]] | None = None
) -> Snapshot:
    """The snapshot with these libraries in pieces; those without parts stay whole. `only` says by library id which
    parts, by their paths in it, are parted from it; the others stay in the body.
    """
    libraries = [
        piece
        for library in snapshot.libraries
        for piece in (
            in_pieces(library, None if only is None else only.get(library.id))
            if library.id in library_ids
            else (library,)
        )
    ]
    return replace(snapshot, libraries=tuple(libraries))


def in_pieces(library: Library, only: Collection[str] | None = None) -> tuple[Library, ...]:
    """The body, then the parts; the library itself when there is nothing to part. A body may lose further parts."""
    parts = [part for part in separable(library) if only is None or part.path in only]
    if not parts or (library.piece is not None and not library.piece.body):
        return (library,)
    was = library.piece or _as_piece(library)
    apart = {part.path for part in parts}
    body = replace(
        library,
        parts=tuple(part for part in library.parts if part not in parts),
        tethers=tuple(tether for tether in library.tethers if tether.part not in apart),
    )
    for part in parts:
        body = _without(body, part)
    shares = [_shares_of(library, part, was) for part in parts]
    return (
        replace(
            body,
            piece=replace(
                was,
                reads=max(0.0, was.reads - sum(reads for reads, _ in shares)),
                seeks=max(0.0, was.seeks - sum(seeks for _, seeks in shares)),
            ),
        ),
        *(
            _as_library(library, part, replace(was, reads=reads, seeks=seeks, body=False))
            for part, (reads, seeks) in zip(parts, shares, strict=True)
        ),
    )


def _as_piece(library: Library) -> Piece:
    """A whole library as the body that it is before anything is parted from it."""
    unread = sum(part.bytes for part in separable(library) if part.kind is Kind.BACKUP)
    return Piece(
        whole=library.id,
        kind=library.kind,
        bytes=library.bytes,
        files=library.files,
        read_bytes=library.bytes - unread,
        reads=1.0,
        seeks=1.0,
        body=True,
    )


def _shares_of(library: Library, part: Part, whole: Piece) -> tuple[float, float]:
    """A part's shares of what opening the whole library reads, in sequence and in small reads: as recorded, else as it
    has bytes that may be read.
    """
    recorded = library.pattern.shares_of(os.path.normpath(part.path)) if library.pattern is not None else None
    if recorded is not None:
        return recorded
    may_be_read = 0 if part.kind is Kind.BACKUP else part.bytes
    share = may_be_read / whole.read_bytes if whole.read_bytes else 0.0
    return share, share


def _without(body: Library, part: Part) -> Library:
    left = dict(body.sizes)
    for size, count in part.sizes:
        left[size] = left.get(size, 0) - count
    return replace(
        body,
        bytes=body.bytes - part.bytes,
        on_disk_bytes=max(0, body.on_disk_bytes - part.on_disk_bytes),
        hole_bytes=max(0, body.hole_bytes - part.hole_bytes),
        files=max(0, body.files - part.files),
        folders=max(0, body.folders - part.folders),
        sizes=tuple(sorted((size, count) for size, count in left.items() if count > 0)),
    )


def _as_library(library: Library, part: Part, piece: Piece) -> Library:
    return replace(
        library,
        id=f"{library.id}/{part.path}",
        name=f"{library.name} · {part.name}",
        kind=part.kind,
        path=os.path.normpath(os.path.join(library.path, part.path)),
        bytes=part.bytes,
        on_disk_bytes=part.on_disk_bytes,
        hole_bytes=part.hole_bytes,
        files=part.files,
        folders=part.folders,
        sizes=part.sizes,
        largest_file_bytes=part.largest_file_bytes,
        parts=(),
        piece=piece,
        links_in=part.links,
        links_out=0,
        needs_read_bytes_per_s=None if part.kind in _NOT_STREAMED else library.needs_read_bytes_per_s,
        links_broken=0,
        keep_with=(),
        apart_from=(),
        collection=None,
        falls_back_to=None,
        tethers=tuple(tether for tether in library.tethers if tether.part == part.path),
        working_set=False,
        cold_bytes=0,
    )


def merged(body: Library, parts: Sequence[Library]) -> Library:
    """The body with parts that go along, as one library to carry."""
    sizes = dict(body.sizes)
    for part in parts:
        for size, count in part.sizes:
            sizes[size] = sizes.get(size, 0) + count
    together = (body, *parts)
    whole = body.piece
    if whole is not None:
        pieces = [library.piece for library in together if library.piece is not None]
        reads, seeks = sum(piece.reads for piece in pieces), sum(piece.seeks for piece in pieces)
        body = replace(body, piece=replace(whole, reads=reads, seeks=seeks))
    return replace(
        body,
        bytes=sum(library.bytes for library in together),
        on_disk_bytes=sum(library.on_disk_bytes for library in together),
        hole_bytes=sum(library.hole_bytes for library in together),
        files=sum(library.files for library in together),
        folders=sum(library.folders for library in together),
        tethers=tuple(tether for library in together for tether in library.tethers),
        sizes=tuple(sorted(sizes.items())),
    )
