"""Libraries and drives written to a file that others may read: CSV or JSON, by the file's ending."""

from __future__ import annotations

import csv
import io
import json
import os
from collections.abc import Iterable

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.survey_document import DriveDocument, SurveyDocument
from nuvik.core.store.json_codec import to_json
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
DRIVE_COLUMNS = (
    "id",
    "label",
    "path",
    "medium",
    "link",
    "filesystem",
    "portable",
    "attached",
    "system",
    "capacity_bytes",
    "usable_bytes",
    "used_bytes",
    "free_bytes",
    "headroom_bytes",
    "read_bytes_per_s",
    "write_bytes_per_s",
    "small_reads_per_s",
    "speed_source",
    "felt_load_s",
    "tier",
)
_FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""What a spreadsheet takes for the beginning of a formula: a name from a disk must not be one."""


def save_libraries(snapshot: Snapshot, libraries: Iterable[Library], path: str) -> None:
    """Write these libraries. Raises BadInput for another ending, Refused when the file cannot be written."""
    if _ending(path) == ".csv":
        text = _as_csv(COLUMNS, ([getattr(library, column) for column in COLUMNS] for library in libraries))
    else:
        document = {"format": "nuvik-survey/1", **to_json(SurveyDocument.of(snapshot, tuple(libraries)))}
        text = json.dumps(document, indent=2) + "\n"
    write_text(path, text)


def save_drives(drives: Iterable[Drive], path: str) -> None:
    """Write these drives, with the figures that follow from their own. Raises as above."""
    rows = to_json([DriveDocument.of(drive) for drive in drives])
    if _ending(path) == ".csv":
        text = _as_csv(DRIVE_COLUMNS, ([row[column] for column in DRIVE_COLUMNS] for row in rows))
    else:
        text = json.dumps({"format": "nuvik-drives/1", "drives": rows}, indent=2) + "\n"
    write_text(path, text)


def _ending(path: str) -> str:
    ending = os.path.splitext(path)[1].lower()
    if ending not in (".csv", ".json"):
        raise BadInput(f"{shown(path)} must end in .csv or .json.", next_step="Choose one of the two endings.")
    return ending


def _as_csv(columns: Iterable[str], rows: Iterable[Iterable[object]]) -> str:
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(columns)
    writer.writerows(map(_cell, row) for row in rows)
    return text.getvalue()


def _cell(value: object) -> object:
    """Text made harmless: what is not printable by its number, and no formula."""
    if not isinstance(value, str):
        return value
    text = shown(str(value))
    return f"'{text}" if text.startswith(_FORMULA) else text
