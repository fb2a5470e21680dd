"""Libraries written to a file that others may read: CSV or JSON, by the file's ending."""

from __future__ import annotations

import csv
import io
import json
import os
from collections.abc import Iterable

from nuvik.core.model.errors import BadInput
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.store.json_codec import drive_to_json, to_json
from nuvik.core.user_files.safe_file import write_text

COLUMNS = (
    "id",
    "name",
    "kind",
    "path",
    "drive",
    "bytes",
    "on_disk_bytes",
    "files",
    "folders",
    "largest_file_bytes",
    "cold_bytes",
    "last_used",
    "opens_per_week",
    "use_source",
    "movable",
    "verdict",
    "why_not",
    "caution",
    "why",
    "confidence",
    "hidden",
    "working_set",
    "tether",
)
_FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""What a spreadsheet takes for the beginning of a formula: a name from a disk must not be one."""


def save_libraries(snapshot: Snapshot, libraries: Iterable[Library], path: str) -> None:
    """Write these libraries. Raises BadInput for another ending, Refused when the file cannot be written."""
    ending = os.path.splitext(path)[1].lower()
    if ending == ".csv":
        text = _as_csv(libraries)
    elif ending == ".json":
        document = {
            "format": "nuvik-survey/1",
            "taken_at": snapshot.taken_at,
            "host": snapshot.host,
            "drives": [drive_to_json(drive) for drive in snapshot.drives],
            "libraries": [to_json(library) for library in libraries],
        }
        text = json.dumps(document, indent=2) + "\n"
    else:
        raise BadInput(f"{shown(path)} must end in .csv or .json.", next_step="Choose one of the two endings.")
    write_text(path, text)


def _as_csv(libraries: Iterable[Library]) -> str:
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(COLUMNS)
    for library in libraries:
        writer.writerow([_cell(getattr(library, column)) for column in COLUMNS])
    return text.getvalue()


def _cell(value: object) -> object:
    """Text made harmless: what is not printable by its number, and no formula."""
    if not isinstance(value, str):
        return value
    text = shown(str(value))
    return f"'{text}" if text.startswith(_FORMULA) else text
