"""The system's own folder for a kind of content (Videos, Pictures …): where it is, and setting it."""

from __future__ import annotations

import os
import sys

from nuvik.core.model.errors import Refused, system_words
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown
from nuvik.core.model.tether import Tether, TetherKind
from nuvik.core.settings.known_folders import known_folder, set_known_folder
from nuvik.core.settings.line_formats import QUOTED, PlainFormat
from nuvik.core.settings.setting_format import encoded
from nuvik.core.settings.settings_file import put_value
from nuvik.core.settings.spelling import Manner, Spelling
from nuvik.core.settings.standard_folders import KEYS, standard_folders, standard_folders_file
from nuvik.core.user_files.safe_file import write_bytes

KNOWN_FOLDERS = "Known Folders"
"""In place of a file, on Windows."""
_IN_HOME = Spelling(Manner.HOME_VARIABLE, "")
"""As the specification of user-dirs writes a folder: from `$HOME` on, else in full."""
_USUAL = {
    Kind.DOCUMENT: "Documents",
    Kind.DOWNLOAD: "Downloads",
    Kind.PHOTO: "Pictures",
    Kind.VIDEO: "Videos",
    Kind.SOUND: "Music",
}
"""Where a folder is of which nothing is written down."""


def system_folder(kind: Kind, home: str) -> Tether | None:
    """Where the system keeps its folder for a kind; None where it has none, or none that can be set: on a Mac nothing
    but a link leads elsewhere.
    """
    if kind not in KEYS or not home or sys.platform == "darwin":
        return None
    if sys.platform == "win32":
        return Tether(kind=TetherKind.STANDARD_FOLDER, file=KNOWN_FOLDERS, key=str(kind))
    return Tether(kind=TetherKind.STANDARD_FOLDER, file=standard_folders_file(home), format="plain", key=KEYS[kind])


def written(kind: Kind, path: str, home: str) -> str:
    """A folder as the system writes it down."""
    return path if sys.platform == "win32" else _IN_HOME.of(path, home)


def folder_now(kind: Kind, home: str) -> str:
    """What the system says of its folder for a kind, as it is written down; empty where nothing is."""
    if sys.platform == "win32":
        return known_folder(kind)
    path = standard_folders(home).get(KEYS[kind], "")
    return path and _IN_HOME.of(path, home)


def usual_folder(kind: Kind, home: str) -> str:
    """Where the system's folder is while nothing is written down, as it would be."""
    return written(kind, os.path.join(home, _USUAL[kind]), home)


def put_folder(kind: Kind, before: str, after: str, home: str) -> None:
    """Let the system's folder for a kind be elsewhere; both as they are written down, `before` empty where nothing is.
    Raises Refused where it says something else by now, or cannot be set.
    """
    if sys.platform == "win32":
        if os.path.normcase(known_folder(kind)) != os.path.normcase(before):
            raise Refused(f"The folder for {kind} has been changed since.", next_step="It is left as it is.")
        set_known_folder(kind, after)
        return
    tether = system_folder(kind, home)
    if tether is None:
        raise Refused(f"This system has no folder for {kind} that can be set.", next_step="Leave a link instead.")
    if before:
        put_value(tether, before, after)
        return
    try:
        with open(tether.file, "rb") as file:
            data = file.read()
    except FileNotFoundError:
        data = b""
    except OSError as fault:
        words = system_words(fault)
        raise Refused(f"{shown(tether.file)} cannot be read: {words}.", next_step="Look at it.") from None
    os.makedirs(os.path.dirname(tether.file), exist_ok=True)
    lead = b"" if not data or data.endswith(b"\n") else b"\n"
    write_bytes(tether.file, data + lead + encoded(f"{tether.key}={PlainFormat().written(after, QUOTED)}\n"))
