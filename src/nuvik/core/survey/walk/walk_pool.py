"""Several walkers side by side: small trees are sized on the spot, large ones by processes of their own.

A disk with platters has one walker at a time, since two would only make its heads run to and fro; a chip drive has
as many as there are processors. A slice that is too long comes back with what it left, so no walker waits for another.
"""

from __future__ import annotations

import marshal
import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from nuvik.core.hosts.base import Host, drive_holding
from nuvik.core.model.drive import Drive
from nuvik.core.model.progress import Stop, SurveyProgress, SurveyReport, no_report
from nuvik.core.survey.walk.folder_tree import Tree
from nuvik.core.survey.walk.walk_slice import Sums, WalkRules, walk_slice, words_of
from nuvik.core.survey.walk.walk_worker import READY, task, unpacked

KEPT_DEPTH = 8
"""Folders up to this depth below a root or a home are listed separately; deeper ones count with their ancestor."""
COLD_AFTER_S = 365 * 86_400
BIG_FILE_BYTES = 16 * 2**20
_SLICE_HERE, _SLICE_THERE = 2_000, 24_000
"""Entries a slice has: few where the caller waits for it, many where it has to be sent."""
_CALL_AFTER_ENTRIES, _CALL_AFTER_S = 6_000, 0.4
_MOST_WALKERS = 4
_TELL_EVERY_S = 0.1


def size_trees(
    host: Host,
    drives: tuple[Drive, ...],
    roots: Sequence[str],
    kept: Iterable[str] = (),
    report: SurveyReport = no_report,
    stop: Stop | None = None,
    keep_depth: int = KEPT_DEPTH,
    homes: Iterable[str] = (),
) -> list[Tree]:
    """Size the trees at these paths, none of which may lie in another; `kept` folders are listed at any depth, and
    below `homes` depth is counted anew.

    A root that cannot be read gives a tree with a problem; a stop gives trees that are marked as not complete.
    """
    barriers = frozenset(host.mount_points())
    kept = tuple(kept)
    homes = tuple(homes)
    jobs = [_job(host, drives, root, barriers, kept, keep_depth, homes) for root in roots]
    work = _Work(jobs, report, stop or Stop())
    work.run()
    for job in jobs:
        job.tree.finish()
    return [job.tree for job in jobs]


def size_tree(
    host: Host, drives: tuple[Drive, ...], root: str, stop: Stop | None = None, keep_depth: int = KEPT_DEPTH
) -> Tree:
    """Size one tree. Raises StopRequested."""
    tree = size_trees(host, drives, [root], stop=stop, keep_depth=keep_depth)[0]
    if stop is not None:
        stop.check()
    return tree


@dataclass(slots=True)
class _Job:
    """A tree to be sized."""

    tree: Tree
    rules: WalkRules
    lane: str
    """The disk: what may be walked side by side is decided by it."""
    lanes: int
    """How many walkers that disk bears."""
    label: str
    used_bytes: int
    left: list[str] = field(default_factory=lambda: [""])


