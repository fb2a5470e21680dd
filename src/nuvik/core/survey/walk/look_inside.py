"""Looking into every file and folder of an inventory: what only opening them tells."""

from __future__ import annotations

import os

from nuvik.core.hosts.files import Files
from nuvik.core.hosts.many_files import Inside
from nuvik.core.model.inventory import Inventory
from nuvik.core.model.paths import below
from nuvik.core.model.progress import Stop

Unusual = dict[str, Inside | OSError]


def look_inside(files: Files, inventory: Inventory, stop: Stop | None = None, only_written: bool = False) -> Unusual:
    """By relative path, the files and folders of which opening tells anything out of the ordinary, or which cannot be
    opened. With `only_written` some may be left out that nobody has open for writing: that is quicker. Raises
    StopRequested.
    """
    names: dict[str, list[str]] = {}
    unusual: Unusual = {}
    for path, entry in inventory.entries.items():
        if entry.kind != "file" and entry.kind != "folder":
            continue
        if path:
            folder, _, name = path.rpartition(os.sep)
            names.setdefault(folder, []).append(name)
        else:
            above, name = os.path.split(inventory.root)
            unusual.update(("", inside) for inside in _unusual_in(files, above, [name], only_written).values())
    for folder, in_folder in names.items():
        if stop is not None:
            stop.check()
        seen = _unusual_in(files, below(inventory.root, folder), in_folder, only_written)
        unusual.update((os.path.join(folder, name), inside) for name, inside in seen.items())
    return unusual


def _unusual_in(files: Files, folder: str, names: list[str], only_written: bool) -> Unusual:
    try:
        return files.look_inside(folder, names, only_written)
    except OSError as fault:
        return dict.fromkeys(names, fault)
