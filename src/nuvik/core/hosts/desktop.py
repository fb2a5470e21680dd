"""What Nuvik asks of the desktop while it works for long: not to fall asleep, and to tell that it is done.

Linux: systemd-inhibit(1) and notify-send(1). macOS: caffeinate(8) and osascript(1). Windows:
SetThreadExecutionState (winbase.h). Where one is missing, nothing happens. Only the calls for Linux were ever run, and
those against programs that stood in for the real ones.
"""

from __future__ import annotations

import logging
import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress

log = logging.getLogger(__name__)
_CONTINUOUS, _SYSTEM_REQUIRED = 0x80000000, 0x00000001
_NOTICE_WITHIN_S = 5.0


@contextmanager
def kept_awake(why: str) -> Iterator[None]:
    """While this lasts, the computer does not fall asleep by itself."""
    if sys.platform == "win32":
        import ctypes

        ctypes.windll.kernel32.SetThreadExecutionState(_CONTINUOUS | _SYSTEM_REQUIRED)
        try:
            yield
        finally:
            ctypes.windll.kernel32.SetThreadExecutionState(_CONTINUOUS)
        return
    if sys.platform == "darwin":
        words = ["caffeinate", "-i", "-m", "-w", str(os.getpid())]
    else:
        # `cat` ends with the pipe that it reads from, so that even a killed Nuvik lets go.
        words = ["systemd-inhibit", "--what=sleep:idle", "--who=Nuvik", f"--why={why}", "--mode=block", "cat"]
    helper = None
    try:
        helper = subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
        )
    except OSError as missing:
        log.info("the computer is not kept awake: %s", missing)
    try:
        yield
    finally:
        if helper is not None:
            assert helper.stdin is not None
            with suppress(OSError):
                helper.stdin.close()
            with suppress(OSError):
                helper.terminate()
            with suppress(subprocess.TimeoutExpired):
                helper.wait(_NOTICE_WITHIN_S)


def show_notice(words: str) -> None:
    """Tell on the desktop that something is done."""
    if sys.platform == "darwin":
        quoted = words.replace("\\", "\\\\").replace('"', '\\"')
        command = ["osascript", "-e", f'display notification "{quoted}" with title "Nuvik"']
    elif sys.platform == "win32":
        return
    else:
        command = ["notify-send", "--app-name=Nuvik", "Nuvik", words]
    with suppress(OSError, subprocess.TimeoutExpired):
        subprocess.run(
            command,
            check=False,
            timeout=_NOTICE_WITHIN_S,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
