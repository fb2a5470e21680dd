"""What fallbacks there are, and what is newer where."""

from __future__ import annotations

from collections.abc import Iterator

from nuvik.core.model.fallback import Newer, NewerFile
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_bytes, format_count

_LISTED = 8


def fallback_line(library: Library, fallback: Library, snapshot: Snapshot) -> str:
    """For example “Ringing Frames falls back to Short Frames on Kestrel (1.2 GB)”."""
    where, size = shown(snapshot.drive(fallback.drive).label), format_bytes(fallback.on_disk_bytes)
    return f"{shown(library.name)} falls back to {shown(fallback.name)} on {where} ({size})"


def changed_since(library: Library, fallback: Library) -> bool:
    """Whether the last survey saw something in the fallback that is newer than all of the library."""
    return (fallback.newest_content or "") > (library.newest_content or "")


def newer_lines(newer: Newer) -> Iterator[str]:
    """What is newer where, a line for each file of the first ones. Nothing is merged."""
    library, fallback = shown(newer.library.name), shown(newer.fallback.name)
    if newer.in_step:
        yield f"In step: {format_count(newer.same, 'file is', 'files are')} the same in both."
    for files, words in (
        (newer.only_fallback, f"only in {fallback}"),
        (newer.in_fallback, f"newer in {fallback}"),
        (newer.in_library, f"newer in {library}"),
    ):
        if files:
            yield f"{format_count(len(files), 'file is', 'files are')} {words}, {_size(files)}:"
        for file in files[:_LISTED]:
            yield f"  {shown(file.path)}"
        if len(files) > _LISTED:
            yield f"  and {len(files) - _LISTED} more"
    if newer.only_library:
        count = format_count(len(newer.only_library), "file is", "files are")
        yield f"{count} only in {library}, {_size(newer.only_library)}, as in any larger library."
    if not newer.in_step:
        yield "Copy by hand what you want in both: Nuvik does not merge."


def _size(files: tuple[NewerFile, ...]) -> str:
    return format_bytes(sum(file.bytes for file in files))
