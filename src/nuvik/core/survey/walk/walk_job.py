"""A tree that is to be sized: how it is walked, and by how many at once."""

from __future__ import annotations

import os
import time
from dataclasses import dataclass, field

from nuvik.core.hosts.base import Host, drive_holding
from nuvik.core.hosts.disk_usage import NO_ANSWER
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import system_words
from nuvik.core.survey.walk.folder_tree import Tree
from nuvik.core.survey.walk.walk_slice import Sums, WalkRules

COLD_AFTER_S = 365 * 86_400
BIG_FILE_BYTES = 16 * 2**20
MOST_WALKERS = 4


@dataclass(slots=True)
class WalkJob:
    """A tree to be sized, and how far that has got."""

    tree: Tree
    rules: WalkRules
    lane: str
    """The disk: what may be walked side by side is decided by it."""
    lanes: int
    """How many walkers that disk bears."""
    label: str
    used_bytes: int
    left: list[str] = field(default_factory=lambda: [""])
    """Folders, relative to the root, at which nobody is."""
    busy: int = 0
    """How many walkers are at it."""
    began_s: float = field(default_factory=time.time)
    """When it began, in seconds since 1970."""
    heard_s: float = 0.0
    """When one of them began or came back last, on the clock that only runs forward."""

    @property
    def over(self) -> bool:
        """Nothing is left to do."""
        return not self.left and not self.busy

    def fall_silent(self) -> None:
        """Its drive does not answer any more: nothing is known of it."""
        self.tree = Tree.at(self.rules.root, self.tree.lengths)
        self.tree.silent, self.left, self.busy = True, [], 0
        self.tree.root.own.problems.append(("", NO_ANSWER))


def walk_job(
    host: Host,
    drives: tuple[Drive, ...],
    root: str,
    barriers: frozenset[str],
    kept: tuple[str, ...],
    depth: int,
    homes: tuple[str, ...],
) -> WalkJob:
    """A job for the tree at a root; with nothing left where the root cannot be looked at, or is a file."""
    drive = drive_holding(drives, root)
    prefix = root if root.endswith(os.sep) else root + os.sep
    inside = [os.path.relpath(path, root) for path in kept if path.startswith(prefix)]
    zero_depth = [os.path.relpath(path, root) for path in homes if path.startswith(prefix)]
    tree = Tree.at(root, host.counts_lengths)
    now_s = time.time()
    rules = WalkRules(
        root=root,
        keep_depth=depth,
        kept=frozenset(inside),
        zero_depth=frozenset(zero_depth),
        barriers=barriers - {root},
        cold_before_s=now_s - COLD_AFTER_S,
        big_bytes=BIG_FILE_BYTES,
    )
    # Several disks of different kinds under one volume tell no common medium: there may be platters among them.
    platters = drive is not None and (drive.medium == "hdd" or (drive.medium == "unknown" and "+" in drive.disk))
    job = WalkJob(
        tree,
        rules,
        drive.disk if drive else "",
        1 if platters else MOST_WALKERS,
        drive.label if drive else "",
        drive.used_bytes if drive else 0,
    )
    try:
        host.files.hook.before("look", root)
        if not host.files.is_folder(root):
            job.left.clear()
            tree.add(_alone(host, root))
    except OSError as fault:
        job.left.clear()
        tree.root.own.problems.append(("", system_words(fault)))
    return job


def _alone(host: Host, path: str) -> Sums:
    """A root that is no folder: a file counts as itself."""
    import stat

    from nuvik.core.model.extent import size_class

    facts, sums = host.files.facts(path), Sums("")
    if not stat.S_ISREG(facts.st_mode):
        sums.links = int(stat.S_ISLNK(facts.st_mode))
        return sums
    sums.files, sums.bytes, sums.blocks_bytes = 1, facts.st_size, host.size_on_disk(facts)
    sums.hole_bytes = max(0, sums.bytes - sums.blocks_bytes)
    sums.largest_bytes, sums.largest_name = facts.st_size, ""
    sums.newest_content_s, sums.newest_access_s = facts.st_mtime, facts.st_atime
    sums.histogram, sums.extensions = {size_class(facts.st_size): 1}, {os.path.splitext(path)[1].lower(): facts.st_size}
    return sums
