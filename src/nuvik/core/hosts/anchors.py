"""Anchors: the roots of the drives that a piece of work may touch, opened and known to be the right ones.

A path alone says nothing of the drive it is on: a drive may be unmounted, another be mounted in its place, or a folder
on the way be swapped for a link. So what changes something goes by an anchor: its root is opened and must be that very
mount, and from there on no link is followed and no other mount is entered.
"""

from __future__ import annotations

import errno
import os
import stat
import sys
from dataclasses import dataclass, field
from types import TracebackType
from typing import TypeVar

from nuvik.core.hosts import syscalls
from nuvik.core.hosts.long_paths import Reachable
from nuvik.core.hosts.mount_numbers import mount_number_of
from nuvik.core.hosts.volumes import Mount, Volume
from nuvik.core.model.paths import is_within

_O_PATH: int = getattr(os, "O_PATH", os.O_RDONLY)
_FOLDER = _O_PATH | getattr(os, "O_DIRECTORY", 0) | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_CLOEXEC", 0)
_LONGEST_BYTES = 4_000
"""A path in one call, in bytes; longer ones are opened in stretches (`PATH_MAX`, limits.h)."""
_SURELY_SHORT = _LONGEST_BYTES // 4
"""Characters: none takes more than four bytes."""
_BY_DESCRIPTOR = sys.platform == "linux"
"""Whether what an open folder holds can be named by its descriptor (`/proc/self/fd`)."""


@dataclass(slots=True)
class Anchor:
    """The root of a drive, at one place where it is mounted."""

    point: str
    root: str = "/"
    """The folder of the volume that is seen there."""
    mount_numbers: frozenset[int] = frozenset()
    """The numbers that mount may have in the system's table of mounts; empty where it has no numbers."""
    device: int | None = None
    """The device number of its root; None where it says nothing, as with sub-volumes."""
    _root: int = field(default=-1, repr=False)

    @property
    def prefix(self) -> str:
        """What the paths below it begin with."""
        return self.point if self.point.endswith(os.sep) else self.point + os.sep

    def opened(self) -> int:
        """A descriptor of the root; kept open until `close`. Raises OSError: ESTALE when it is another drive by now."""
        if self._root < 0:
            root = os.open(self.point, _FOLDER & ~getattr(os, "O_NOFOLLOW", 0))
            try:
                if not self._is_mine(root):
                    raise OSError(errno.ESTALE, "another drive is at this place now", self.point)
            except BaseException:
                os.close(root)
                raise
            self._root = root
        return self._root

    def close(self) -> None:
        if self._root >= 0:
            os.close(self._root)
        self._root = -1

    def _is_mine(self, root: int) -> bool:
        if self.device is not None and os.fstat(root).st_dev != self.device:
            return False
        number = mount_number_of(root) if self.mount_numbers else None
        return number is None or number in self.mount_numbers

    def holds(self, path: str) -> str | None:
        """Where a path is within the volume; None when it is not below this anchor."""
        if not is_within(path, self.point):
            return None
        return os.path.normpath(os.path.join(self.root, os.path.relpath(path, self.point)))

    def shows(self, place: str) -> str | None:
        """The path by which a place in the volume is seen here; None when it is not."""
        if not is_within(place, self.root):
            return None
        return os.path.normpath(os.path.join(self.point, os.path.relpath(place, self.root)))


def anchors_of(volume: Volume) -> tuple[Anchor, ...]:
    """The anchors of a mounted volume: one for each place where it is mounted."""
    mounts = volume.mounts or tuple(Mount(point) for point in volume.mount_points)
    anchors = []
    for point in dict.fromkeys(mount.point for mount in mounts):
        here = [mount for mount in mounts if mount.point == point]
        numbers = frozenset(mount.number for mount in here if mount.number is not None)
        # Sub-volumes have device numbers of their own, and where mounts are numbered that is enough.
        device = None if numbers else _device_at(point)
        anchors.append(Anchor(point, here[-1].root, numbers, device))
    return tuple(anchors)


def _device_at(point: str) -> int | None:
    try:
        return os.stat(point).st_dev
    except OSError:
        return None


class OpenFolders:
    """Some folders below anchors that were opened for one operation and stay open for the next.

    Most operations are on file after file of one folder. An open folder is the very one that was checked, whatever has
    its name by now; still, whoever removes or renames anything lets all of them go, so that the way there is looked at
    again.
    """

    _MOST = 72

    def __init__(self) -> None:
        self._descriptors: dict[str, int] = {}

    def opened(self, root: int, path: str, name: str) -> int:
        """A descriptor of the folder at `path` below an open root; `name` tells it from all others. Raises OSError."""
        descriptor = self._descriptors.get(name)
        if descriptor is None:
            descriptor = _opened_below(root, path)
            if len(self._descriptors) >= self._MOST:
                os.close(self._descriptors.pop(next(iter(self._descriptors))))
            self._descriptors[name] = descriptor
        return descriptor

    def let_go(self) -> None:
        for descriptor in self._descriptors.values():
            os.close(descriptor)
        self._descriptors.clear()


