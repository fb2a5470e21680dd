"""Starting the screens on a large home that was surveyed before: time to the first whole picture, and memory."""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import psutil
from keys_in_tmux import household

Row = tuple[str, str, str, str, bool | None]
_ROUNDS, _DRIVES = 5, 20
_START_S, _MEMORY_BYTES = 2.0, 300_000_000
_LAST = "Thing"
"""Stands in the list of libraries, which is drawn last."""


def starting() -> Iterator[Row]:
    """The middle of some starts, in a terminal of its own."""
    with tempfile.TemporaryDirectory() as folder:
        world = household(Path(folder) / "home", _DRIVES)
        world.open().survey.take()
        times, peaks = [], []
        for number in range(_ROUNDS):
            seconds, peak = _start(str(world.folder), f"{folder}/tmux{number}")
            times.append(seconds)
            peaks.append(peak)
    seconds, peak = statistics.median(times), max(peaks)
    yield (
        f"start with 5,000 libraries, {_DRIVES} drives",
        "",
        f"{seconds:.2f} s to the first picture, {peak / 1e6:.0f} MB",
        f"within {_START_S:.0f} s, {_MEMORY_BYTES / 1e6:.0f} MB",
        seconds <= _START_S and peak <= _MEMORY_BYTES,
    )


def _start(world: str, socket: str) -> tuple[float, int]:
    tmux = ["tmux", "-S", socket]
    began = time.perf_counter()
    program = f"exec {sys.executable} -m nuvik --world {world}"
    subprocess.run([*tmux, "new-session", "-d", "-s", "nuvik", "-x", "159", "-y", "47", program], check=True)
    try:
        while True:
            seen = _printed([*tmux, "capture-pane", "-p", "-t", "nuvik"])
            if _LAST in seen or time.perf_counter() - began > 60:
                break
            time.sleep(0.02)
        seconds = time.perf_counter() - began
        process = psutil.Process(int(_printed([*tmux, "display-message", "-p", "-t", "nuvik", "#{pane_pid}"])))
        time.sleep(2.0)
        peak = process.memory_info().rss
    finally:
        subprocess.run([*tmux, "kill-server"], check=False)
    psutil.wait_procs([process], timeout=20)  # it may still write into the folder that goes next
    return seconds, peak


def _printed(words: list[str]) -> str:
    return subprocess.run(words, capture_output=True, text=True, check=True).stdout
