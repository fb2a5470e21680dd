"""Which programs have something open in a folder, from the system's own process list."""

from __future__ import annotations

import os

import psutil

from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within


def programs_using(path: str) -> tuple[str, ...]:
    """Programs, other than Nuvik, that work in this folder: open files, working directory, or the program itself."""
    real = os.path.realpath(path)
    return tuple(dict.fromkeys(program for used, program in open_paths() if is_within(used, real)))


def open_paths() -> list[tuple[str, str]]:
    """All paths that programs, other than Nuvik, have open, each with the program.

    Processes that the system does not let us look into are passed over.
    """
    opened = []
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


def _paths_of(process: psutil.Process) -> list[str]:
    used = []
    try:
        used.append(process.cwd())
        used.append(process.exe())
        used.extend(file.path for file in process.open_files())
    except (psutil.Error, OSError):
        pass
    return [path for path in used if path]