class Anchored:
    """Gives a path that leads only to what lies below an anchor, for as long as the `with` lasts.

    Entering raises OSError: ELOOP or ENOTDIR when a folder on the way is a link, EXDEV when another drive is mounted on
    the way, ESTALE when the drive itself is not there any more or the path is on none of the anchors.
    """

    __slots__ = ("_anchors", "_folders", "_near", "_path", "_plain")

    def __init__(self, anchors: tuple[Anchor, ...], path: str, folders: OpenFolders) -> None:
        self._anchors, self._path, self._folders = anchors, path, folders
        self._near = path
        self._plain: Reachable | None = None

    def __enter__(self) -> str:
        path = self._path
        if _BY_DESCRIPTOR:
            folder, name = folder_and_name(self._anchors, self._folders, path)
            self._near = f"/proc/self/fd/{folder}/{name}"
            return self._near
        anchor = _anchor_of(self._anchors, path)
        relative = path[len(anchor.prefix) :]
        try:
            if anchor.device is not None and os.stat(anchor.point).st_dev != anchor.device:
                raise OSError(errno.ESTALE, "another drive is at this place now", anchor.point)
            _look_along(anchor.point, relative)
            self._plain = Reachable(path)
            return self._plain.__enter__()
        except OSError as fault:
            fault.filename = path
            raise

    def __exit__(
        self, kind: type[BaseException] | None, fault: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._plain is not None:
            self._plain.__exit__(kind, fault, trace)
        if isinstance(fault, OSError):
            if fault.filename == self._near:
                fault.filename = self._path
            if fault.filename2 == self._near:
                fault.filename2 = self._path


def goes_by_descriptors() -> bool:
    """Whether what lies below an anchor is reached by descriptors on this system."""
    return _BY_DESCRIPTOR


def folder_and_name(anchors: tuple[Anchor, ...], folders: OpenFolders, path: str) -> tuple[int, str]:
    """A descriptor of the folder in which a path below an anchor lies, and its name there. Raises OSError as entering
    `Anchored` does.
    """
    # This is done for every operation on every file, so it is written for speed.
    anchor = _anchor_of(anchors, path)
    below = anchor.prefix
    relative = path[len(below) :]
    end = relative.rfind("/")
    try:
        root = anchor.opened()
        if end < 0:
            return root, relative or "."
        return folders.opened(root, relative[:end], below + relative[:end]), relative[end + 1 :] or "."
    except OSError as fault:
        fault.filename = path
        raise


def _anchor_of(anchors: tuple[Anchor, ...], path: str) -> Anchor:
    for anchor in anchors:
        if path.startswith(anchor.prefix) or path == anchor.point:
            return anchor
    raise OSError(errno.ESTALE, "this is on neither drive of the move", path)


Outcome = TypeVar("Outcome")


def named(outcome: Outcome, path: str) -> Outcome:
    """An outcome; a fault by a descriptor names no path: this one is meant."""
    if isinstance(outcome, OSError):
        outcome.filename = path
    return outcome


def _opened_below(root: int, path: str) -> int:
    """A descriptor of a folder below an open one, link-free and on the same mount. Raises OSError."""
    if len(path) <= _SURELY_SHORT and syscalls.opens_beneath():
        return syscalls.open_beneath(root, path, _FOLDER)
    descriptor, rest = os.dup(root), os.fsencode(path)
    while rest:
        end = len(rest) if len(rest) <= _LONGEST_BYTES else rest.rfind(b"/", 0, _LONGEST_BYTES)
        try:
            if end < 0:  # no single name may be nearly as long
                raise OSError(errno.ENAMETOOLONG, os.strerror(errno.ENAMETOOLONG), path)
            inner = _step(descriptor, os.fsdecode(rest[:end]))
        finally:
            os.close(descriptor)
        descriptor, rest = inner, rest[end + 1 :]
    return descriptor


def _step(descriptor: int, path: str) -> int:
    if syscalls.opens_beneath():
        return syscalls.open_beneath(descriptor, path, _FOLDER)
    number = mount_number_of(descriptor)
    at = os.dup(descriptor)
    for name in path.split(os.sep):
        try:
            inner = os.open(name, _FOLDER, dir_fd=at)
        finally:
            os.close(at)
        at = inner
        if mount_number_of(at) != number:
            os.close(at)
            raise OSError(errno.EXDEV, os.strerror(errno.EXDEV), path)
    return at


def _look_along(point: str, relative: str) -> None:
    """Where nothing is opened by descriptors: each folder on the way must be a folder of its own, now."""
    at, device = point, os.lstat(point).st_dev
    for name in os.path.dirname(relative).split(os.sep) if os.path.dirname(relative) else []:
        at = os.path.join(at, name)
        facts = os.lstat(at)
        if stat.S_ISLNK(facts.st_mode) or os.path.islink(at):
            raise OSError(errno.ELOOP, os.strerror(errno.ELOOP), at)
        if facts.st_dev != device:
            raise OSError(errno.EXDEV, os.strerror(errno.EXDEV), at)
