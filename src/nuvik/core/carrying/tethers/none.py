"""No tether: nothing is left behind, and the links that earlier moves left lead on to the new place.

For a library that leaves a staging drive, and for the way back: there programs already look elsewhere.
"""

from __future__ import annotations

import os

from nuvik.core.carrying.aside_folders import held
from nuvik.core.carrying.renames import is_link_to, renamable
from nuvik.core.carrying.tethers.base import (
    Tether,
    close_held_folder,
    flush_names,
    holds_original,
    open_held_folder,
    put_original_back,
)
from nuvik.core.carrying.work import Work
from nuvik.core.model.errors import Refused
from nuvik.core.model.journal import Move
from nuvik.core.model.names import OURS_PREFIX, shown


class NoTether(Tether):
    """Every link that leads to the old place is changed in one atomic step, before the original goes aside."""

    def prepare(self, work: Work, move: Move) -> None:
        """The links that will have to lead elsewhere must be there to be changed."""
        for earlier in work.journal.led_to(move.source, move.target):
            drive = work.drive(earlier.source_drive)
            if earlier.source != move.target and (drive is None or not drive.attached):
                label = shown(drive.label if drive else earlier.source_drive)
                raise Refused(
                    f"{label} is away, and the link to {shown(move.library)} is on it.", next_step=f"Attach {label}."
                )

    def apply(self, work: Work, move: Move) -> None:
        files = work.files
        lead_on(work, move.source, move.target)
        if not holds_original(files, move):
            open_held_folder(work, move)
            with renamable(files, move.source):
                files.rename_to_free_name(move.source, held(move))
        flush_names(work, move)

    def undo(self, work: Work, move: Move) -> None:
        put_original_back(work, move)
        lead_on(work, move.target, move.source)
        close_held_folder(work, move)

    def leads_to(self, move: Move) -> str:
        return move.target


def lead_on(work: Work, before: str, after: str) -> None:
    """Let the links that earlier moves left, and that lead to `before`, lead to `after`: each in one atomic step.

    Needed when a library leaves a place without leaving a link there: a staging drive, or where a move is taken back
    to.
    """
    files = work.files
    for move in work.journal.led_to(before, after):
        link = move.source
        new = os.path.join(os.path.dirname(link), f"{OURS_PREFIX}-link-{move.id}-{move.token}")
        if files.is_link(new):  # left by a stop between making it and giving it its name
            files.remove(new)
        if link in (before, after) or not is_link_to(files, link, before, *move.was_target):
            continue
        files.make_link(new, after, files.is_folder(after))
        try:
            files.rename(new, link)
        except PermissionError:  # Windows lets no folder link take the name of another
            files.remove(link)
            files.rename(new, link)
        files.sync_folder(os.path.dirname(link))
