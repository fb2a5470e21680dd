"""Where a call prints. Trouble with the output is no trouble of the work: the work goes on, and the end says so."""

from __future__ import annotations

import contextlib
import errno
import os
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TextIO

from nuvik.core.model.names import fitted

_LONG_S = 1.0
"""What is over sooner needs no progress."""
_NARROW = 40


class Output:
    """The streams of one call: results go to stdout, all else to stderr; neither raises."""

    def __init__(self, quiet: bool = False) -> None:
        self.quiet = quiet
        """Only results and what is wrong: no notices, no progress."""
        self.trouble: OSError | None = None
        """Why results cannot be written any more; None while they can, or when their reader has simply gone away."""

    def result(self, text: str) -> None:
        """Print to stdout, at once."""
        try:
            print(text, flush=True)  # noqa: T201
        except OSError as fault:
            if fault.errno not in (errno.EPIPE, errno.EINVAL, errno.ESHUTDOWN):
                self.trouble = self.trouble or fault
            _let_go(sys.stdout)
        except ValueError:  # it was closed
            pass

    def message(self, text: str) -> None:
        """Print to stderr."""
        with contextlib.suppress(OSError, ValueError):
            print(text, file=sys.stderr, flush=True)  # noqa: T201

    def notice(self, text: str) -> None:
        """Print to stderr what need not be read."""
        if not self.quiet:
            self.message(text)

    @property
    def shows_progress(self) -> bool:
        """Whether somebody watches stderr on a terminal that can rewrite a line."""
        return not self.quiet and _is_terminal(sys.stderr) and os.environ.get("TERM", "") != "dumb"

    def bell(self) -> None:
        """Ring, where somebody watches."""
        if self.shows_progress:
            self._write("\a")

    def _write(self, text: str) -> None:
        with contextlib.suppress(OSError, ValueError):
            sys.stderr.write(text)
            sys.stderr.flush()


class ProgressLine:
    """One line on the terminal that is rewritten; none before the work has taken a second."""

    def __init__(self, output: Output) -> None:
        self._output = output
        self._begun_s = time.monotonic()
        self._is_shown = False

    def show(self, text: str) -> None:
        """Put this in place of what the line said."""
        if not self._output.shows_progress or time.monotonic() - self._begun_s < _LONG_S:
            return
        self._is_shown = True
        self._output._write(f"\r\x1b[K{fitted(text, _width())}")

    def clear(self) -> None:
        """Take the line away, so that other text can be printed."""
        if self._is_shown:
            self._is_shown = False
            self._output._write("\r\x1b[K")


@contextmanager
def working(output: Output, what: str) -> Iterator[None]:
    """Say what is going on, and for how long, while work runs that tells nothing itself."""
    line, over, begun_s = ProgressLine(output), threading.Event(), time.monotonic()

    def watch() -> None:
        while not over.wait(_LONG_S):
            line.show(f"{what}, {time.monotonic() - begun_s:.0f} s …")

    watcher = threading.Thread(target=watch, daemon=True, name="progress") if output.shows_progress else None
    if watcher:
        watcher.start()
    try:
        yield
    finally:
        over.set()
        if watcher:
            watcher.join()
        line.clear()


def _is_terminal(stream: TextIO | None) -> bool:
    """A program started without a stream has None in its place."""
    try:
        return stream is not None and stream.isatty()
    except ValueError:  # it was closed
        return False


def _width() -> int:
    try:
        return max(_NARROW, os.get_terminal_size(sys.stderr.fileno()).columns - 1)
    except (OSError, ValueError):
        return 79


def _let_go(stream: TextIO) -> None:
    """What the stream still holds, and what follows, goes nowhere: the end of the program writes it out once more."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())
