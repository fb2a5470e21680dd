"""From a key to the finished picture, in a real terminal: the program in tmux, with 5,000 libraries on 12 drives.

tmux passes on what the program writes as it comes; the picture is finished when nothing follows for a while.
"""

from __future__ import annotations

import os
import random
import select
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from calm import is_calm, wait_until_calm

from conftest import GB, MB, World

Row = tuple[str, str, str, str, bool | None]
_KEY_S, _QUIET_S, _BEGINS_S = 0.1, 0.12, 0.6
_ROUNDS, _FEWEST, _MOST_ROUNDS = 5, 3, 12
_WAIT_S = 1.0
_ESC_S = 0.1
"""So long Textual waits to tell Esc from the beginning of another key, in terminals that cannot say which it is."""
_BLINK_BYTES = 160
_OPENS_S, _WIDE, _HIGH = 60.0, 159, 47
_LIBRARIES, _DRIVES = 5_000, 12
# Keys of each stage, in tmux's names: the way in from elsewhere, then what leaves it as it was.
_STAGES = {
    "Survey": "1 Down Up PageDown PageUp End Home Space Space b Right b i Escape ? Escape d Escape / Escape o Escape",
    "Survey's themes and sheets": "1 t t t g Escape h Escape f Escape D Escape",
    "Speeds": "2 Down Up i Escape ? Escape",
    "Plan": "3 Down PageDown Home Tab Down Tab d Escape ? Escape A Escape",
    "Rehearse": "4 Down Up ? Escape",
    "Carry": "5 ? Escape",
    "Logbook": "6 Down Up ? Escape",
}


def pressing_keys_in_tmux() -> Iterator[Row]:
    """Each key several times while the machine is calm: the middle of its times counts; the slowest key is named."""
    if shutil.which("tmux") is None:
        yield "a key in tmux, 5,000 libraries, 12 drives", "", "there is no tmux here", "", None
        return
    with tempfile.TemporaryDirectory() as folder, _program(household(Path(folder))) as terminal:
        for stage, keys in _STAGES.items():
            times: dict[str, list[float]] = {}
            for _ in range(_MOST_ROUNDS):
                terminal.press("1" if stage == "Logbook" else "6")
                for number, key in enumerate(keys.split()):
                    calm, taken = wait_until_calm(_WAIT_S), terminal.press(key)
                    if calm and is_calm():
                        times.setdefault(f"{number} {key}", []).append(taken)
                if len(times) == len(keys.split()) and min(map(len, times.values())) >= _ROUNDS:
                    break
            enough = len(times) == len(keys.split()) and min(map(len, times.values())) >= _FEWEST
            if not times:
                yield f"a key in tmux, 5,000 libraries, 12 drives: {stage}", "", "the machine was never calm", "", None
                continue
            middle = {
                key.split()[1]: statistics.median(seen) - (_ESC_S if key.endswith("Escape") else 0.0)
                for key, seen in times.items()
            }
            key, slowest = max(middle.items(), key=lambda item: item[1])
            yield (
                f"a key in tmux, 5,000 libraries, 12 drives: {stage}",
                f"{1000 * statistics.median(middle.values()):.0f} ms in the middle",
                f"{1000 * slowest:.0f} ms at most ({key})",
                f"within {1000 * _KEY_S:.0f} ms",
                slowest <= _KEY_S if enough else None,
            )


class _Terminal:
    """A program in tmux, and what it writes."""

    def __init__(self, keyboard: IO[str], stream: int) -> None:
        self._keyboard, self._stream = keyboard, stream

    def press(self, key: str) -> float:
        """Seconds from sending a key until the picture is finished; 0 when it changes nothing."""
        self.wait(_QUIET_S, 2.0)
        began = time.perf_counter()
        self._keyboard.write(f"send-keys -t nuvik '{key}'\n")
        self._keyboard.flush()
        last = self.wait(_QUIET_S, 2.0, begins_s=_BEGINS_S)
        return max(0.0, last - began) if last else 0.0

    def wait(self, quiet_s: float, most_s: float, begins_s: float = 0.0) -> float | None:
        """Read until nothing has come for a while, the first for longer than the rest; when the last came. What a
        blinking cursor writes after the picture is no part of it.
        """
        last, until, picture = None, time.perf_counter() + most_s, False
        while time.perf_counter() < until:
            if not select.select([self._stream], [], [], max(quiet_s, 0.0 if last else begins_s))[0]:
                return last
            written = len(os.read(self._stream, 1 << 20))
            if picture and written <= _BLINK_BYTES:
                continue
            last, picture = time.perf_counter(), picture or written > _BLINK_BYTES
        return last


@contextmanager
def _program(world: World) -> Iterator[_Terminal]:
    with tempfile.TemporaryDirectory() as folder:
        socket, pipe = os.path.join(folder, "tmux"), os.path.join(folder, "pipe")
        os.mkfifo(pipe)
        stream = os.open(pipe, os.O_RDONLY | os.O_NONBLOCK)
        tmux = ["tmux", "-S", socket]
        program = f"{sys.executable} -m nuvik --world {world.folder}"
        size = ["-x", str(_WIDE), "-y", str(_HIGH)]
        subprocess.run([*tmux, "new-session", "-d", "-s", "nuvik", *size, program], check=True)
        try:
            subprocess.run([*tmux, "set", "-s", "escape-time", "0"], check=True)
            subprocess.run([*tmux, "pipe-pane", "-t", "nuvik", f"cat > {pipe}"], check=True)
            # One client for all keys: to start a process for each would be counted with the key.
            attach = [*tmux, "-C", "attach", "-f", "no-output,ignore-size", "-t", "nuvik"]
            with subprocess.Popen(attach, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True) as client:
                assert client.stdin is not None
                terminal = _Terminal(client.stdin, stream)
                terminal.wait(6.0, _OPENS_S)
                yield terminal
        finally:
            subprocess.run([*tmux, "kill-server"], check=False)
            os.close(stream)


def household(folder: Path, drives: int = _DRIVES) -> World:
    """5,000 libraries on so many drives."""
    chance = random.Random(4)
    world = World(folder, {"format": "nuvik-world/1", "name": "Bench", "time_scale": 0})
    folder.mkdir(exist_ok=True)
    for n in range(drives):
        world.drive(f"drive{n}", capacity_bytes=4_000 * GB, usable_bytes=4_000 * GB, system=n == 0, portable=n > 8)
    world.write()
    for n in range(_LIBRARIES):
        library = Path(world.path(f"drive{n % drives}", "Games", f"Thing {n:04d}"))
        library.mkdir(parents=True)
        for part in range(3):
            with open(library / f"part-{part}.pack", "wb") as file:
                file.truncate(chance.randint(300, 900) * MB)
            then = 1.6e9 + chance.random() * 1.9e8
            os.utime(library / f"part-{part}.pack", (then, then))
    return world
