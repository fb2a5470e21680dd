"""Recording an opening: put the library out of memory, let it be opened, and see what came in."""

from __future__ import annotations

import contextlib
import os
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from nuvik.core.hosts.base import Host
from nuvik.core.hosts.page_cache import can_put_out
from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NotNamed, Refused, system_words
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.opening import OtherRead, Recording
from nuvik.core.model.progress import OpeningReport, Stop, Watching
from nuvik.core.model.traffic import Counters
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.openings.library_pages import LibraryPages
from nuvik.core.openings.programs import Programs

_LOOK_EVERY_S, _PAGES_EVERY_S, _MOST_SHARE = 0.2, 0.04, 0.1
"""Between two looks at programs and drives, and at the pages of what they have open: so often that the order is seen,
but never for more than this share of the time.
"""
QUIET_S = 4.0
"""Assumed: who has read and computed next to nothing for so long is ready for use."""
_QUIET_BYTES_PER_S, _QUIET_SHARE = 200_000, 0.15
"""Assumed: what a program reads, and the share of one processor that it takes, while it waits for its user."""
MOST_S = 600.0
"""Assumed: nobody waits longer for anything to open."""
_NOTABLE = 0.02
"""What stays in memory, or is read by others, is told from this share on."""
_OTHERS = 1.5
"""Where the drive read this many times what came in of the library, others read from it, too."""


