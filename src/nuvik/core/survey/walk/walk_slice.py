"""What one walker does: it sizes a slice of a tree, at most so many entries, and tells what it left.

This is the innermost loop of a survey, so it is written for speed: folders are opened relative to their parents where
the system can, and each name is looked at once. It needs little of Nuvik, so that a walker in a process of its own
starts quickly; slices and tasks are plain tuples, which `marshal` carries.
"""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Collection
from dataclasses import dataclass, field
from typing import Any

from nuvik.core.hosts.descent import (
    FOLDERS_HELD,
    RELATIVE,
    Handle,
    close,
    extended,
    facts_in,
    link_text,
    open_above,
    open_folder,
)
from nuvik.core.hosts.subvolumes import SubVolume, sub_volume_at
from nuvik.core.model.errors import system_words
from nuvik.core.survey.walk.folder_stamps import settled_stamp
from nuvik.core.survey.walk.scan_folder import HAS_BLOCKS, MAY_BE_AWAY, FolderScan, not_here, scan_folder

_ENDINGS_A_FOLDER, _LINKS_A_FOLDER, _BIG_A_FOLDER = 64, 500, 200


@dataclass(frozen=True, slots=True)
class WalkRules:
    """How one tree is walked."""

    root: str
    keep_depth: int
    """Folders deeper than this below the root are added to the one above them …"""
    kept: frozenset[str] = frozenset()
    """… unless they stand here, relative to the root."""
    zero_depth: frozenset[str] = frozenset()
    """Folders, relative to the root, below which depth is counted from zero: what people have lies deeper in a home."""
    barriers: frozenset[str] = frozenset()
    """Mount points, which are not entered, as absolute paths."""
    cold_before_s: float = 0.0
    """Files neither read nor written since this moment are counted as cold."""
    big_bytes: int = 1 << 62
    """Files of this size and more are listed by name."""
    known: frozenset[str] = frozenset()
    """Folders, relative to the root, that are not entered, since what is in them is known."""


@dataclass(slots=True)
class Sums:
    """What lies directly in one folder, and in those below it that are not kept on their own.

    Files with several names are not in the sums: they stand in `linked`, to be counted once a tree.
    """

    path: str
    """Relative to the root; empty for the root."""
    files: int = 0
    bytes: int = 0
    blocks_bytes: int = 0
    """Held on disk, that of folders and links included."""
    folders: int = 0
    largest_bytes: int = 0
    largest_name: str = ""
    newest_content_s: float = 0.0
    newest_access_s: float = 0.0
    cold_bytes: int = 0
    programs: int = 0
    """Files that may be run."""
    not_here_files: int = 0
    """Placeholders: their contents are with a cloud service."""
    not_here_bytes: int = 0
    special: int = 0
    links: int = 0
    sub_volumes: int = 0
    """Sub-volumes of the same drive that begin here or below."""
    hole_bytes: int = 0
    """By how much files are longer than what they hold on disk."""
    histogram: dict[int, int] = field(default_factory=dict)
    """How many files by their class, as `model.extent.size_class` says."""
    extensions: dict[str, int] = field(default_factory=dict)
    """Bytes by the ending of the name, in lower case with its dot."""
    linked: list[tuple[int, int, int, int, str]] = field(default_factory=list)
    """Inode, number of names, length, bytes on disk and name of each file with several names."""
    link_list: list[tuple[str, str]] = field(default_factory=list)
    """Name and goal of links."""
    big: list[tuple[int, float, str]] = field(default_factory=list)
    """Size, newest content and name of the largest files."""
    problems: list[tuple[str, str]] = field(default_factory=list)
    """Name (relative to the root) and the system's error message."""
    stamps: list[tuple[str, int, int]] = field(default_factory=list)
    """Path (relative to the root), inode and stamp of each folder that is counted here: they tell whether anything came
    or went since.
    """


@dataclass(slots=True)
class _Frame:
    """A folder that is being gone through: its sub-folders are still to be entered."""

    handle: Handle | None
    """A descriptor, a path where the system opens none, or None while it is closed for having too many."""
    path: str
    depth: int
    identity: tuple[int, int]
    sums: Sums
    below: list[str]


def walk_slice(rules: WalkRules, starts: list[str], budget: int) -> tuple[list[Sums], list[str], int]:
    """Size the trees below `starts` (folders relative to the root), at most about `budget` entries of them.

    Gives the sums by folder, the folders that were left for another slice, and how many entries were looked at.
    Sums of one path from several slices are to be added.
    """
    return _Slice(rules).walk(starts, budget)


def depth_below(path: str, zero_depth: Collection[str]) -> int:
    """How deep a folder lies, below the root or below where depth is counted from zero; all relative to the root."""
    above = [place for place in zero_depth if path == place or path.startswith(place + os.sep)]
    below = path[max(map(len, above), default=0) :].strip(os.sep)
    return below.count(os.sep) + 1 if below else 0


