"""The folders that belong to the system: nothing in them is moved, and nothing is put there."""

from __future__ import annotations

import os
import sys

from nuvik.core.model.paths import is_within

_SYSTEM_FOLDERS = {
    "linux": (
        "/bin",
        "/boot",
        "/dev",
        "/etc",
        "/lib",
        "/lib32",
        "/lib64",
        "/proc",
        "/root",
        "/run",
        "/sbin",
        "/sys",
        "/usr",
        "/var",
        "/tmp",
        "/home",
        "/opt",
        "/srv",
        "/mnt",
        "/media",
    ),
    "darwin": (
        "/System",
        "/Library",
        "/Applications",
        "/Users",
        "/Volumes",
        "/bin",
        "/sbin",
        "/usr",
        "/private",
        "/cores",
        "/dev",
        "/etc",
        "/tmp",
        "/var",
        "/opt",
    ),
}
# Below these only the folder itself is protected, what lies inside belongs to the user.
HOLDS_USER_FOLDERS = {
    "/home",
    "/root",
    "/Users",
    "/mnt",
    "/media",
    "/Volumes",
    "/srv",
    "/opt",
    "/tmp",
    "/Applications",
}


def why_of_the_system(path: str) -> str | None:
    """Why a folder is the system's, as the end of a sentence; None when it is not."""
    for folder in _SYSTEM_FOLDERS.get(sys.platform, ()):
        if path == folder or (folder not in HOLDS_USER_FOLDERS and is_within(path, folder)):
            return f"it belongs to the system ({folder})"
    if sys.platform == "win32":
        for variable in ("SystemRoot", "ProgramFiles", "ProgramFiles(x86)", "ProgramData"):
            folder = os.environ.get(variable, "")
            if folder and is_within(path.lower(), folder.lower()):
                return f"it belongs to the system ({folder})"
    return None
