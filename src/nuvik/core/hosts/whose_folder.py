"""Whose a folder of this computer is: the system's, another user's, or one's own to move and to fill."""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence

from nuvik.core.hosts.subvolumes import is_sub_volume
from nuvik.core.hosts.system_folders import why_of_the_system
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within, parents


def why_protected(path: str, points: Sequence[str], home: str) -> str | None:
    """Why a folder must not be moved, as the end of a sentence; None when it may. `points` are all mount points."""
    if path in points or (os.path.ismount(path) and not is_sub_volume(path)):
        return "it is a mount point, the root of a drive"
    if any(is_within(point, path) for point in points):
        return "another drive is mounted inside it"
    if path == home:
        return "it is your home folder"
    if is_within(home, path):
        return "your home folder is inside it"
    return why_of_the_system(path)


def why_no_place(folder: str, points: Sequence[str], home: str) -> str | None:
    """Why nothing can be put into a folder, which need not be there yet; None when something can."""
    # What is mounted below a folder of the system is no part of that.
    point = max((point for point in points if is_within(folder, point)), key=len, default=os.sep)
    if point != os.sep and is_within(point, home):
        return None
    if is_within(folder, home):
        return None
    if point == os.sep and folder != os.sep and (reason := why_of_the_system(folder)):
        return reason
    there = next(place for place in (folder, *parents(folder)) if os.path.lexists(place))
    try:
        owner = os.lstat(there).st_uid
    except OSError:
        return None
    if not hasattr(os, "geteuid") or owner in (0, os.geteuid()) or os.geteuid() == 0:
        return None
    return f"{shown(there)} belongs to another user ({_user_name(owner)})"


def why_not_yours(path: str, home: str) -> str | None:
    """Why a folder is not the user's to move; None when it is."""
    if not hasattr(os, "geteuid"):
        return None
    try:
        owner, above = os.lstat(path).st_uid, os.path.dirname(path)
        mine = {os.geteuid(), os.stat(home).st_uid}
    except OSError as fault:
        return f"it cannot be inspected ({(fault.strerror or '').lower()})"
    if owner not in mine and mine != {0}:
        return f"it belongs to another user ({_user_name(owner)})"
    return None if os.access(above, os.W_OK) else f"you may not change {shown(above)}, where it is"


def _user_name(number: int) -> str:
    """The name of a user, or the number of one that the system does not know."""
    if sys.platform == "win32":
        return str(number)
    import pwd

    try:
        return shown(pwd.getpwuid(number).pw_name)
    except KeyError:
        return str(number)
