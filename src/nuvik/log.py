"""The log: a file of its own in the platform's place for logs, with full tracebacks, kept small by rotation.

Names of files are the user's own affair: they are logged at the debug level only, which is off unless asked for, and
tracebacks in the log leave out what an exception says beyond its kind and number.
"""

from __future__ import annotations

import logging
import os
import sys
import traceback
from types import TracebackType

FOLDER_VARIABLE = "NUVIK_LOG"
"""The environment variable that names another folder for the log."""
_NAME, _MOST_BYTES, _KEPT = "nuvik.log", 1_000_000, 3
_LINE = "%(asctime)s %(process)d %(levelname)s %(name)s: %(message)s"

log = logging.getLogger("nuvik")


def set_up(verbose: bool = False) -> None:
    """Begin to log; with `verbose` down to the debug level, and to stderr too. Done once a process."""
    if log.handlers:
        return
    log.propagate = False
    logging.raiseExceptions = False  # on a full drive the log stays short, and nobody is told by a traceback
    log.setLevel(logging.DEBUG if verbose else logging.INFO)
    if (file := _file_handler()) is not None:
        file.setFormatter(_Discreet(_LINE))
        log.addHandler(file)
    if verbose:
        console = logging.StreamHandler(sys.stderr)
        console.setFormatter(logging.Formatter("nuvik: %(levelname)s %(name)s: %(message)s"))
        log.addHandler(console)
    if not log.handlers:
        log.addHandler(logging.NullHandler())


def log_path() -> str:
    """Where the log is."""
    folder = os.environ.get(FOLDER_VARIABLE)
    if not folder:
        import platformdirs

        folder = platformdirs.user_log_dir("nuvik", appauthor=False)
    return os.path.join(folder, _NAME)


def _file_handler() -> logging.Handler | None:
    """The rotating file, or None where none can be written: Nuvik works the same without it."""
    from logging.handlers import RotatingFileHandler

    path = log_path()
    try:
        os.makedirs(os.path.dirname(path), mode=0o700, exist_ok=True)
        return RotatingFileHandler(path, maxBytes=_MOST_BYTES, backupCount=_KEPT, encoding="utf-8", errors="replace")
    except OSError:
        return None


class _Discreet(logging.Formatter):
    """Tracebacks without the words of the exceptions, in which names of files stand."""

    def formatException(
        self, ei: tuple[type[BaseException], BaseException, TracebackType | None] | tuple[None, None, None]
    ) -> str:
        lines: list[str] = []
        fault = ei[1]
        while fault is not None:
            number = f" [errno {fault.errno}]" if isinstance(fault, OSError) else ""
            lines = [*traceback.format_tb(fault.__traceback__), f"{type(fault).__qualname__}{number}\n", *lines]
            fault = fault.__cause__ or (None if fault.__suppress_context__ else fault.__context__)
        return "".join(lines).rstrip()
