"""A timer of the user's own that calls Nuvik once a day: what is written, and which calls of the system start it.

Linux: a systemd user unit (systemd.timer(5), systemd.service(5)). macOS: a launch agent (launchd.plist(5)). Windows: a
scheduled task (schtasks). The files for Linux are checked by systemd-analyze(1) in the tests; those for the others were
never loaded.
"""

from __future__ import annotations

import os
import plistlib
import subprocess
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from nuvik.core.model.errors import Refused, system_words
from nuvik.core.model.names import shown

UNIT = "nuvik-watch"
_LABEL, _TASK, _AT_HOUR = "org.nuvik.watch", r"Nuvik\Watch", 12
_FINDINGS = 5
"""The exit code of a look that has something to ask: no fault for a timer."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Timer:
    """How a system is told to call Nuvik once a day."""

    files: tuple[tuple[str, str], ...]
    """Path and text of each file."""
    starts: tuple[tuple[str, ...], ...]
    """The calls that start it, once the files are written."""
    ends: tuple[tuple[str, ...], ...]
    """The calls that end it, before the files are removed."""
    asks: tuple[str, ...] = ()
    """The call that succeeds while it is installed, where no file tells that."""

    @property
    def installed(self) -> bool:
        """Whether its files are there, or the system knows it."""
        if self.asks:
            return not _calls([self.asks])
        return all(os.path.exists(path) for path, _ in self.files)


def daily_timer(words: Sequence[str], platform: str = sys.platform) -> Timer:
    """A timer that calls a command, as a list of words, once a day."""
    if platform == "darwin":
        return _launch_agent(words)
    if platform == "win32":
        return _scheduled_task(words)
    return _user_unit(words)


def _user_unit(words: Sequence[str]) -> Timer:
    folder = os.path.join(os.environ.get("XDG_CONFIG_HOME") or os.path.expanduser("~/.config"), "systemd", "user")
    service = f"""[Unit]
Description=Nuvik looks how things stand

[Service]
Type=oneshot
ExecStart={" ".join(map(_quoted, words))}
SuccessExitStatus={_FINDINGS}
Nice=10
"""
    timer = f"""[Unit]
Description=Nuvik looks once a day how things stand

[Timer]
OnCalendar=*-*-* {_AT_HOUR:02}:00:00
Persistent=true
RandomizedDelaySec=15min

[Install]
WantedBy=timers.target
"""
    systemctl = ("systemctl", "--user")
    return Timer(
        files=(
            (os.path.join(folder, f"{UNIT}.service"), service),
            (os.path.join(folder, f"{UNIT}.timer"), timer),
        ),
        starts=((*systemctl, "daemon-reload"), (*systemctl, "enable", "--now", f"{UNIT}.timer")),
        ends=((*systemctl, "disable", "--now", f"{UNIT}.timer"),),
    )


def _quoted(word: str) -> str:
    r"""A word for ExecStart (systemd.service(5)): in quotes, so that `\`, `"`, `%` and `$` stay what they are."""
    text = word.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{text}"'


def _launch_agent(words: Sequence[str]) -> Timer:
    path = os.path.expanduser(f"~/Library/LaunchAgents/{_LABEL}.plist")
    agent = {
        "Label": _LABEL,
        "ProgramArguments": list(words),
        "StartCalendarInterval": {"Hour": _AT_HOUR, "Minute": 0},
        "ProcessType": "Background",
    }
    domain = f"gui/{os.getuid() if hasattr(os, 'getuid') else 0}"
    return Timer(
        files=((path, plistlib.dumps(agent).decode("utf-8")),),
        starts=(("launchctl", "bootstrap", domain, path),),
        ends=(("launchctl", "bootout", f"{domain}/{_LABEL}"),),
    )


def _scheduled_task(words: Sequence[str]) -> Timer:
    command = subprocess.list2cmdline(words)
    create = ("schtasks", "/Create", "/F", "/SC", "DAILY", "/ST", f"{_AT_HOUR:02}:00", "/TN", _TASK, "/TR", command)
    return Timer(
        files=(),
        starts=(create,),
        ends=(("schtasks", "/Delete", "/F", "/TN", _TASK),),
        asks=("schtasks", "/Query", "/TN", _TASK),
    )


def install(timer: Timer) -> list[str]:
    """Write the files and start the timer; what the system said where it did not start. Raises Refused."""
    for path, text in timer.files:
        try:
            os.makedirs(os.path.dirname(path), exist_ok=True)
            Path(path).write_text(text, encoding="utf-8")
        except OSError as fault:
            raise _refusal(path, fault) from None
    return _calls(timer.starts)


def remove(timer: Timer) -> list[str]:
    """End the timer and remove its files; what the system said where it did not end. Raises Refused."""
    troubles = _calls(timer.ends)
    for path, _ in timer.files:
        try:
            os.unlink(path)
        except FileNotFoundError:
            pass
        except OSError as fault:
            raise _refusal(path, fault) from None
    return troubles


def _calls(calls: Sequence[Sequence[str]]) -> list[str]:
    troubles = []
    for words in calls:
        try:
            done = subprocess.run(words, check=False, capture_output=True, text=True, timeout=30)
            trouble = (done.stderr.strip() or f"it ended with {done.returncode}") if done.returncode else ""
        except (OSError, subprocess.TimeoutExpired) as fault:
            trouble = str(fault)
        if trouble:
            troubles.append(f"“{' '.join(words)}” did not work: {shown(trouble.splitlines()[-1])}.")
    return troubles


def _refusal(path: str, fault: OSError) -> Refused:
    words = system_words(fault)
    return Refused(f"{shown(path)} cannot be changed: {words}.", next_step="Make its folder writable, then try again.")
