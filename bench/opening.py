"""Recorded openings on real drives: what is seen, and how well it foretells an opening from another drive."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from nuvik.core.model.progress import Stop
from nuvik.core.openings.library_pages import LibraryPages
from nuvik.core.planning.placement.waiting import opening_s, timed
from test_openings import Opened
from volumes import RealDrives

Row = tuple[str, str, str, str, bool | None]
_BYTES, _RUNS, _ONE, _TASTE = 0.02, 0.05, 0.20, 0.10


def recording_openings() -> Iterator[Row]:
    """A program that reads in a known way, on a volume of 120 MB/s and on one of 30 MB/s, with few reads a second."""
    with tempfile.TemporaryDirectory() as place, tempfile.TemporaryDirectory() as images:
        drives = RealDrives(Path(place), Path(images))
        try:
            with tempfile.TemporaryDirectory() as folder:
                yield from _of(Opened(drives, Path(folder)))
        finally:
            drives.down()


def _of(opened: Opened) -> Iterator[Row]:
    stage, library = opened.workspace.openings, opened.known()
    recording = stage.record(library, opened.command())
    read, runs = map(int, (opened.folder / "truth").read_text().split())
    yield _row("bytes that an opening reads", read, recording.bytes_read, "bytes", _BYTES)
    yield _row("stretches that an opening reads", runs, recording.runs, "stretches", _RUNS)
    fast, slow = opened.drive("fast"), opened.drive("slow")
    known = timed(opened.known(), opened.known().timings, {fast.id: fast, slow.id: slow})
    began_s = time.perf_counter()
    taste = stage.taste(library, slow)
    taking_s = time.perf_counter() - began_s
    copy = opened.slow / "Games" / "Kite"
    began_s = time.perf_counter()
    shutil.copytree(opened.library, copy)
    subprocess.run(["sync", "-f", str(copy)], check=True)
    LibraryPages(str(copy)).put_out(Stop())
    with open("/dev/null", "wb") as nowhere:
        files = sorted(map(str, (path for path in copy.rglob("*") if path.is_file())))
        subprocess.run(["cat", *files], stdout=nowhere, check=True)
    copying_s = time.perf_counter() - began_s
    really_s = opened.really_s(copy)
    yield _row("an opening elsewhere, from one recording", really_s, opening_s(known, slow), "s", _ONE)
    yield _row("an opening elsewhere, tasted", really_s, taste.there_s, "s", _TASTE)
    yield (
        "finding that out by tasting, of 200 MB",
        f"copy, sync, cat {copying_s:.1f} s",
        f"nuvik {taking_s:.1f} s, {taste.copied_bytes / library.bytes:.0%} of the bytes",
        "three passes there and here",
        None,
    )


def _row(name: str, theirs: float, ours: float, unit: str, within: float) -> Row:
    off = abs(ours - theirs) / theirs
    figures = (f"{theirs:,.2f}", f"{ours:,.2f}") if unit == "s" else (f"{theirs:,.0f}", f"{ours:,.0f}")
    return (
        name,
        f"really {figures[0]} {unit}",
        f"nuvik {figures[1]}, {off:.1%} off",
        f"within {within:.0%}",
        off <= within,
    )
