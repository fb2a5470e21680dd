"""What every kind of tether can do, and what all of them share: the original goes aside, and comes back."""

from __future__ import annotations

import os
from abc import ABC, abstractmethod

from nuvik.core.carrying.aside_folders import close_aside, held, held_folder, make_aside
from nuvik.core.carrying.proof import look_through
from nuvik.core.carrying.renames import forget_link, is_link_to, renamable, replace_link
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.files import Files
from nuvik.core.model.errors import Stopped
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown


class Tether(ABC):
    """A kind of tether.

    Every call looks at the disk first and does only what is missing, so that it may be made again after a stop.
    """

    def prepare(self, work: Work, move: Move) -> None:
        """Look whether this kind can work for a move, before anything is touched. Raises Refused."""
        return

    @abstractmethod
    def apply(self, work: Work, move: Move) -> None:
        """Put the original aside and lead programs to the copy. Raises Stopped or OSError."""

    @abstractmethod
    def undo(self, work: Work, move: Move) -> None:
        """Put the held original back under its old name. Raises Stopped when that name is taken, or OSError."""

    @abstractmethod
    def leads_to(self, move: Move) -> str:
        """The path by which programs open the library once it is moved."""

    def withdraw(self, work: Work, move: Move) -> None:
        """Remove what leads programs to the copy, once the library was copied back under its old name.

        A link needs nothing: the library itself took its name. Raises Stopped or OSError.
        """
        return

    def check(self, work: Work, move: Move) -> str | None:
        """What is not right when the library is opened as programs do, as the end of a sentence; None when all is."""
        return look_through(work, move, self.leads_to(move))

    def repair(self, work: Work, move: Move) -> bool:
        """Make it right again where that is safe; False when there was nothing to do. Raises Stopped or OSError."""
        return False


def holds_original(files: Files, move: Move) -> bool:
    """Whether the held folder holds the original, not a link prepared for an exchange."""
    return files.exists(held(move)) and not is_link_to(files, held(move), move.target, *move.was_target)


def open_held_folder(work: Work, move: Move) -> None:
    """Make the folder for the original. Raises Stopped when the original vanished."""
    if not work.files.exists(move.source):
        raise Stopped(
            f"The original of {shown(move.library)} disappeared from {shown(move.source)}; the proven copy is at "
            f"{shown(move.target)}.",
            next_step=f"“nuvik undo {move.id}” shows what can be done.",
        )
    make_aside(work, move, "held")


def put_original_back(work: Work, move: Move) -> None:
    """Let the held original take its old name again, in one step where a link of ours has that name."""
    files = work.files
    if holds_original(files, move):
        with renamable(files, held(move)):
            if is_link_to(files, move.source, move.target, *move.was_target):
                replace_link(files, held(move), move.source)
            else:
                try:
                    files.rename_to_free_name(held(move), move.source)
                except FileExistsError:
                    raise Stopped(
                        f"Something else is at {shown(move.source)} now; the original is kept at {shown(held(move))}.",
                        next_step=f"Move that away and run “nuvik undo {move.id}” again.",
                    ) from None
        files.sync_folder(os.path.dirname(move.source))


def close_held_folder(work: Work, move: Move) -> None:
    """The original is back: nothing is kept any more."""
    forget_link(work.files, held(move))
    close_aside(work.files, held_folder(move))


def flush_names(work: Work, move: Move) -> None:
    """Make what changed beside the original durable."""
    for folder in (held_folder(move), os.path.dirname(move.source)):
        work.files.sync_folder(folder)
