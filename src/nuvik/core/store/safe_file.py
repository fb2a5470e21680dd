"""Text files for the user: written whole, or not at all."""

from __future__ import annotations

import os

from nuvik.core.model.errors import Refused
from nuvik.core.model.names import shown


def write_text(path: str, text: str) -> None:
    """Write a whole file; an older one of that name is replaced only when the new one is whole. Raises Refused."""
    part = f"{path}.new"
    try:
        with open(part, "w", encoding="utf-8", newline="") as file:
            file.write(text)
        os.replace(part, path)
    except OSError as fault:
        raise Refused(
            f"{shown(path)} cannot be written: {(fault.strerror or str(fault)).lower()}.",
            next_step="Choose another place.",
        ) from None
