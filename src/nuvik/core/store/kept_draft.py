"""The draft that was not carried yet, kept in the state folder from one start to the next."""

from __future__ import annotations

import contextlib
import json
import os

from nuvik.core.model.errors import Refused
from nuvik.core.model.kept_draft import KeptDraft
from nuvik.core.store.json_codec import from_json, to_json
from nuvik.core.user_files.safe_file import write_text

NAME = "draft.json"


def keep_draft(state_folder: str, draft: KeptDraft) -> None:
    """Write it down; one in which nothing is decided is forgotten. Raises Refused."""
    path = os.path.join(state_folder, NAME)
    if draft.places or draft.landings:
        write_text(path, json.dumps(to_json(draft)) + "\n")
    else:
        with contextlib.suppress(OSError):
            os.unlink(path)


def kept_draft(state_folder: str) -> KeptDraft | None:
    """The one that was kept; None where there is none that can be read."""
    try:
        with open(os.path.join(state_folder, NAME), encoding="utf-8") as file:
            return from_json(KeptDraft, json.load(file), "The kept draft")
    except (OSError, ValueError, Refused):
        return None
