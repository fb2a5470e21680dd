"""Publishing: the proven copy gets its final name, and loses it again when the move is taken back."""

from __future__ import annotations

import os

from nuvik.core.carrying.aside_folders import close_aside, incoming, incoming_folder, make_aside
from nuvik.core.carrying.renames import forget_link, is_link_to, renamable, replace_link
from nuvik.core.carrying.work import Work
from nuvik.core.model.errors import Stopped
from nuvik.core.model.journal import Move
from nuvik.core.model.names import shown


def publish(work: Work, move: Move) -> None:
    """Give the proven copy its final name. Raises Stopped when that name was taken meanwhile, or OSError."""
    files, copy = work.files, incoming(move)
    if files.exists(copy) and not is_link_to(files, copy, move.source, *move.was_source):
        with renamable(files, copy):
            if is_link_to(files, move.target, move.source, *move.was_source):
                replace_link(files, copy, move.target)
            else:
                try:
                    files.rename_to_free_name(copy, move.target)
                except FileExistsError:
                    raise Stopped(
                        f"Something appeared at {shown(move.target)} while {shown(move.library)} was copied.",
                        next_step="Move that away and run “nuvik resume”, or “nuvik undo last”.",
                    ) from None
        files.sync_folder(os.path.dirname(move.target))
    if not files.exists(move.target) or files.is_link(move.target):
        raise Stopped(
            f"The copy of {shown(move.library)} is no longer at {shown(move.target)}. The original is untouched.",
            next_step=f"“nuvik undo {move.id}” cancels the move.",
        )
    forget_link(files, incoming(move))
    close_aside(files, incoming_folder(move))


def unpublish(work: Work, move: Move) -> None:
    """Take the copy's final name away again: it becomes the incoming copy once more."""
    files = work.files
    if files.exists(move.target) and not files.is_link(move.target) and not files.exists(incoming(move)):
        make_aside(work, move, "incoming")
        with renamable(files, move.target):
            files.rename_to_free_name(move.target, incoming(move))
        files.sync_folder(incoming_folder(move))
        files.sync_folder(os.path.dirname(move.target))
