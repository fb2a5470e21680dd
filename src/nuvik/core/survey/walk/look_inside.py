"""Looking into every file and folder of an inventory: what only opening them tells."""

from __future__ import annotations

import os

from nuvik.core.hosts.files import Files
from nuvik.core.hosts.many_files import Inside
from nuvik.core.model.inventory import Inventory
from nuvik.core.model.paths import below
from nuvik.core.model.progress import Stop


def look_inside(files: Files, inventory: Inventory, stop: Stop | None = None) -> dict[str, Inside | OSError]:
    """By relative path, what each file and folder is like inside, or why it cannot be opened. Raises StopRequested."""
    names: dict[str, list[str]] = {}
    paths: dict[str, list[str]] = {}
    for path, entry in inventory.entries.items():
        if entry.kind == "file" or entry.kind == "folder":
            above, _, name = path.rpartition(os.sep)
            folder = below(inventory.root, above)
            if not path:
                folder, name = os.path.split(inventory.root)
            names.setdefault(folder, []).append(name)
            paths.setdefault(folder, []).append(path)
    seen: dict[str, Inside | OSError] = {}
    for folder, in_folder in names.items():
        if stop is not None:
            stop.check()
        try:
            seen.update(zip(paths[folder], files.look_inside(folder, in_folder), strict=True))
        except OSError as fault:
            seen.update(dict.fromkeys(paths[folder], fault))
    return seen