@dataclass
class Recorder:
    """One opening. `put_out` first, then `watch`; nothing is written anywhere, and the library is not read."""

    host: Host
    library: Library
    drive: Drive
    drives: Sequence[Drive]
    stop: Stop
    others: Sequence[str] = ()
    """The places of other libraries: an opening may need them, too …"""
    needed: Sequence[str] = ()
    """… and of those that it needed the last time, which are watched as well."""
    pages: LibraryPages = field(init=False)
    beside: dict[str, LibraryPages] = field(init=False)
    doubts: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.pages = LibraryPages(self.library.path)
        self.beside = {place: LibraryPages(place) for place in self.needed}

    def put_out(self) -> None:
        """Put its files out of the system's memory. Raises Refused where they cannot be, StopRequested."""
        name = shown(self.library.name)
        if not self.drive.attached or not os.path.lexists(self.library.path):
            raise Refused(f"{name} is not here now.", next_step="Attach its drive, or survey again.")
        if users := self.host.used_by(self.library.path):
            raise Refused(
                f"{shown(users[0])} has {name} open, so it cannot be seen what opening it reads.",
                next_step="Close it, then record.",
            )
        if not can_put_out():
            self.doubts.append("This system cannot put files out of its memory: what was in it already is not counted.")
        for pages in (self.pages, *self.beside.values()):
            pages.put_out(self.stop)
        if self.pages.unknown:
            files = format_count(self.pages.unknown, "file")
            self.doubts.append(
                f"The system does not tell what was read of {files}: others own them, or they cannot be read."
            )
        kept = self.pages.kept_bytes
        if kept > _NOTABLE * max(1, self.library.on_disk_bytes):
            self.doubts.append(f"{format_bytes(kept)} of it stayed in memory: its file system or a program keeps it.")

    def watch(
        self, command: Sequence[str], is_ready: Callable[[], bool], report: OpeningReport = lambda watching: None
    ) -> Recording:
        """Start a command, or wait for the user to open it, until it is ready: as `is_ready` says, when the command
        ends, or, without either, when nothing has gone on for a while. Raises Refused when that never comes or the
        command fails, NotNamed for a command that is not there, StopRequested.
        """
        clock = time.monotonic
        programs = Programs(self.library.path, clock, others=self.others)
        before, children_s, began_s = self._counters(), _children_s(), clock()
        child = self._start(command) if command else None
        if child is not None:
            programs.child = child.pid
        last_active_s, last = began_s, (0, 0.0)
        read_since_s: float | None = None
        try:
            while True:
                self.stop.check()
                programs.look()
                now_s, read = clock(), self._read_since(before).get(self.drive.id, 0)
                read_now, computed = (read, programs.computing_s)
                elapsed_s = max(now_s - last_active_s, _LOOK_EVERY_S)
                busy = (read_now - last[0]) / elapsed_s > _QUIET_BYTES_PER_S
                busy = busy or (computed - last[1]) / elapsed_s > _QUIET_SHARE
                if busy:
                    last_active_s, last = now_s, (read_now, computed)
                    read_since_s = read_since_s or now_s
                report(Watching(now_s - began_s, read, read_since_s is None))
                if child is not None and child.poll() is not None:
                    ready_s = now_s
                    if child.returncode:
                        raise Refused(
                            f"{shown(command[0])} ended with the code {child.returncode}, so it did not open.",
                            next_step="Nothing was kept. Try the command by itself first.",
                        )
                    break
                if is_ready():
                    ready_s = now_s
                    break
                if read_since_s is not None and not command and now_s - last_active_s > QUIET_S:
                    ready_s = last_active_s
                    break
                if now_s - began_s > MOST_S:
                    raise Refused(
                        f"{shown(self.library.name)} was not ready within {MOST_S / 60:.0f} minutes.",
                        next_step="Nothing was kept. Record again, and say when it is ready.",
                    )
                self._watch_pages(sorted(programs.open_files), child)
        finally:
            if child is not None and child.poll() is None:
                child.terminate()
        # From the first sign of it: the user may take a while to go and open it.
        start_s = began_s if command or read_since_s is None else max(began_s, read_since_s - _LOOK_EVERY_S)
        # A program that ends between two looks is only known by what it has computed in all.
        computing_s = max(programs.computing_s, _children_s() - children_s)
        return self._recording(ready_s - start_s, computing_s, self._read_since(before), programs.open_others)

    def _watch_pages(self, names: Sequence[str], child: subprocess.Popen[bytes] | None) -> None:
        """See in which order pages come in, until it is time to look at all else."""
        until_s = time.monotonic() + _LOOK_EVERY_S
        while (began_s := time.monotonic()) < until_s:
            self.pages.look(names)
            took_s = time.monotonic() - began_s
            if _wait(child, max(_PAGES_EVERY_S, took_s / _MOST_SHARE)):
                return

    def _recording(
        self, seconds: float, computing_s: float, read: Mapping[str, int], open_others: set[str]
    ) -> Recording:
        pages = self.pages
        for watched in (pages, *self.beside.values()):
            watched.look_at_all(self.stop)
        if changed := pages.changed():
            self.doubts.append(f"{format_count(len(changed), 'file')} of it changed meanwhile.")
        by_drive = read.get(self.drive.id)
        seen = pages.bytes_read
        # What was read of files that nobody tells of can only be what else its drive has read.
        untold = min(pages.unknown_bytes, max(0, (by_drive or 0) - seen))
        if untold:
            self.doubts.append(f"{format_bytes(untold)} of that is only known from what its drive has read in all.")
        elif by_drive is not None and by_drive > _OTHERS * seen + 10_000_000:
            others = format_bytes(by_drive - seen)
            self.doubts.append(f"Its drive read {others} more, for other programs or other libraries.")
        simulated_s = self.host.unseen_reading_s(self.drive, seen, pages.runs)
        return Recording(
            library=self.library.path,
            drive=self.drive.id,
            taken_at=now_text(),
            seconds=round(seconds + simulated_s, 3),
            bytes_read=seen + untold,
            untold_bytes=untold,
            runs=pages.runs,
            files_read=len(pages.seen),
            computing_s=round(computing_s, 3),
            stretches=tuple(pages.order),
            elsewhere_bytes={drive: count for drive, count in read.items() if drive != self.drive.id and count} or None,
            others=tuple(
                OtherRead(library=place, bytes=self.beside[place].bytes_read if place in self.beside else None)
                for place in sorted({*open_others, *(place for place, mine in self.beside.items() if mine.bytes_read)})
            ),
            doubts=tuple(self.doubts),
        )

    @staticmethod
    def _start(command: Sequence[str]) -> subprocess.Popen[bytes]:
        try:
            return subprocess.Popen(list(command), stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL)
        except OSError as fault:
            words = system_words(fault)
            raise NotNamed(f"{shown(command[0])} cannot be started: {words}.", next_step="Check the command.") from None

    def _counters(self) -> dict[str, Counters]:
        return dict(self.host.counters(self.drives))

    def _read_since(self, before: Mapping[str, Counters]) -> dict[str, int]:
        now = self._counters()
        return {
            drive: max(0, counters.read_bytes - before[drive].read_bytes)
            for drive, counters in now.items()
            if drive in before
        }


def _wait(child: subprocess.Popen[bytes] | None, seconds: float) -> bool:
    """Until the next look, or until the program that was started has ended; whether it has."""
    if child is None:
        time.sleep(seconds)
        return False
    with contextlib.suppress(subprocess.TimeoutExpired):
        child.wait(seconds)
        return True
    return False


def _children_s() -> float:
    """Processor seconds of all programs that were started from here and have ended."""
    try:
        import resource
    except ImportError:  # not on Windows
        return 0.0
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime
