"""Tasting a drive: what an opening read is laid out there as it lies here, and read again in the same order.

Only the recorded stretches are copied, into files with holes, in a hidden folder that is removed in any case. Reading
them again here is the control: so whatever the system does about reading, it does to both.
"""

from __future__ import annotations

import contextlib
import os
import statistics
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from nuvik.core.hosts.base import Host
from nuvik.core.hosts.page_cache import can_put_out, put_out
from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.opening import Recording, Stretch, Taste
from nuvik.core.model.progress import Stop
from nuvik.core.model.units import format_bytes
from nuvik.core.survey.drives.leftover_tests import free_test_path, remove_test

_PASSES = 3
_READ_BYTES = 1 << 20
"""Read at a time within a stretch."""

Report = Callable[[str, float], None]
"""Called with what is being done, and the share of it that is done, from 0 to 1."""


@dataclass(frozen=True, slots=True)
class TasteBudget:
    """What a taste will take on its drive, to be said before it begins."""

    bytes: int
    files: int

    def in_words(self) -> str:
        return f"writes {format_bytes(self.bytes)} into a hidden folder, reads them again, and removes them"


def budget_of(library: Library, recording: Recording, drive: Drive) -> TasteBudget:
    """What tasting a drive takes. Raises Refused where it cannot be done."""
    name, label = shown(library.name), shown(drive.label)
    if drive.id == library.drive:
        raise Refused(f"{name} is on {label} already.", next_step="Taste another drive.")
    if not drive.attached or drive.read_only or drive.no_place:
        raise Refused(f"Nothing can be written on {label} now.", next_step="Attach it, or taste another drive.")
    if not recording.stretches:
        raise Refused(
            f"It is not known which parts of {name} are read, so they cannot be tried elsewhere.",
            next_step="Record an opening where the system tells of pages, as on Linux with files of your own.",
        )
    if not drive.rules.holes:
        raise Refused(
            f"{drive.rules.name} on {label} keeps no files with holes, so a taste would take as much as the library.",
            next_step="Taste another drive, or move it on trial and record again.",
        )
    if not can_put_out():
        raise Refused("This system cannot put files out of its memory.", next_step="Move it on trial and record again.")
    clusters = sum(stretch.bytes + drive.cluster_bytes for stretch in recording.stretches)
    budget = TasteBudget(clusters, len({stretch.file for stretch in recording.stretches}))
    if drive.free_bytes - clusters < drive.headroom_bytes:
        raise Refused(
            f"A taste would take {format_bytes(clusters)} on {label}, which has only "
            f"{format_bytes(max(0, drive.free_bytes - drive.headroom_bytes))} beyond its headroom.",
            next_step="Free some space there first.",
        )
    return budget


def taste(
    host: Host,
    library: Library,
    recording: Recording,
    here: Drive,
    there: Drive,
    report: Report = lambda what, share: None,
    stop: Stop | None = None,
) -> Taste:
    """How long an opening from `there` takes. Raises Refused as `budget_of` does, and when the library has changed
    since; StopRequested; OSError when the drive goes.
    """
    stop = stop or Stop()
    budget = budget_of(library, recording, there)
    label = shown(there.label)
    folder = f"{free_test_path(there)}-folder"
    try:
        os.makedirs(folder, mode=0o700)
        _lay_out(library.path, recording.stretches, folder, lambda share: report(f"copying to {label}", share), stop)
        here_s, there_s = list[float](), list[float]()
        for number in range(_PASSES):
            for root, times, where in ((folder, there_s, label), (library.path, here_s, shown(here.label))):
                report(f"reading from {where}", number / _PASSES)
                times.append(_read(root, recording.stretches, stop))
        simulated_s = [host.unseen_reading_s(drive, recording.bytes_read, recording.runs) for drive in (here, there)]
    finally:
        remove_test(host.files, folder)
    return _result(library, recording, there, here_s, there_s, simulated_s, budget)


def _result(
    library: Library,
    recording: Recording,
    there: Drive,
    here_s: Sequence[float],
    there_s: Sequence[float],
    simulated_s: Sequence[float],
    budget: TasteBudget,
) -> Taste:
    """Opening is what was not reading when it was recorded, and the reading there; where reading here takes longer than
    the recorded opening did, programs read more than one thing at a time, and they will there, too.
    """
    control_s = statistics.median(here_s) + simulated_s[0]
    own_s = recording.seconds - control_s
    at_once = min(1.0, recording.seconds / control_s) if control_s else 1.0

    def opening_s(reading_s: float) -> float:
        return max(0.0, own_s) + (reading_s + simulated_s[1]) * at_once

    return Taste(
        library=library.path,
        drive=there.id,
        taken_at=now_text(),
        here_s=round(recording.seconds, 3),
        there_s=round(opening_s(statistics.median(there_s)), 3),
        low_s=round(opening_s(min(there_s)), 3),
        high_s=round(opening_s(max(there_s)), 3),
        copied_bytes=sum(stretch.bytes for stretch in recording.stretches),
        reads_here_s=round(control_s, 3),
        reads_there_s=round(statistics.median(there_s) + simulated_s[1], 3),
    )


def _lay_out(root: str, stretches: Sequence[Stretch], folder: str, report: Callable[[float], None], stop: Stop) -> None:
    """Copy the stretches to files of the same layout; all that is between them is a hole."""
    total, done = sum(stretch.bytes for stretch in stretches) or 1, 0
    for name in dict.fromkeys(stretch.file for stretch in stretches):
        mine = sorted((stretch for stretch in stretches if stretch.file == name), key=lambda stretch: stretch.offset)
        target = _place(folder, name)
        os.makedirs(os.path.dirname(target), mode=0o700, exist_ok=True)
        with _handle(_place(root, name), os.O_RDONLY) as source, _handle(target, os.O_RDWR | os.O_CREAT) as copy:
            os.ftruncate(copy, os.fstat(source).st_size)
            for stretch in mine:
                for offset, size in _pieces(stretch):
                    stop.check()
                    data = os.pread(source, size, offset)
                    if len(data) < size and offset + len(data) < os.fstat(source).st_size:
                        raise Refused(f"{shown(name)} has changed since.", next_step="Record the opening again.")
                    os.pwrite(copy, data, offset)
                    done += size
                    report(done / total)
            os.fsync(copy)


def _read(root: str, stretches: Sequence[Stretch], stop: Stop) -> float:
    """Seconds to read the stretches in their order, none of them being in memory. Raises StopRequested, OSError."""
    with contextlib.ExitStack() as opened:
        handles = {
            name: opened.enter_context(_handle(_place(root, name), os.O_RDONLY))
            for name in dict.fromkeys(stretch.file for stretch in stretches)
        }
        for handle in handles.values():
            put_out(handle)
            # What the system read ahead when it was recorded is in the recording: it must not read ahead once more.
            os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_RANDOM)
        began_s = time.perf_counter()
        for stretch in stretches:
            stop.check()
            for offset, size in _pieces(stretch):
                os.pread(handles[stretch.file], size, offset)
        return time.perf_counter() - began_s


def _pieces(stretch: Stretch) -> Iterator[tuple[int, int]]:
    end = stretch.offset + stretch.bytes
    for offset in range(stretch.offset, end, _READ_BYTES):
        yield offset, min(_READ_BYTES, end - offset)


def _place(root: str, name: str) -> str:
    """The path of a file in a library; a library may be a single file."""
    return os.path.join(root, name) if name else os.path.join(root, "file") if os.path.isdir(root) else root


@contextlib.contextmanager
def _handle(path: str, how: int) -> Iterator[int]:
    handle = os.open(path, how | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_CLOEXEC", 0), 0o600)
    try:
        yield handle
    finally:
        os.close(handle)
