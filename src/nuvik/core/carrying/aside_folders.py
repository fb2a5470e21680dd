"""The two hidden folders of a move, and the sidecar that says what they are even if the journal is lost.

The *incoming* folder stands beside the final place, on the target's own volume; the *held* folder stands beside
the original, on the source's. Each holds `content` and `about.json`.
"""

from __future__ import annotations

import errno
import json
import os

from nuvik.core.hosts.files import Files
from nuvik.core.model.clock import now_text
from nuvik.core.model.journal import Move
from nuvik.core.model.names import OURS_PREFIX
from nuvik.core.model.paths import is_within, parents

ABOUT = "about.json"
CONTENT = "content"
_SAYS = {
    "incoming": "Nuvik is copying a library to this drive. The original is untouched until the copy is proven.",
    "held": "The original of a library that Nuvik moved, kept until it is released. Please do not change it.",
}


def incoming_folder(move: Move) -> str:
    return os.path.join(os.path.dirname(move.target), f"{OURS_PREFIX}-incoming-{move.id}-{move.token}")


def held_folder(move: Move) -> str:
    return os.path.join(os.path.dirname(move.source), f"{OURS_PREFIX}-held-{move.id}-{move.token}")


def incoming(move: Move) -> str:
    """Where the copy is built."""
    return os.path.join(incoming_folder(move), CONTENT)


def held(move: Move) -> str:
    """Where the original waits once it was switched."""
    return os.path.join(held_folder(move), CONTENT)


def make_aside(files: Files, move: Move, role: str) -> None:
    """Make the incoming or held folder with its sidecar, if it is not there whole already."""
    folder = incoming_folder(move) if role == "incoming" else held_folder(move)
    if not files.exists(folder):
        files.make_folder(folder)
    about = os.path.join(folder, ABOUT)
    if files.exists(about):
        return
    sidecar = {
        "format": "nuvik-aside/1",
        "role": role,
        "says": _SAYS[role],
        "move": move.id,
        "library": move.library,
        "source": move.source,
        "target": move.target,
        "made_at": now_text(),
    }
    try:
        files.write_small(about, json.dumps(sidecar, indent=2) + "\n")
    except OSError as fault:
        # A drive without a single free byte is the very one to be emptied: the journal alone must do.
        if fault.errno != errno.ENOSPC or role != "held":
            raise
        files.remove_tree(about + ".new")
    files.sync_folder(os.path.dirname(folder))


def close_aside(files: Files, folder: str) -> None:
    """Remove an incoming or held folder whose content is gone; its sidecar goes last, so that it is known to the end.

    What else lies in it, nobody of Nuvik put there: then the folder stays.
    """
    if not files.exists(folder):
        return
    about = os.path.join(folder, ABOUT)
    files.remove_tree(about + ".new")
    if set(files.names_at(folder)) - {ABOUT}:
        return
    files.remove_tree(about)
    files.remove_folder(folder)
    files.sync_folder(os.path.dirname(folder))


def make_way(files: Files, folders: tuple[str, ...]) -> None:
    """Make the folders above a target, outermost first; those already there are fine."""
    for folder in folders:
        if not files.exists(folder):
            files.make_folder(folder, 0o755)
            files.sync_folder(os.path.dirname(folder))


def missing_folders(files: Files, target: str) -> tuple[str, ...]:
    """The folders above a target that are not there, outermost first."""
    there = existing_above(files, target)
    return tuple(reversed([folder for folder in parents(target) if is_within(folder, there) and folder != there]))


def existing_above(files: Files, path: str) -> str:
    """The nearest folder above a path that is there."""
    return next(folder for folder in parents(path) if files.exists(folder))


def unmake_way(files: Files, folders: tuple[str, ...]) -> None:
    """Remove the folders that a move had made, as far as nothing else came to lie in them."""
    for folder in reversed(folders):
        if not files.exists(folder) or files.names_at(folder):
            return
        files.remove_folder(folder)
        files.sync_folder(os.path.dirname(folder))
