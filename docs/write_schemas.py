"""Write docs/schema from the models. Called by `python3 start.py schemas`."""

from __future__ import annotations

import json
from pathlib import Path

from nuvik.core.model.plan import Plan
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.store.json_codec import schema_of

FOLDER = Path(__file__).parent / "schema"

for kind, name in ((Plan, "nuvik-plan"), (Snapshot, "nuvik-survey")):
    path = FOLDER / f"{name}.schema.json"
    path.write_text(json.dumps(schema_of(kind, f"{name}/1"), indent=2) + "\n", encoding="utf-8")
