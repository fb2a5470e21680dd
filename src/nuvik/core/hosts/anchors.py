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

from nuvik.core.hosts import syscalls
from nuvik.core.hosts.long_paths import Reachable
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


def mount_number_of(descriptor: int) -> int | None:
    """The number of the mount that an open file is on; None where the system does not tell."""
    try:
        with open(f"/proc/self/fdinfo/{descriptor}", encoding="ascii") as facts:
            return next((int(line.split()[1]) for line in facts if line.startswith("mnt_id:")), None)
    except (OSError, ValueError, IndexError):
        return None


class Anchored:
    """Gives a path that leads only to what lies below an anchor, for as long as the `with` lasts.

    Entering raises OSError: ELOOP or ENOTDIR when a folder on the way is a link, EXDEV when another drive is mounted on
    the way, ESTALE when the drive itself is not there any more or the path is on none of the anchors.
    """

    __slots__ = ("_anchors", "_descriptor", "_near", "_path", "_plain")

    def __init__(self, anchors: tuple[Anchor, ...], path: str) -> None:
        self._anchors, self._path = anchors, path
        self._descriptor, self._near = -1, path
        self._plain: Reachable | None = None

    def __enter__(self) -> str:
        # This is done for every operation on every file, so it is written for speed.
        path = self._path
        for anchor in self._anchors:
            below = anchor.prefix
            if path.startswith(below) or path == anchor.point:
                break
        else:
            raise OSError(errno.ESTALE, "this is on neither drive of the move", path)
        relative = path[len(below) :]
        try:
            if not _BY_DESCRIPTOR:
                if anchor.device is not None and os.stat(anchor.point).st_dev != anchor.device:
                    raise OSError(errno.ESTALE, "another drive is at this place now", anchor.point)
                _look_along(anchor.point, relative)
                self._plain = Reachable(path)
                return self._plain.__enter__()
            descriptor, end = anchor.opened(), relative.rfind("/")
            if end >= 0:
                descriptor = self._descriptor = _opened_below(descriptor, relative[:end])
            self._near = f"/proc/self/fd/{descriptor}/{relative[end + 1 :] or '.'}"
        except OSError as fault:
            fault.filename = path
            raise
        return self._near

    def __exit__(
        self, kind: type[BaseException] | None, fault: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._plain is not None:
            self._plain.__exit__(kind, fault, trace)
        if self._descriptor >= 0:
            os.close(self._descriptor)
        if isinstance(fault, OSError):
            if fault.filename == self._near:
                fault.filename = self._path
            if fault.filename2 == self._near:
                fault.filename2 = self._path


def _opened_below(root: int, path: str) -> int:
    """A descriptor of a folder below an open one, link-free and on the same mount. Raises OSError."""
    if len(path) <= _SURELY_SHORT and syscalls.opens_beneath():
        return syscalls.open_beneath(root, path, _FOLDER)
    descriptor, rest = os.dup(root), os.fsencode(path)
    while rest:
        end = len(rest) if len(rest) <= _LONGEST_BYTES else rest.rindex(b"/", 0, _LONGEST_BYTES)
        try:
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
