"""Take every picture in docs/screenshots again, from a fresh demo household. Called by `python3 start.py shots`.

Runs the real program in a real terminal window (xterm on a virtual display, 159 × 47 cells, 1280 × 800 points)
and types keys into it. Needs Xvfb, xterm, tmux and ImageMagick's `import`.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

FOLDER = Path(__file__).parent / "screenshots"
SIZE, POINTS = (159, 47), "1280x800x24"
NEEDS = ("Xvfb", "xterm", "tmux", "import")

# What is typed, one list a picture, one after the other in the same window; numbers are seconds to wait.
# Words after a tilde are waited for, until they stand on the screen.
STORY: dict[str, list[str | float]] = {
    "survey": ["~Surveying", "~Press 3, then a", 9.0],
    "survey-folders": ["r", 3.0, "d", 0.5, "Right", 0.5, "Down", "Right", 0.5, "Down", "Down", 0.5],
    "survey-board": ["Escape", "Tab", "a", "Down", "Down", "b", 0.5, "Right", "Right", "Space"],
    "library-page": ["b", "Enter", "~next to the folders"],
    "help": ["Escape", "m", "n", "?"],
    "speeds": ["Escape", "2", "~What you could buy", 1.0],
    "speeds-measuring": ["Down", "s", "~Measure it?", "y", "~writing on, 420"],
    "drive-page": ["~Wren reads", "i", 0.5],
    "plan-in-hand": ["Escape", "1", 0.5, "a", 0.5, "Home", "l", 1.0, "Down", "Down"],
    "plan": ["Enter", "a", "~balanced  ", "b", "~nothing better", "Home", "Down", 0.5],
    "landings": ["d", 0.5, "Home", "s", "~titles.toml", "a", 1.0],
    "plan-beside": ["Escape", "w", "o", "a", 0.5, "Escape", "u", "c", "a", "~Two plans"],
    "rehearse": ["Escape", "U", "n", "~Fits.", "Down", "Down", "Space", "Space", "Down", "Down", "Down", "Space", 0.5],
    "carry": ["x", "c", "~Carry out", "y", "~original untouched", 2.0],
    "carry-done": ["~Done: ", 3.0],
    "logbook": ["6", "~Saltmarsh"],
    "logbook-undo": ["u", "~Take move"],
    "survey-day": ["n", "1", "t", 1.0],
    "survey-contrast": ["t", 1.0],
}


def main() -> int:
    missing = [need for need in NEEDS if shutil.which(need) is None]
    if missing:
        print(f"Missing: {', '.join(missing)}. Install xvfb, xterm, tmux and imagemagick.", file=sys.stderr)
        return 1
    FOLDER.mkdir(exist_ok=True)
    household = Path(tempfile.gettempdir()) / "hollin-observatory"
    with tempfile.TemporaryDirectory() as work, window(Path(work), household) as (tmux, display):
        for name, keys in STORY.items():
            for key in keys:
                if isinstance(key, float):
                    time.sleep(key)
                elif key.startswith("~"):
                    wait_for(tmux, key[1:])
                else:
                    subprocess.run([*tmux, "send-keys", "-t", "shot", key], check=True)
                    time.sleep(0.4)
            time.sleep(0.6)
            picture = FOLDER / f"{name}.png"
            subprocess.run(
                ["import", "-window", "root", str(picture)], check=True, env={**os.environ, "DISPLAY": display}
            )
            print(picture.name)
    return 0


def wait_for(tmux: list[str], words: str, seconds: float = 120) -> None:
    """Wait until these words stand on the screen."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        seen = subprocess.run([*tmux, "capture-pane", "-p", "-t", "shot"], capture_output=True, text=True, check=True)
        if words in seen.stdout:
            return
        time.sleep(0.05)
    sys.exit(f"“{words}” did not appear:\n{seen.stdout}")


@contextmanager
def window(work: Path, household: Path) -> Iterator[tuple[list[str], str]]:
    """The program in a terminal window on a display of its own: how to type into it, and which display it is."""
    settings = work / "tmux.conf"
    settings.write_text(
        "set -g status off\nset -g default-terminal tmux-256color\n"
        "set -ga terminal-overrides ',xterm*:Tc'\nset -sg escape-time 0\n"
    )
    tmux = ["tmux", "-S", str(work / "socket")]
    columns, lines = SIZE
    clean = {name: value for name, value in os.environ.items() if name not in ("COLUMNS", "LINES")}
    program = f"COLORTERM=truecolor {sys.executable} -m nuvik demo --at {household} --fresh; sleep 60"
    start = [
        *tmux,
        "-f",
        str(settings),
        "new-session",
        "-d",
        "-c",
        str(work),
        "-s",
        "shot",
        "-x",
        str(columns),
        "-y",
        str(lines),
        program,
    ]
    subprocess.run(start, check=True, env=clean)
    read, write = os.pipe()
    screen = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", POINTS, "-nolisten", "tcp"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    display = ":" + os.read(read, 16).decode().strip()
    terminal = subprocess.Popen(
        [
            "xterm",
            "-fa",
            "DejaVu Sans Mono",
            "-fs",
            "10",
            "-geometry",
            f"{columns}x{lines}+0+0",
            "-b",
            "0",
            "-bg",
            "black",
            "-xrm",
            "XTerm*cursorBlink: false",
            "-e",
            *tmux,
            "attach",
            "-t",
            "shot",
        ],
        env={**clean, "DISPLAY": display, "TERM": "xterm-256color"},
        stderr=subprocess.DEVNULL,
    )
    try:
        yield tmux, display
    finally:
        subprocess.run([*tmux, "kill-server"], check=False)
        terminal.terminate()
        screen.terminate()
        terminal.wait()
        screen.wait()


if __name__ == "__main__":
    sys.exit(main())
