"""The user's standard folders on Linux, as the user-dirs specification of freedesktop.org keeps them.

`user-dirs.dirs` is read by programs as they start, so that a change needs no restart of the computer, only of the
programs that are open. On Windows these are Known Folders; on a Mac nothing but a link can lead elsewhere.
"""

from __future__ import annotations

import os

from nuvik.core.model.library import Kind
from nuvik.core.settings.formats import FORMATS
from nuvik.core.settings.setting_format import NotReadable

FILE_NAME = "user-dirs.dirs"
KEYS = {
    Kind.DOCUMENT: "XDG_DOCUMENTS_DIR",
    Kind.DOWNLOAD: "XDG_DOWNLOAD_DIR",
    Kind.PHOTO: "XDG_PICTURES_DIR",
    Kind.VIDEO: "XDG_VIDEOS_DIR",
    Kind.SOUND: "XDG_MUSIC_DIR",
}
"""The names in the specification, by what the folder is for."""


def standard_folders_file(home: str) -> str:
    """Where the user's standard folders are written down."""
    return os.path.join(os.environ.get("XDG_CONFIG_HOME") or os.path.join(home, ".config"), FILE_NAME)


def standard_folders(home: str) -> dict[str, str]:
    """By the key of each standard folder that is written down, its path; none where there is no such file."""
    try:
        with open(standard_folders_file(home), "rb") as file:
            values = FORMATS["plain"].values(file.read(1_000_000))
    except (OSError, NotReadable):
        return {}
    folders = {}
    for value in values:
        path = value.text
        if path.startswith("$HOME/"):
            path = home + path.removeprefix("$HOME")
        if value.key.startswith("XDG_") and os.path.isabs(path):
            folders[value.key] = os.path.normpath(path)
    return folders
