"""What can go wrong, in three parts: what happened, to which path or drive, and what to do next.

The commands turn each kind into its exit code; the screens show the same text. None of them is ever
shown as a traceback.
"""

from __future__ import annotations


class NuvikError(Exception):
    """A condition that the user can understand and act on.

    `what` says what happened and names the path or drive; `next_step` says what to do about it.
    """

    def __init__(self, what: str, *, next_step: str = "") -> None:
        super().__init__(f"{what} {next_step}".strip())
        self.what = what
        self.next_step = next_step


class BadInput(NuvikError):
    """Wrong usage. Nothing was changed. Exit code 2."""


class Refused(NuvikError):
    """The state of things forbids it: a check refused, or a file given to Nuvik is broken. Nothing was changed. Exit
    code 3.
    """


class NotNamed(Refused):
    """A word of the call names nothing that is there, or more than one thing: a path, a drive, a move, a file. Nothing
    was changed. Exit code 2, like other words that are off.
    """


class DatabaseDamaged(Refused):
    """The database cannot be read. It is kept aside, and what comes next works with a new one."""


class Stopped(NuvikError):
    """Work stopped midway; everything is safe, and `nuvik resume` or `nuvik undo` goes on. Exit code 4."""


class DriveAway(Stopped):
    """A drive that unfinished work needs is away: that work is set aside, and nothing else waits for it."""


class StopRequested(Exception):
    """The user asked long work to stop. Raised by `Stop.check`, caught where the work can end cleanly."""


def system_words(fault: OSError) -> str:
    """Why the system refused something, in its own words and small letters."""
    return (fault.strerror or str(fault)).lower()