class _Slice:
    """A slice being walked."""

    def __init__(self, rules: WalkRules) -> None:
        self._rules = rules
        self._sums: dict[str, Sums] = {}
        self._frames: list[_Frame] = []
        self._above: set[tuple[int, int]] = set()
        """The folders above and at the one at hand, by device and inode: meeting one again is a loop."""
        self._device = 0

    def walk(self, starts: list[str], budget: int) -> tuple[list[Sums], list[str], int]:
        seen, waiting = 0, list(starts)
        while waiting and seen < budget:
            left, looked_at = self._walk_from(waiting.pop(), budget - seen)
            waiting += left
            seen += looked_at
        return list(self._sums.values()), waiting, seen

    def _walk_from(self, start: str, budget: int) -> tuple[list[str], int]:
        frames = self._frames = []
        self._above = set()
        try:
            if not self._enter_start(start):
                return [], 0
            seen = self._list(frames[-1])
            while frames:
                frame = frames[-1]
                if not frame.below:
                    self._leave()
                elif seen >= budget:
                    break
                elif self._enter(frame, frame.below.pop()):
                    seen += self._list(frames[-1])
            return [
                f"{frame.path}{os.sep}{name}" if frame.path else name for frame in frames for name in frame.below
            ], seen
        finally:
            for frame in frames:
                close(frame.handle)

    # -- going down and up ---------------------------------------------------------------------------------

    def _enter_start(self, start: str) -> bool:
        """Open the folder where the slice begins, from the root name by name, so that no path is too long."""
        names = start.split(os.sep) if start else []
        depth = depth_below(start, self._rules.zero_depth)
        handle: Handle | None = None
        try:
            handle = open_folder(extended(self._rules.root), None)
            identity, on_disk, stamp = _facts(handle)
            self._device = identity[0]
            self._above.add(identity)
            for name in names:
                inner = open_folder(name, handle)
                close(handle)
                handle = inner
                identity, on_disk, stamp = _facts(handle)
                self._above.add(identity)
        except OSError as fault:
            close(handle)
            if fault.errno != errno.ENOENT:
                self._sums_of(start, depth).problems.append((start, system_words(fault)))
            return False
        sums = self._sums_of(start, depth)
        sums.blocks_bytes += on_disk
        sums.stamps.append((start, identity[1], stamp))
        self._frames.append(_Frame(handle, start, depth, identity, sums, []))
        return True

    def _enter(self, above: _Frame, name: str) -> bool:
        path = f"{above.path}{os.sep}{name}" if above.path else name
        if path in self._rules.known:
            return False
        assert above.handle is not None
        handle: Handle | None = None
        try:
            handle = open_folder(name, above.handle)
            identity, on_disk, stamp = _facts(handle)
        except OSError as fault:
            close(handle)
            if fault.errno != errno.ENOENT:
                self._sums_of(path, above.depth + 1).problems.append((path, system_words(fault)))
            return False
        problem, within = "", None
        if identity in self._above:
            problem = "this folder leads back into one above it"
        elif identity[0] != above.identity[0]:
            within = sub_volume_at(handle)
            problem = "" if within is SubVolume.PLAIN else A_SNAPSHOT if within else MOUNTED_HERE
        if problem:
            close(handle)
            above.sums.problems.append((path, problem))
            return False
        self._above.add(identity)
        depth = 0 if path in self._rules.zero_depth else above.depth + 1
        if depth > self._rules.keep_depth and path not in self._rules.kept:
            sums = above.sums
        else:
            sums = self._sums[path] = Sums(path)
        sums.blocks_bytes += on_disk
        sums.stamps.append((path, identity[1], stamp))
        sums.sub_volumes += within is not None
        self._frames.append(_Frame(handle, path, depth, identity, sums, []))
        if RELATIVE and len(self._frames) > FOLDERS_HELD:
            far = self._frames[-FOLDERS_HELD - 1]
            close(far.handle)
            far.handle = None
        return True

    def _leave(self) -> None:
        done = self._frames.pop()
        self._above.discard(done.identity)
        if self._frames and self._frames[-1].handle is None:
            above = self._frames[-1]
            try:
                assert isinstance(done.handle, int)
                above.handle = open_above(done.handle)
                if _facts(above.handle)[0] != above.identity:
                    raise OSError(errno.ESTALE, "was moved during the survey")
            except OSError as fault:
                above.sums.problems.append((above.path, system_words(fault)))
                above.below.clear()
        close(done.handle)

    def _sums_of(self, path: str, depth: int) -> Sums:
        """Where a folder is counted: on its own, or with the nearest one above it that is kept."""
        rules = self._rules
        while depth > rules.keep_depth and path not in rules.kept:
            path, depth = path.rpartition(os.sep)[0], depth - 1
        sums = self._sums.get(path)
        if sums is None:
            sums = self._sums[path] = Sums(path)
        return sums

    # -- looking at one folder -----------------------------------------------------------------------------

    def _list(self, frame: _Frame) -> int:
        """Add up what lies in a folder, and note its sub-folders; the number of entries."""
        sums, handle = frame.sums, frame.handle
        assert handle is not None
        prefix = f"{frame.path}{os.sep}" if frame.path else ""
        # Names in the sums are relative to the folder they are counted with.
        within = prefix[len(sums.path) :].lstrip(os.sep) if sums.path else prefix
        sums.folders += 1
        try:
            scan = scan_folder(handle, int(self._rules.cold_before_s), self._rules.big_bytes)
        except OSError as fault:
            if fault.errno != errno.ENOENT:
                sums.problems.append((frame.path, system_words(fault)))
            return 0
        frame.below = scan.folders
        self._add_up(sums, within, scan)
        for name in scan.junctions:
            self._link(sums, handle, within, name)
        for name, problem in scan.failed:
            sums.problems.append((prefix + name, system_words(problem)))
        for name, mode in scan.odd:
            self._odd(sums, handle, within, name, mode)
        if scan.folders and self._rules.barriers:
            self._leave_out_mounts(frame, prefix)
        return scan.entries

    def _leave_out_mounts(self, frame: _Frame, prefix: str) -> None:
        """Not even looked at: a drive that does not answer would hold up the survey."""
        place = os.path.join(self._rules.root, prefix)
        for name in [name for name in frame.below if place + name in self._rules.barriers]:
            frame.below.remove(name)
            frame.sums.problems.append((prefix + name, MOUNTED_HERE))

    @staticmethod
    def _add_up(sums: Sums, within: str, scan: FolderScan) -> None:
        """Add what lies in one folder to what it is counted with."""
        sums.files += scan.files
        sums.bytes += scan.bytes
        sums.blocks_bytes += scan.blocks * 512 if HAS_BLOCKS else scan.bytes
        sums.cold_bytes += scan.cold_bytes
        sums.programs += scan.programs
        sums.hole_bytes += scan.hole_bytes
        if scan.changed_s > sums.newest_content_s:
            sums.newest_content_s = scan.changed_s
        if scan.read_s > sums.newest_access_s:
            sums.newest_access_s = scan.read_s
        if scan.largest_bytes > sums.largest_bytes:
            sums.largest_bytes, sums.largest_name = scan.largest_bytes, within + scan.largest
        if sums.folders == 1:
            sums.histogram, sums.extensions = scan.histogram, scan.endings
        else:
            add_counts(sums.histogram, scan.histogram)
            add_counts(sums.extensions, scan.endings)
            if len(sums.extensions) > _ENDINGS_A_FOLDER:
                _fewer_endings(sums)
        if scan.big:
            sums.big += [(size, float(changed), within + name) for name, size, changed in scan.big]
            if len(sums.big) > _BIG_A_FOLDER:
                sums.big.sort(reverse=True)
                del sums.big[_BIG_A_FOLDER:]

    def _odd(self, sums: Sums, handle: Handle, within: str, name: str, mode: int) -> None:
        """Count what is no plain file of one name."""
        if stat.S_ISLNK(mode):
            self._link(sums, handle, within, name)
            return
        if not stat.S_ISREG(mode):
            sums.special += 1
            return
        try:
            facts = facts_in(handle, name)
        except OSError:
            return  # it vanished meanwhile
        if MAY_BE_AWAY and not_here(facts):
            sums.not_here_files += 1
            sums.not_here_bytes += facts.st_size
            return
        sums.files += 1
        on_disk = facts.st_blocks * 512 if HAS_BLOCKS else facts.st_size
        # Each sub-volume counts its inodes for itself.
        inode = facts.st_ino if facts.st_dev == self._device else (facts.st_dev << 64) | facts.st_ino
        sums.linked.append((inode, facts.st_nlink, facts.st_size, on_disk, within + name))
        sums.newest_content_s = max(sums.newest_content_s, int(facts.st_mtime))
        sums.newest_access_s = max(sums.newest_access_s, int(facts.st_atime))

    @staticmethod
    def _link(sums: Sums, handle: Handle, within: str, name: str) -> None:
        sums.links += 1
        if len(sums.link_list) >= _LINKS_A_FOLDER:
            return
        try:
            goal = link_text(handle, name)
        except OSError:
            return
        sums.link_list.append((within + name, goal))


def add_counts(to: dict[Any, int], more: dict[Any, int]) -> None:
    """Add counts by key."""
    for key, count in more.items():
        to[key] = to.get(key, 0) + count


MOUNTED_HERE = "another drive is mounted here"
A_SNAPSHOT = "it is a snapshot, whose data is counted where it was made from"


def _fewer_endings(sums: Sums) -> None:
    """Keep the endings that hold most; many folders counted as one would otherwise have ever more."""
    most = sorted(sums.extensions, key=lambda ending: -sums.extensions[ending])
    for ending in most[_ENDINGS_A_FOLDER // 2 :]:
        if ending:
            sums.extensions[""] = sums.extensions.get("", 0) + sums.extensions.pop(ending)


def _facts(handle: Handle) -> tuple[tuple[int, int], int, int]:
    """A folder's device and inode, what it holds on disk itself, and its stamp."""
    facts = os.stat(handle)
    return (facts.st_dev, facts.st_ino), facts.st_blocks * 512 if HAS_BLOCKS else 0, settled_stamp(facts)
