"""Finding folders by their name on a whole drive: only names are read, nothing is measured."""

from __future__ import annotations

import errno
import os
from collections.abc import Callable, Iterator

from nuvik.core.hosts.descent import Descent
from nuvik.core.hosts.files import Files
from nuvik.core.model.progress import Stop


def find_folders(
    files: Files,
    root: str,
    wanted: Callable[[str], bool],
    leave_out: frozenset[str] = frozenset(),
    stop: Stop | None = None,
) -> Iterator[str]:
    """The paths of the folders below `root` whose names are wanted; those are not looked into. Links are not followed,
    other drives and the paths to `leave_out` not entered; what cannot be read is passed over. Raises StopRequested.
    """
    try:
        descent = Descent(files.open_folder(root))
    except OSError:
        return
    with descent:
        ways = [(root, _folders_in(descent))]
        while ways:
            if stop is not None:
                stop.check()
            folder, names = ways[-1]
            if not names:
                ways.pop()
                try:
                    if ways:
                        descent.up()
                except OSError:
                    return  # the folder above was replaced: nothing below it is known any more
                continue
            name = names.pop()
            path = os.path.join(folder, name)
            if wanted(name):
                yield path
            elif path not in leave_out and _entered(descent, name):
                ways.append((path, _folders_in(descent)))


def _entered(descent: Descent, name: str) -> bool:
    try:
        descent.down(name)
    except OSError as fault:
        if fault.errno in (errno.EMFILE, errno.ENFILE):
            raise
        return False
    return True


def _folders_in(descent: Descent) -> list[str]:
    """The names of the folders in the one at hand, the first last."""
    try:
        with os.scandir(descent.handle) as entries:
            names = [entry.name for entry in entries if entry.is_dir(follow_symlinks=False)]
    except OSError:
        return []
    return sorted(names, reverse=True)
