"""Removing a whole folder: by descriptors, without following a link, to any depth.

A name that was swapped for a link while the removal goes on is removed as the link it is; what the link leads to is not
touched.
"""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Iterator, Mapping
from functools import partial

from nuvik.core.hosts.descent import Descent, Handle, facts_in
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.hosts.many_files import IN_ONE_CALL, ToRemove, remove_many
from nuvik.core.model.inventory import EntryRecord

OWNER_MAY_ALL = 0o700


Known = Mapping[str, EntryRecord]
"""By their paths relative to the folder: the only entries that may go, as they were looked at."""


def is_known(known: Known | None, path: str, facts: os.stat_result) -> bool:
    """Whether an entry is what was looked at; everything is, where nothing is said of it."""
    if known is None:
        return True
    entry = known.get(path)
    if entry is None or entry.inode != f"{facts.st_dev}:{facts.st_ino}":
        return False
    return entry.kind not in ("file", "hard-link") or (entry.size, entry.changed_ns) == (
        facts.st_size,
        facts.st_mtime_ns,
    )


def empty_folder(handle: Handle, root: str, hook: FileOpHook, known: Known | None = None) -> None:
    """Remove everything in an open folder, which lies at `root`, and nothing of the folder itself; closes it. Going on
    after a stop is fine.

    With `known` only that goes which is still as it was looked at; what came or changed since stays, and so do the
    folders above it. What is mounted below is not entered: its folder stays, and removing the one above it fails.
    Raises OSError.
    """
    with Descent(handle) as descent:
        device = os.stat(descent.handle).st_dev
        remove_files = partial(_remove_files, descent, hook=hook, root=root, known=known)
        open_folders = [(root, remove_files(root))]
        while open_folders:
            folder, names = open_folders[-1]
            name = next(names, None)
            if name is None:
                open_folders.pop()
                if open_folders:
                    descent.up()
                    _remove_name(descent.handle, os.path.basename(folder), folder, hook, is_folder=True)
                continue
            path = os.path.join(folder, name)
            if facts_in(descent.handle, name).st_dev == device and _enter(descent, name):
                open_folders.append((path, remove_files(path)))
            else:
                _remove_name(descent.handle, name, path, hook, is_folder=True)


def change_mode(path: str, mode: int) -> None:
    """Give a file or folder these permission bits, and never what a link leads to. Raises OSError."""
    if not hasattr(os, "O_PATH"):
        os.chmod(path, mode)
        return
    descriptor = os.open(path, os.O_PATH | os.O_NOFOLLOW | os.O_CLOEXEC)
    try:
        if stat.S_ISLNK(os.fstat(descriptor).st_mode):
            raise OSError(errno.ELOOP, os.strerror(errno.ELOOP), path)
        os.chmod(f"/proc/self/fd/{descriptor}", mode)
    finally:
        os.close(descriptor)


def _enter(descent: Descent, name: str) -> bool:
    """Go down into a folder; False when something is mounted there."""
    try:
        descent.down(name)
    except PermissionError:
        _let_owner(descent.handle, name)
        descent.down(name)
    except OSError as fault:
        if fault.errno != errno.EXDEV:
            raise
        return False
    return True


def _let_owner(above: Handle, name: str) -> None:
    """Give the owner every right on a folder in an open one."""
    if isinstance(above, int):
        os.chmod(name, OWNER_MAY_ALL, dir_fd=above)
    else:
        os.chmod(os.path.join(above, name), OWNER_MAY_ALL)


def _remove_files(descent: Descent, folder: str, hook: FileOpHook, root: str, known: Known | None) -> Iterator[str]:
    """Remove what is no folder in the one at hand; gives the names of its folders, in order."""
    hook.before("look", folder)
    handle = descent.handle
    with os.scandir(handle) as entries:
        listed = sorted((entry.name, entry.is_dir(follow_symlinks=False)) for entry in entries)
    if listed and isinstance(handle, int) and not _may_write(handle):
        os.fchmod(handle, OWNER_MAY_ALL)
    within = os.path.relpath(folder, root) if known is not None and folder != root else ""
    prefix = f"{within}{os.sep}" if within else ""
    files = [name for name, is_folder in listed if not is_folder]
    going = [each for name in files if (each := _to_remove(name, prefix + name, known)) is not None]
    if isinstance(handle, int) and IN_ONE_CALL:
        for each in going if hook.listens else ():
            hook.before("remove", f"{folder}{os.sep}{each.name}")
        try:
            remove_many(handle, going)
        except OSError as fault:
            fault.filename = os.path.join(folder, str(fault.filename))
            raise
    else:
        for each in going:
            if is_known(known, prefix + each.name, facts_in(handle, each.name)):
                _remove_name(handle, each.name, os.path.join(folder, each.name), hook, is_folder=False)
    return iter([name for name, is_folder in listed if is_folder])


def _to_remove(name: str, path: str, known: Known | None) -> ToRemove | None:
    """A file or link that may go; None for what was not looked at."""
    if known is None:
        return ToRemove(name)
    entry = known.get(path)
    if entry is None:
        return None
    return ToRemove(name, entry.inode, -1 if entry.kind == "link" else entry.size, entry.changed_ns)


def _may_write(handle: int) -> bool:
    mode = os.fstat(handle).st_mode
    return mode & stat.S_IWUSR != 0 and mode & stat.S_IXUSR != 0


def _remove_name(handle: Handle, name: str, path: str, hook: FileOpHook, is_folder: bool) -> None:
    """Remove one name of an open folder."""
    hook.before("remove", path)
    try:
        if isinstance(handle, int):
            if is_folder:
                os.rmdir(name, dir_fd=handle)
            else:
                os.unlink(name, dir_fd=handle)
        elif is_folder:
            os.rmdir(os.path.join(handle, name))
        else:
            os.unlink(os.path.join(handle, name))
    except OSError as fault:
        fault.filename = path
        raise
