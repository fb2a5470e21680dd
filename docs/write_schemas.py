"""Write docs/schema from the documents. Called by `python3 start.py schemas`."""

from __future__ import annotations

import json
from pathlib import Path

from nuvik.core.views.documents.formats import FORMATS
from nuvik.core.views.documents.schema import file_name, schema_of

FOLDER = Path(__file__).parent / "schema"

for format_name in FORMATS:
    (FOLDER / file_name(format_name)).write_text(json.dumps(schema_of(format_name), indent=2) + "\n", encoding="utf-8")
