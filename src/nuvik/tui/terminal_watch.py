"""A terminal that went away: its program must end, and not draw for nobody.

Where the program is the terminal's own, the system ends it by a signal. Where it is not (started through another user's
session, or by a tool that gave it the terminal), no signal comes: reading gives nothing, for ever.
"""

from __future__ import annotations

import os
import signal
import sys
import threading
import time

_PATIENCE_S = 0.5


def end_with_the_terminal() -> None:
    """End this process as the closing of its own terminal would, once the terminal on standard input is gone."""
    if sys.platform == "win32" or not sys.stdin.isatty():
        return
    threading.Thread(target=_wait_for_the_end, args=(sys.stdin.fileno(),), name="terminal-watch", daemon=True).start()


def _wait_for_the_end(terminal: int) -> None:
    import select

    poller = select.poll()
    poller.register(terminal, 0)  # without a wish for input, only that it is gone is reported
    while not any(events & (select.POLLHUP | select.POLLERR | select.POLLNVAL) for _, events in poller.poll()):
        pass
    os.kill(os.getpid(), signal.SIGHUP)
    # Still there: hang-ups are ignored, as under nohup(1). But nobody can use the screens any more.
    time.sleep(_PATIENCE_S)
    os.kill(os.getpid(), signal.SIGTERM)
