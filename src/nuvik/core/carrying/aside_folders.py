"""The two hidden folders of a move, and the sidecar that says what they are even if the journal is lost.

The *incoming* folder stands beside the final place, on the target's own volume; the *held* folder stands beside
the original, on the source's. Each holds `content` and `about.json`.
"""

from __future__ import annotations

import errno
import os
from typing import Literal

from nuvik.core.carrying.sidecar import ABOUT, sidecar_of, sidecar_text
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.files import Files
from nuvik.core.model.journal import Move
from nuvik.core.model.names import OURS_PREFIX
from nuvik.core.model.paths import is_within, parents

CONTENT = "content"
AsideRole = Literal["incoming", "held"]


def incoming_folder(move: Move) -> str:
    return os.path.join(os.path.dirname(move.target), f"{OURS_PREFIX}-incoming-{move.first_id or move.id}-{move.token}")


def held_folder(move: Move) -> str:
    return os.path.join(os.path.dirname(move.source), f"{OURS_PREFIX}-held-{move.first_id or move.id}-{move.token}")


def incoming(move: Move) -> str:
    """Where the copy is built."""
    return os.path.join(incoming_folder(move), CONTENT)


def held(move: Move) -> str:
    """Where the original waits once it was switched."""
    return os.path.join(held_folder(move), CONTENT)


def make_aside(work: Work, move: Move, role: AsideRole) -> None:
    """Make the incoming or held folder with its sidecar, if it is not there whole already."""
    files = work.files
    folder = _folder_of(move, role)
    if not files.exists(folder):
        files.make_folder(folder)
    if not files.exists(os.path.join(folder, ABOUT)):
        note_state(work, move, role)
        files.sync_folder(os.path.dirname(folder))


def note_state(work: Work, move: Move, role: AsideRole) -> None:
    """Write into the sidecar of one of its folders, if it is there, where a move stands now."""
    folder = _folder_of(move, role)
    if not work.files.exists(folder):
        return
    drives = {drive.id: drive for drive in work.drives()}
    entries = work.journal.entries(move).values() if role == "held" else ()
    about = os.path.join(folder, ABOUT)
    try:
        work.files.write_small(about, sidecar_text(sidecar_of(move, role, drives, entries)))
    except OSError as fault:
        # A drive without a single free byte is the very one to be emptied: the journal alone must do.
        if fault.errno != errno.ENOSPC or role != "held":
            raise
        work.files.remove_tree(about + ".new")


def _folder_of(move: Move, role: AsideRole) -> str:
    return incoming_folder(move) if role == "incoming" else held_folder(move)


def close_aside(files: Files, folder: str) -> None:
    """Remove an incoming or held folder whose content is gone; its sidecar goes last, so that it is known to the end.

    What else lies in it, nobody of Nuvik put there: then the folder stays.
    """
    if not files.exists(folder):
        return
    about = os.path.join(folder, ABOUT)
    files.remove_tree(about + ".new")
    if set(files.names_at(folder)) - {ABOUT}:
        files.sync_folder(folder)
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
        if not files.exists(folder):
            continue
        if files.names_at(folder):
            return
        files.remove_folder(folder)
        files.sync_folder(os.path.dirname(folder))