def _job(
    host: Host,
    drives: tuple[Drive, ...],
    root: str,
    barriers: frozenset[str],
    kept: tuple[str, ...],
    depth: int,
    homes: tuple[str, ...],
) -> _Job:
    drive = drive_holding(drives, root)
    prefix = root if root.endswith(os.sep) else root + os.sep
    inside = [os.path.relpath(path, root) for path in kept if path.startswith(prefix)]
    anew = [os.path.relpath(path, root) for path in homes if path.startswith(prefix)]
    tree = Tree.at(root, host.counts_lengths)
    now_s = time.time()
    rules = WalkRules(
        root=root,
        keep_depth=depth,
        kept=frozenset(inside),
        anew=frozenset(anew),
        barriers=barriers - {root},
        cold_before_s=now_s - COLD_AFTER_S,
        big_bytes=BIG_FILE_BYTES,
    )
    # Several disks of different kinds under one volume tell no common medium: there may be platters among them.
    platters = drive is not None and (drive.medium == "hdd" or (drive.medium == "unknown" and "+" in drive.disk))
    job = _Job(
        tree,
        rules,
        drive.disk if drive else "",
        1 if platters else _MOST_WALKERS,
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
        tree.root.own.problems.append(("", words_of(fault)))
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
    sums.largest_bytes, sums.largest_name = facts.st_size, ""
    sums.newest_content_s, sums.newest_access_s = facts.st_mtime, facts.st_atime
    sums.histogram, sums.extensions = {size_class(facts.st_size): 1}, {os.path.splitext(path)[1].lower(): facts.st_size}
    return sums


class _Work:
    """All jobs, and who is at which."""

    def __init__(self, jobs: list[_Job], report: SurveyReport, stop: Stop) -> None:
        self._jobs, self._report, self._stop = jobs, report, stop
        self._busy: dict[str, int] = {}
        self._walkers: list[_Walker] = []
        self._changed = threading.Condition()
        self._entries = self._folders = 0
        self._label = ""
        self._told_s = 0.0

    def run(self) -> None:
        """Until every tree is walked, or a stop is asked."""
        began_s = time.monotonic()
        try:
            while not self._stop.asked:
                with self._changed:
                    if not any(self._busy.values()) and not any(job.left for job in self._jobs):
                        break
                    # Once others walk, this thread only watches: two threads of one interpreter would take turns.
                    called = any(walker.alive for walker in self._walkers)
                    at_hand = None if called else self._take()
                    if at_hand is None:
                        self._changed.wait(_TELL_EVERY_S)
                if at_hand is not None:
                    job, starts = at_hand
                    sums, left, seen = walk_slice(job.rules, starts, _SLICE_HERE)
                    self.done(job, sums, left, seen)
                self._tell()
                if not self._walkers and (
                    self._entries > _CALL_AFTER_ENTRIES or time.monotonic() - began_s > _CALL_AFTER_S
                ):
                    self._call_walkers()
        finally:
            for walker in self._walkers:
                walker.end()
            for job in self._jobs:
                job.tree.complete = not job.left and not self._busy.get(job.lane)

    def _call_walkers(self) -> None:
        """Start as many walkers as the processors and the disks bear."""
        lanes = {job.lane: job.lanes for job in self._jobs if job.left}
        count = min(os.cpu_count() or 1, _MOST_WALKERS, sum(lanes.values()))
        if not sys.executable:
            count = 0
        self._walkers = [_Walker(self) for _ in range(count)] or [_NoWalker(self)]

    def _take(self) -> tuple[_Job, list[str]] | None:
        for job in self._jobs:
            if job.left and self._busy.get(job.lane, 0) < job.lanes:
                self._busy[job.lane] = self._busy.get(job.lane, 0) + 1
                share = -(-len(job.left) // (2 * min(job.lanes, len(self._walkers) or 1)))
                starts, job.left = job.left[-share:], job.left[:-share]
                return job, starts
        return None

    def next_task(self) -> tuple[_Job, list[str]] | None:
        """For a walker: wait for something to walk; None when all is done or a stop was asked."""
        with self._changed:
            while not self._stop.asked:
                at_hand = self._take()
                if at_hand is not None:
                    return at_hand
                if not any(self._busy.values()) and not any(job.left for job in self._jobs):
                    return None
                self._changed.wait(_TELL_EVERY_S)
        return None

    def failed(self, job: _Job, starts: list[str]) -> None:
        """A walker died over this slice: somebody else takes it."""
        with self._changed:
            job.left += starts
            self._busy[job.lane] -= 1
            self._changed.notify_all()

    def done(self, job: _Job, sums: list[Sums], left: list[str], seen: int) -> None:
        """Add what a slice found."""
        with self._changed:
            for part_sums in sums:
                job.tree.add(part_sums)
                self._folders += part_sums.folders
            job.tree.entries += seen
            job.left.extend(left)
            self._busy[job.lane] -= 1
            self._entries += seen
            self._label = job.label
            self._changed.notify_all()

    def _tell(self) -> None:
        now_s = time.monotonic()
        if now_s - self._told_s >= _TELL_EVERY_S:
            self._told_s = now_s
            self._report(
                SurveyProgress(
                    folders=self._folders,
                    entries=self._entries,
                    bytes=sum(job.tree.bytes for job in self._jobs),
                    drive=self._label,
                    expected_bytes=sum({job.lane + job.label: job.used_bytes for job in self._jobs}.values()),
                )
            )


class _Walker:
    """A walker in a process of its own, and the thread that hands it slices."""

    def __init__(self, work: _Work) -> None:
        self._work = work
        self.alive = False
        """It has started, and did not die."""
        words = [sys.executable, "-P", "-m", "nuvik.core.survey.walk.walk_worker"]
        pipe = subprocess.PIPE
        self._process = subprocess.Popen(words, stdin=pipe, stdout=pipe, stderr=subprocess.DEVNULL)
        self._thread = threading.Thread(target=self._run, daemon=True, name="nuvik-walker")
        self._thread.start()

    def _run(self) -> None:
        tasks, answers = self._process.stdin, self._process.stdout
        assert tasks is not None and answers is not None
        self.alive = answers.read(len(READY)) == READY
        while self.alive and (at_hand := self._work.next_task()) is not None:
            job, starts = at_hand
            try:
                marshal.dump(task(job.rules, starts, _SLICE_THERE), tasks)
                tasks.flush()
                rows, left, seen = marshal.load(answers)
            except (OSError, EOFError, ValueError, TypeError):
                self.alive = False
                self._work.failed(job, starts)
                return
            self._work.done(job, unpacked(rows), left, seen)

    def end(self) -> None:
        """At once, whatever it is at."""
        self._process.kill()
        self._process.wait()
        self._thread.join(timeout=5)
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                try:
                    pipe.close()
                except OSError:
                    pass


class _NoWalker(_Walker):
    """Stands where none can be had, so that nobody asks again."""

    def __init__(self, work: _Work) -> None:
        self._work, self.alive = work, False

    def end(self) -> None:
        pass
