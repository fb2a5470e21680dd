"""Walking again only what changed: a tree that was walked before is compared by the stamps of its folders.

A system gives a folder a new stamp whenever something in it comes, goes or gets another name, and whenever the folder
itself is moved. What it does not stamp is a file that grows in its place; so large files are looked at one by one, and
folders in which something was written lately are walked again. A small file that changes in a folder which had been
quiet for long is only seen by a full survey.
"""

from __future__ import annotations

import os
import stat
import time
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from enum import Enum
from functools import partial

from nuvik.core.hosts.base import Host, drive_holding
from nuvik.core.hosts.disk_usage import NO_ANSWER, UsageMeter
from nuvik.core.model.drive import Drive
from nuvik.core.model.paths import is_within
from nuvik.core.model.progress import Stop
from nuvik.core.survey.walk.folder_stamps import stamp_of
from nuvik.core.survey.walk.folder_tree import Tree
from nuvik.core.survey.walk.walk_job import walk_job
from nuvik.core.survey.walk.walk_pool import KEPT_DEPTH
from nuvik.core.survey.walk.walk_slice import (
    A_SNAPSHOT,
    MOUNTED_HERE,
    Sums,
    WalkRules,
    depth_below,
    walk_slice,
)
from nuvik.core.survey.walk.walkers import in_a_thread

ACTIVE_S = 7 * 86_400
"""Assumed: where something was written within so long before the survey, more is going to be written in place."""
_MOST_CHANGED = 0.3
"""From this share of the folders on, walking all of them is as quick."""
_CHECKED_TOGETHER = 256
"""So many folders are looked at between two looks for a stop."""
_SLICE, _LOOK_UP_S, _SILENT_S = 200_000, 0.1, 5.0
_HARMLESS = (MOUNTED_HERE, A_SNAPSHOT)


@dataclass(frozen=True, slots=True)
class WalkedTree:
    """A tree as it was walked: what has to be known to walk only its changes."""

    rules: WalkRules
    walked_at_s: float
    """When that began."""
    sums: tuple[Sums, ...]

    @classmethod
    def of(cls, tree: Tree) -> WalkedTree | None:
        """What has to be kept of a tree; None of one that was not walked to its end."""
        if tree.rules is None or not tree.complete or tree.silent:
            return None
        every = (folder.own for folder in tree.folders.values())
        return cls(tree.rules, tree.began_s, tuple(sums for sums in every if sums.stamps or sums.problems))


@dataclass(frozen=True, slots=True)
class Again:
    """A tree as it is now, and how much of it had to be walked for that."""

    sums: tuple[Sums, ...]
    walked: int
    """Folders that were walked again."""
    folders: int


def walk_changes(before: WalkedTree, rules: WalkRules, stop: Stop) -> Again | None:
    """A tree as it is now; None where it has to be walked as a whole. Raises StopRequested."""
    if _comparable(before.rules) != _comparable(rules):
        return None
    mounts = _mounts_that_changed(before.rules, rules)
    quiet: dict[str, Sums] = {}
    loud: list[Sums] = []
    for number, sums in enumerate(before.sums):
        if not number % _CHECKED_TOGETHER:
            stop.check()
        state = (_state_beside(sums, mounts) if mounts else None) or _state_of(rules.root, sums, before.walked_at_s)
        if state is _State.QUIET:
            quiet[sums.path] = sums
        elif state is _State.LOUD:
            loud.append(sums)
    if not quiet or len(loud) > max(50, _MOST_CHANGED * len(before.sums)):
        return None
    fresh = _walk(rules, loud, {*quiet, *(sums.path for sums in loud)}, stop)
    every = [*quiet.values(), *fresh]
    if _has_lost_names(before.sums, every):
        return None
    return Again(tuple(every), len(loud), len(before.sums))


def quick_trees(
    host: Host,
    drives: tuple[Drive, ...],
    roots: Sequence[str],
    kept: Iterable[str],
    homes: Iterable[str],
    before: Iterable[WalkedTree],
    stop: Stop,
) -> tuple[list[Tree], list[str], Again]:
    """The trees at these roots of which only what changed had to be walked, the roots that have to be walked whole, and
    how much was walked. Raises StopRequested.
    """
    known, barriers = {tree.rules.root: tree for tree in before}, frozenset(host.mount_points())
    trees, whole, walked, folders = list[Tree](), list[str](), 0, 0
    for root in roots:
        job, tree = walk_job(host, drives, root, barriers, tuple(kept), KEPT_DEPTH, tuple(homes)), known.get(root)
        again, drive = None, drive_holding(drives, root)
        tells = drive is None or drive.counts_lengths or drive.rules.stamps_folders
        if tree is not None and tells and job.left and job.tree.lengths == host.counts_lengths:
            again = in_a_thread(partial(walk_changes, tree, job.rules, stop), _LOOK_UP_S, _hangs(root, stop))
        stop.check()
        if again is None:
            whole.append(root)
            continue
        for sums in again.sums:
            job.tree.add(sums)
        job.tree.finish()
        job.tree.rules, job.tree.began_s = job.rules, job.began_s
        trees.append(job.tree)
        walked, folders = walked + again.walked, folders + again.folders
    return trees, whole, Again((), walked, folders)


