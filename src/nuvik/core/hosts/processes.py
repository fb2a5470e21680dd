"""Which programs have something open in a folder, from the system's own process list."""

from __future__ import annotations

import os
import re
import sys

import psutil

from nuvik.core.hosts.linux_sysfs import read_file
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within


def programs_using(path: str) -> tuple[str, ...]:
    """Programs, other than Nuvik, that work in this folder: open files, working directory, or the program itself."""
    real = os.path.realpath(path)
    return tuple(dict.fromkeys(program for used, program in open_paths() if is_within(used, real)))


def open_paths() -> list[tuple[str, str]]:
    """All paths that programs, other than Nuvik, or the system itself have open, each with who has it.

    Processes that the system does not let us look into are passed over.
    """
    opened = held_by_the_system() if sys.platform == "linux" else []
    for process in psutil.process_iter():
        if process.pid == os.getpid():
            continue
        paths = _paths_of(process)
        if paths:
            try:
                program = f"{shown(process.name())} (process {process.pid})"
            except psutil.Error:
                continue
            opened += [(path, program) for path in paths]
    return opened


def held_by_the_system(blocks: str = "/sys/block", swaps: str = "/proc/swaps") -> list[tuple[str, str]]:
    """The files that no process has open, and that are in use all the same: those that the system has attached as
    drives (loop(4), `loop/backing_file`), and those that it swaps to (proc(5), swaps).
    """
    held = []
    for name in _names_in(blocks):
        if path := read_file(os.path.join(blocks, name, "loop", "backing_file")).rstrip("\n"):
            held.append((path, f"the system, as the drive {name}"))
    for line in read_file(swaps).splitlines()[1:]:
        # Blanks and the like in a name stand as octal numbers there.
        path, kind = line.split()[:2]
        if kind == "file":
            held.append((re.sub(r"\\([0-7]{3})", lambda octal: chr(int(octal[1], 8)), path), "the system, to swap to"))
    return held


def _names_in(folder: str) -> list[str]:
    try:
        return sorted(os.listdir(folder))
    except OSError:
        return []


def _paths_of(process: psutil.Process) -> list[str]:
    used = []
    try:
        used.append(process.cwd())
        used.append(process.exe())
        used.extend(file.path for file in process.open_files())
        used.extend(_mapped(process.pid))
    except (psutil.Error, OSError):
        pass
    return [path for path in used if path]


def _mapped(pid: int) -> set[str]:
    """The files that a process has mapped, whether it still has them open or not (proc(5), maps)."""
    if sys.platform != "linux":
        return set()
    with open(f"/proc/{pid}/maps", encoding="utf-8", errors="surrogateescape") as maps:
        fields = (line.rstrip("\n").split(maxsplit=5) for line in maps)
        return {words[5] for words in fields if len(words) == 6 and words[5].startswith("/")}


def filesystem_by_daemon(device: str) -> str:
    """The file system of a volume that a program serves, by the name of that program; empty when none is seen.

    The boot sector says it too, but an ordinary user may not read that.
    """
    for process in psutil.process_iter():
        try:
            words = process.cmdline()
        except (psutil.Error, OSError):
            continue
        if device in words:
            program = os.path.basename(words[0])
            return next((name for name in ("exfat", "ntfs") if name in program), "")
    return ""


def logged_in_since_s() -> float:
    """Since when this user has been logged in, in seconds since 1970: the oldest of their sessions that still runs,
    else when the computer was started.
    """
    try:
        me = psutil.Process().username()
        since = [user.started for user in psutil.users() if user.name == me.rpartition("\\")[2]]
        return min(since, default=psutil.boot_time())
    except (psutil.Error, OSError, KeyError):
        return psutil.boot_time()
