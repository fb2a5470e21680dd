"""The note on a portable drive, as JSON: written for another computer, and read as input that nobody vouches for."""

from __future__ import annotations

import json
import os
import stat
from dataclasses import asdict
from typing import Annotated, Literal

from pydantic import Field, ValidationError, field_validator

from nuvik.core.model.drive_note import DriveNote, NotedLibrary, NotedPart
from nuvik.core.model.errors import Refused, system_words
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown
from nuvik.core.model.opening import FolderShare, ReadPattern
from nuvik.core.user_files.cards_file import Strict, inside
from nuvik.core.user_files.safe_file import write_text

NOTE_FILE = ".nuvik-note.json"
NOTE_FORMAT = "nuvik-drive-note/1"
_MOST_BYTES, _MOST_LIBRARIES = 16_000_000, 20_000
_Count = Annotated[int, Field(ge=0, le=2**62)]
_Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
_Text = Annotated[str, Field(min_length=1, max_length=4096)]


class _Folder(Strict):
    path: Annotated[str, Field(max_length=4096)]
    share: _Share
    seeks: _Share


class _Pattern(Strict):
    bytes: _Count
    runs: _Count
    folders: Annotated[list[_Folder], Field(max_length=10_000)] = []


class _Part(Strict):
    path: _Text
    kind: Kind

    _folder_inside = field_validator("path")(inside)


class _Library(Strict):
    path: _Text
    name: Annotated[str, Field(min_length=1, max_length=200)]
    kind: Kind
    bytes: _Count
    files: _Count
    opens_per_week: Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)] = 0.0
    working_set: bool = False
    needs_read_bytes_per_s: Annotated[int, Field(gt=0, le=2**62)] | None = None
    parts: Annotated[list[_Part], Field(max_length=200)] = []
    pattern: _Pattern | None = None
    checksum: Annotated[str, Field(pattern=r"^[0-9a-f]{32}$")] | None = None

    _folder_inside = field_validator("path")(inside)


class _Note(Strict):
    format: Literal["nuvik-drive-note/1"]
    label: Annotated[str, Field(max_length=200)]
    written_at: Annotated[str, Field(max_length=40)]
    libraries: Annotated[list[_Library], Field(max_length=_MOST_LIBRARIES)]


def write_note(path: str, note: DriveNote) -> None:
    """Write a note, in the place of an older one. Raises Refused."""
    libraries = []
    for library in note.libraries:
        entry = asdict(library)
        entry["parts"] = [{"path": part.path, "kind": str(part.kind)} for part in library.parts]
        libraries.append(entry)
    data = {"format": NOTE_FORMAT, "label": note.label, "written_at": note.written_at, "libraries": libraries}
    write_text(path, json.dumps(data, indent=1, ensure_ascii=False) + "\n")


def read_note(path: str) -> DriveNote:
    """Read a note. Raises Refused where there is none, or where it is no note that Nuvik writes."""
    try:
        handle = os.open(path, os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0))
        with open(handle, "rb") as file:
            facts = os.fstat(file.fileno())
            if not stat.S_ISREG(facts.st_mode) or facts.st_size > _MOST_BYTES:
                raise _refusal(path, "it is no file that Nuvik writes")
            note = _Note.model_validate_json(file.read(_MOST_BYTES))
    except FileNotFoundError:
        raise Refused(
            f"There is no note on this drive ({shown(path)}).",
            next_step="On the computer that knows it: “nuvik note DRIVE --yes”.",
        ) from None
    except OSError as fault:
        raise _refusal(path, system_words(fault)) from None
    except ValidationError as fault:
        first = fault.errors()[0]
        where = ".".join(map(str, first["loc"]))
        raise _refusal(path, f"{where}: {first['msg'].lower()}" if where else "it is not valid JSON") from None
    except ValueError as fault:
        raise _refusal(path, str(fault)) from None
    return DriveNote(
        label=note.label, written_at=note.written_at, libraries=tuple(_library(each) for each in note.libraries)
    )


def _library(entry: _Library) -> NotedLibrary:
    return NotedLibrary(
        path=entry.path,
        name=entry.name,
        kind=entry.kind,
        bytes=entry.bytes,
        files=entry.files,
        opens_per_week=entry.opens_per_week,
        working_set=entry.working_set,
        needs_read_bytes_per_s=entry.needs_read_bytes_per_s,
        parts=tuple(NotedPart(path=part.path, kind=part.kind) for part in entry.parts),
        pattern=None if entry.pattern is None else _pattern(entry.pattern),
        checksum=entry.checksum,
    )


def _pattern(entry: _Pattern) -> ReadPattern:
    folders = tuple(FolderShare(path=each.path, share=each.share, seeks=each.seeks) for each in entry.folders)
    return ReadPattern(bytes=entry.bytes, runs=entry.runs, folders=folders)


def _refusal(path: str, why: str) -> Refused:
    return Refused(f"{shown(path)} cannot be read as a note: {shown(why)}.", next_step="Write it again, or remove it.")