def _hangs(root: str, stop: Stop) -> Callable[[], bool]:
    """Whether to wait no longer for a drive: because of a stop, or since it does not answer any more."""
    meter, asked_s = UsageMeter(), [time.monotonic()]

    def hangs() -> bool:
        if stop.asked:
            return True
        if time.monotonic() - asked_s[0] < _SILENT_S:
            return False
        asked_s[0] = time.monotonic()
        return meter.ask([root])[root] == NO_ANSWER

    return hangs


def _comparable(rules: WalkRules) -> WalkRules:
    """All of the rules that must not differ: what is cold moves on with time, drives are mounted and unmounted, and
    folders that are kept anyway may be named or not.
    """
    kept = frozenset(path for path in rules.kept if depth_below(path, rules.zero_depth) > rules.keep_depth)
    return replace(rules, kept=kept, cold_before_s=0.0, known=frozenset(), barriers=frozenset())


def _mounts_that_changed(before: WalkRules, now: WalkRules) -> list[str]:
    """Where in the tree a drive was mounted or unmounted since, relative to its root."""
    return [os.path.relpath(place, now.root) for place in before.barriers ^ now.barriers if is_within(place, now.root)]


def _place(root: str, path: str) -> str:
    return f"{root.rstrip(os.sep)}{os.sep}{path}" if path else root


class _State(Enum):
    """What became of a folder."""

    QUIET = "all is as it was"
    LOUD = "something may not be as it was"
    GONE = "it is not there any more"


def _state_beside(sums: Sums, mounts: Iterable[str]) -> _State | None:
    """What a drive that was mounted or unmounted since makes of a folder; None where it has nothing to do with it. What
    lies at or below the mount point is covered, or was; the folder around it must be walked again.
    """
    for place in mounts:
        below, around = place + os.sep, os.path.dirname(place)
        if sums.path == place or sums.path.startswith(below):
            return _State.GONE
        if any(path in (around, place) or path.startswith(below) for path, _, _ in sums.stamps):
            return _State.LOUD
    return None


def _state_of(root: str, sums: Sums, walked_at_s: float) -> _State:
    """What became of a folder and of all that is counted with it; what cannot be told counts as loud."""
    for number, (path, inode, stamp) in enumerate(sums.stamps):
        try:
            facts = os.lstat(_place(root, path))
        except FileNotFoundError:
            return _State.LOUD if number else _State.GONE
        except OSError:
            return _State.LOUD
        if not number and path and not stat.S_ISDIR(facts.st_mode):
            return _State.GONE
        if facts.st_ino != inode or stamp_of(facts) != stamp:
            return _State.LOUD
    if sums.newest_content_s >= walked_at_s - ACTIVE_S:
        return _State.LOUD
    if sums.problems and any(words not in _HARMLESS for _, words in sums.problems):
        return _State.LOUD
    if (sums.big or sums.linked) and any(_changed_files(_place(root, sums.path), sums)):
        return _State.LOUD
    return _State.QUIET


def _changed_files(folder: str, sums: Sums) -> Iterator[bool]:
    """Of each file that may change without a stamp of this folder, whether it has: large ones, and those of several
    names, which may be written by another one, or lose it.
    """
    for size, changed_s, name in sums.big:
        try:
            facts = os.lstat(_place(folder, name))
        except OSError:
            yield True
        else:
            yield facts.st_size != size or int(facts.st_mtime) != int(changed_s)
    for _, names, size, _, name in sums.linked:
        try:
            facts = os.lstat(_place(folder, name))
        except OSError:
            yield True
        else:
            yield facts.st_size != size or facts.st_nlink != names


def _walk(rules: WalkRules, again: Sequence[Sums], known: set[str], stop: Stop) -> list[Sums]:
    """Walk these folders, but none of the known ones below them, which stand for themselves."""
    walked: list[Sums] = []
    inner = replace(rules, known=frozenset(known))
    for sums in again:
        left = [sums.path]
        while left:
            stop.check()
            part, left, _ = walk_slice(inner, left, _SLICE)
            walked += part
    return walked


def _names(every: Iterable[Sums]) -> Counter[int]:
    """How many names of each file that has several are counted."""
    return Counter(inode for sums in every for inode, *_ in sums.linked)


def _has_lost_names(before: Iterable[Sums], now: Sequence[Sums]) -> bool:
    """Whether a file has gained a name, and another name of it is counted as a plain file somewhere: only walking all
    of the tree tells where.
    """
    then, seen = _names(before), _names(now)
    return any(names > seen[inode] and seen[inode] > then[inode] for inode, names in _links(now))


def _links(every: Iterable[Sums]) -> Iterator[tuple[int, int]]:
    for sums in every:
        for inode, names, *_ in sums.linked:
            yield inode, names
