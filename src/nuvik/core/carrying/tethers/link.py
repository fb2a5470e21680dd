"""The link: a symbolic link stands where the library was, so that every old path still opens it."""

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
from nuvik.core.hosts.files import Files
from nuvik.core.model.errors import Stopped
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown


class LinkTether(Tether):
    """An atomic exchange of names where the system can; else two renames, between which the old path is missing for an
    instant and nothing else.
    """

    def apply(self, work: Work, move: Move) -> None:
        files = work.files
        if not holds_original(files, move):
            open_held_folder(work, move)
            with renamable(files, move.source):
                _exchange(files, move)
        if not is_link_to(files, move.source, move.target):
            lead_anew(files, move)
        flush_names(work, move)

    def undo(self, work: Work, move: Move) -> None:
        put_original_back(work, move)
        close_held_folder(work, move)

    def leads_to(self, move: Move) -> str:
        return move.source

    def repair(self, work: Work, move: Move) -> bool:
        files = work.files
        if is_link_to(files, move.source, move.target):
            return False
        if files.exists(move.source) and not is_link_to(files, move.source, *move.was_target):
            raise Stopped(
                f"Something else is at {shown(move.source)}, where {shown(move.library)} used to be.",
                next_step="Look at it and move it away; then the link can be made again.",
            )
        lead_anew(files, move)
        work.files.sync_folder(os.path.dirname(move.source))
        return True


def lead_anew(files: Files, move: Move) -> None:
    """Make the link; one of ours that leads to where the target's drive was mounted before gives way to it."""
    if is_link_to(files, move.source, *move.was_target):
        files.remove(move.source)
    files.make_link(move.source, move.target, files.is_folder(move.target))


def _exchange(files: Files, move: Move) -> None:
    if not files.exists(held(move)):
        files.make_link(held(move), move.target, files.is_folder(move.target))
    if files.exchange(held(move), move.source):
        return
    files.remove(held(move))
    files.rename_to_free_name(move.source, held(move))
