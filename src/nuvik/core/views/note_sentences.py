"""Notes on drives in words."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from nuvik.core.model.drive_note import Adoptable, DriveNote, NotedState
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count

_LISTED = 12


def note_headline(note: DriveNote) -> str:
    """What a note is about, and when it was written."""
    size = format_bytes(sum(library.bytes for library in note.libraries))
    count = format_count(len(note.libraries), "library", "libraries")
    sums = sum(library.checksum is not None for library in note.libraries)
    checks = f", {sums} with a checksum" if sums else ""
    return f"{shown(note.label)}, as of {note.written_at[:16].replace('T', ' ')}: {count}, {size}{checks}."


def adoptable_line(row: Adoptable) -> str:
    """One library of a note, beside what is there."""
    noted = row.noted
    words = f"{shown(noted.name)} ({noted.kind}, {format_bytes(noted.bytes)}): "
    if row.state is NotedState.CHANGED:
        now = f"{format_bytes(row.bytes)} in {format_count(row.files, 'file')}"
        return f"{words}{row.state}, now {now}, then {format_count(noted.files, 'file')}"
    if row.state is NotedState.SAME and row.checked:
        return f"{words}read, and as noted"
    return f"{words}{row.state}"


def arrival_sentence(rows: Sequence[Adoptable]) -> str:
    """What of the noted libraries is there, over all."""
    there, checked = [row for row in rows if row.able], sum(row.checked and row.able for row in rows)
    proven = f", {checked} of them read and compared" if checked else ""
    words = f"{len(there)} of {format_count(len(rows), 'noted library is', 'noted libraries are')} on the drive{proven}"
    wrong = [row for row in rows if row.state in (NotedState.DIFFERS, NotedState.LEADS_OUT, NotedState.MISSING)]
    return f"{words}; {len(wrong)} not as they should be." if wrong else f"{words}."


def noted_lines(note: DriveNote) -> Iterator[str]:
    """The libraries that a note names, the largest first."""
    every = sorted(note.libraries, key=lambda library: -library.bytes)
    for library in every[:_LISTED]:
        yield f"  {shown(library.name)} ({library.kind}, {format_bytes(library.bytes)})"
    if len(every) > _LISTED:
        yield f"  and {len(every) - _LISTED} more"
