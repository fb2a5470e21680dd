"""Several walkers side by side: small trees are sized on the spot, large ones by processes of their own.

A disk with platters has one walker at a time, since two would only make its heads run to and fro; a chip drive has
as many as there are processors. A slice that is too long comes back with what it left, so no walker waits for another.

Walkers are processes, since threads of one interpreter take turns: without the compiled part, as on Windows, threads
took 2.5 times as long (measured on two processors, 400,000 files).
"""

from __future__ import annotations

import os
import sys
import threading
import time
from collections.abc import Callable, Iterable, Sequence

from nuvik.core.hosts.base import Host
from nuvik.core.hosts.disk_usage import NO_ANSWER, UsageMeter
from nuvik.core.model.drive import Drive
from nuvik.core.model.progress import Stop, SurveyProgress, SurveyReport, no_report
from nuvik.core.survey.walk.folder_tree import Tree
from nuvik.core.survey.walk.no_collecting import no_collecting
from nuvik.core.survey.walk.walk_job import MOST_WALKERS, WalkJob, walk_job
from nuvik.core.survey.walk.walk_slice import Sums
from nuvik.core.survey.walk.walkers import NoWalker, Walker, walk_here

KEPT_DEPTH = 8
"""Folders up to this depth below a root or a home are listed separately; deeper ones count with their ancestor."""
_SLICE_HERE = 2_000
"""Entries of a slice for which the caller waits."""
_CALL_AFTER_ENTRIES, _CALL_AFTER_S = 6_000, 0.4
WALKED_ALONE_ENTRIES = 60_000
"""A single library is mostly walked before others would have started: that is quick to wait for, and costs less."""
_TELL_EVERY_S = 0.1
_SILENT_S = 5.0
"""A drive from which no walker came back for so long is asked whether it answers at all."""
_GLIMPSE_AFTER_S, _GLIMPSE_EVERY_S, _GLIMPSE_SHARE = 1.0, 2.0, 0.1
"""When the first glimpse is taken, how long to wait for the next, and what share of the time they may take."""

Glimpse = Callable[[Sequence[Tree]], Callable[[], None]]
"""Called now and then with the trees as far as they are walked, while nothing is added to them; what it gives is called
once the walk goes on.
"""


def size_trees(
    host: Host,
    drives: tuple[Drive, ...],
    roots: Sequence[str],
    kept: Iterable[str] = (),
    report: SurveyReport = no_report,
    stop: Stop | None = None,
    keep_depth: int = KEPT_DEPTH,
    homes: Iterable[str] = (),
    glimpse: Glimpse | None = None,
    alone_entries: int | None = None,
) -> list[Tree]:
    """Size the trees at these paths, none of which may lie in another; `kept` folders are listed at any depth, and
    below `homes` depth is counted from zero. A walk that takes long shows its trees now and then to `glimpse`. Others
    help after so many entries, or after a moment.

    A root that cannot be read gives a tree with a problem; a stop gives trees that are marked as not complete.
    """
    barriers = frozenset(host.mount_points())
    kept = tuple(kept)
    homes = tuple(homes)
    jobs = [walk_job(host, drives, root, barriers, kept, keep_depth, homes) for root in roots]
    work = _Work(jobs, report, stop or Stop(), glimpse, _CALL_AFTER_ENTRIES if alone_entries is None else alone_entries)
    work.run()  # may take an hour, and the screens go on meanwhile: what they leave behind has to be collected
    with no_collecting():
        for job in jobs:
            job.tree.finish()
            job.tree.rules, job.tree.began_s = job.rules, job.began_s
    return [job.tree for job in jobs]


def size_tree(
    host: Host,
    drives: tuple[Drive, ...],
    root: str,
    stop: Stop | None = None,
    keep_depth: int = KEPT_DEPTH,
    alone_entries: int | None = None,
) -> Tree:
    """Size one tree. Raises StopRequested."""
    tree = size_trees(host, drives, [root], stop=stop, keep_depth=keep_depth, alone_entries=alone_entries)[0]
    if stop is not None:
        stop.check()
    return tree


class _Work:
    """All jobs, and who is at which."""

    def __init__(
        self, jobs: list[WalkJob], report: SurveyReport, stop: Stop, glimpse: Glimpse | None, alone_entries: int
    ) -> None:
        self._jobs, self._report, self._stop, self._glimpse = jobs, report, stop, glimpse
        self._alone_entries = alone_entries
        self._glimpse_due_s = time.monotonic() + _GLIMPSE_AFTER_S
        self._walkers: list[Walker] = []
        self._changed = threading.Condition()
        self._meter = UsageMeter()
        self._entries = self._folders = 0
        self._label = ""
        self._reported_at_s = 0.0

    def run(self) -> None:
        """Until every tree is walked, or a stop is asked."""
        began_s = time.monotonic()
        try:
            while not self._stop.asked:
                with self._changed:
                    if all(job.over for job in self._jobs):
                        break
                    # Once others walk, this thread only watches: two threads of one interpreter would take turns.
                    called = any(walker.alive for walker in self._walkers)
                    at_hand = None if called else self._take()
                    if at_hand is None:
                        self._changed.wait(_TELL_EVERY_S)
                if at_hand is not None:
                    self._walk_here(*at_hand)
                self._leave_silent_drives()
                self._tell()
                self._show_glimpse()
                if not self._walkers and (
                    self._entries > self._alone_entries or time.monotonic() - began_s > _CALL_AFTER_S
                ):
                    self._call_walkers()
        finally:
            for walker in self._walkers:
                walker.end()
            self._mark_complete()

    def _mark_complete(self) -> None:
        for job in self._jobs:
            job.tree.complete = job.over and not job.tree.silent

    # -- walkers -------------------------------------------------------------------------------------------

    def _call_walkers(self) -> None:
        """Start as many walkers as the processors and the disks bear."""
        lanes = {job.lane: job.lanes for job in self._jobs if job.left}
        count = min(os.cpu_count() or 1, MOST_WALKERS, sum(lanes.values()))
        if not sys.executable:
            count = 0
        self._walkers = [Walker(self) for _ in range(count)] or [NoWalker(self)]

    def _walk_here(self, job: WalkJob, starts: list[str]) -> None:
        def give_up() -> bool:
            self._leave_silent_drives()
            self._tell()
            return self._stop.asked or job.tree.silent

        walked = walk_here(job.rules, starts, _SLICE_HERE, _TELL_EVERY_S or 0.1, give_up)
        if walked is not None:
            self.done(job, *walked)

    def _leave_silent_drives(self) -> None:
        """A drive that does not answer any more is left with what is not known of it, and its walkers with it."""
        now_s = time.monotonic()
        for job in self._jobs:
            if not job.busy or job.tree.silent or now_s - job.heard_s < _SILENT_S:
                continue
            job.heard_s = now_s
            if self._meter.ask([job.rules.root])[job.rules.root] != NO_ANSWER:
                continue  # it is only slow
            with self._changed:
                job.fall_silent()
            for number, walker in enumerate(self._walkers):
                if walker.at is job:
                    walker.end()
                    self._walkers[number] = Walker(self)

    # -- slices --------------------------------------------------------------------------------------------

    def _take(self) -> tuple[WalkJob, list[str]] | None:
        for job in self._jobs:
            if job.left and sum(other.busy for other in self._jobs if other.lane == job.lane) < job.lanes:
                job.busy += 1
                job.heard_s = time.monotonic()
                share = -(-len(job.left) // (2 * min(job.lanes, len(self._walkers) or 1)))
                starts, job.left = job.left[-share:], job.left[:-share]
                return job, starts
        return None

    def next_task(self) -> tuple[WalkJob, list[str]] | None:
        """For a walker: wait for something to walk; None when all is done or a stop was asked."""
        with self._changed:
            while not self._stop.asked:
                at_hand = self._take()
                if at_hand is not None:
                    return at_hand
                if all(job.over for job in self._jobs):
                    return None
                self._changed.wait(_TELL_EVERY_S)
        return None

    def failed(self, job: WalkJob, starts: list[str]) -> None:
        """A walker died over this slice: somebody else takes it."""
        with self._changed:
            if not job.tree.silent:
                job.left += starts
                job.busy -= 1
            self._changed.notify_all()

    def done(self, job: WalkJob, sums: list[Sums], left: list[str], seen: int) -> None:
        """Add what a slice found."""
        with self._changed, no_collecting():
            if job.tree.silent:
                return
            for part_sums in sums:
                job.tree.add(part_sums)
                self._folders += part_sums.folders
            job.tree.entries += seen
            job.left.extend(left)
            job.busy -= 1
            job.heard_s = time.monotonic()
            self._entries += seen
            self._label = job.label
            self._changed.notify_all()

    # -- what is seen meanwhile ----------------------------------------------------------------------------

    def _show_glimpse(self) -> None:
        began_s = time.monotonic()
        if self._glimpse is None or began_s < self._glimpse_due_s:
            return
        with self._changed:
            self._mark_complete()
            for job in self._jobs:
                job.tree.finish()
            show = self._glimpse([job.tree for job in self._jobs])
        show()
        now_s = time.monotonic()
        self._glimpse_due_s = now_s + max(_GLIMPSE_EVERY_S, (now_s - began_s) / _GLIMPSE_SHARE)

    def _tell(self) -> None:
        now_s = time.monotonic()
        if now_s - self._reported_at_s >= _TELL_EVERY_S:
            self._reported_at_s = now_s
            self._report(
                SurveyProgress(
                    folders=self._folders,
                    entries=self._entries,
                    bytes=sum(job.tree.bytes for job in self._jobs),
                    drive=self._label,
                    expected_bytes=sum({job.lane + job.label: job.used_bytes for job in self._jobs}.values()),
                )
            )
