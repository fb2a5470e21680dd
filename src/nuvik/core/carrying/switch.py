"""Publishing the copy and switching programs over to it: the few renames on which everything hangs.

Each function looks at the disk first and does only what is still missing, so that it can be called again after a
stop at any instant.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager

from nuvik.core.carrying.aside_folders import close_aside, held, held_folder, incoming, incoming_folder, make_aside
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.files import Files
from nuvik.core.model.errors import Stopped
from nuvik.core.model.journal import Move
from nuvik.core.model.names import OURS_PREFIX, shown
from nuvik.core.model.plan import Tether


def leads_to(files: Files, link: str, goal: str) -> bool:
    """Whether `link` is a link that says exactly `goal`."""
    return files.is_link(link) and files.read_link(link) == goal


def publish(work: Work, move: Move) -> None:
    """Give the proven copy its final name. Raises Stopped when that name was taken meanwhile, or OSError."""
    files, copy = work.files, incoming(move)
    if files.exists(copy) and not leads_to(files, copy, move.source):
        with renamable(files, copy):
            if leads_to(files, move.target, move.source):
                _replace_link(files, copy, move.target)
            else:
                try:
                    files.rename_to_free_name(copy, move.target)
                except FileExistsError:
                    raise Stopped(
                        f"Something came to lie at {shown(move.target)} while {shown(move.library)} was copied.",
                        next_step="Move that away and run “nuvik resume”, or “nuvik undo last”.",
                    ) from None
        files.sync_folder(os.path.dirname(move.target))
    if not files.exists(move.target) or files.is_link(move.target):
        raise Stopped(
            f"The copy of {shown(move.library)} is no longer at {shown(move.target)}. The original is untouched.",
            next_step=f"“nuvik undo {move.id}” gives the move up.",
        )
    _forget_link(files, incoming(move))
    close_aside(files, incoming_folder(move))


def unpublish(work: Work, move: Move) -> None:
    """Take the copy's final name away again: it becomes the incoming copy once more."""
    files = work.files
    if files.exists(move.target) and not files.is_link(move.target) and not files.exists(incoming(move)):
        make_aside(files, move, "incoming")
        with renamable(files, move.target):
            files.rename_to_free_name(move.target, incoming(move))
        files.sync_folder(os.path.dirname(move.target))


def switch(work: Work, move: Move) -> None:
    """Put the original aside and the tether in its place. Raises Stopped or OSError.

    One atomic exchange where the system can; else two renames, between which the old path is missing for an
    instant and nothing else.
    """
    files = work.files
    if move.tether is Tether.NONE:
        lead_on(work, move.source, move.target)
    if not holds_original(files, move):
        if not files.exists(move.source):
            raise Stopped(
                f"The original of {shown(move.library)} vanished from {shown(move.source)}; the proven copy "
                f"is at {shown(move.target)}.",
                next_step=f"“nuvik undo {move.id}” shows what can be done.",
            )
        make_aside(files, move, "held")
        with renamable(files, move.source):
            _set_aside(files, move)
    if move.tether is Tether.LINK and not leads_to(files, move.source, move.target):
        files.make_link(move.source, move.target, files.is_folder(move.target))
    for folder in (held_folder(move), os.path.dirname(move.source)):
        files.sync_folder(folder)


def _set_aside(files: Files, move: Move) -> None:
    if move.tether is Tether.LINK:
        if not files.exists(held(move)):
            files.make_link(held(move), move.target, files.is_folder(move.target))
        if files.exchange(held(move), move.source):
            return
        files.remove(held(move))
    files.rename_to_free_name(move.source, held(move))


def put_back(work: Work, move: Move) -> None:
    """Undo `switch`: the held original returns to its old name. Raises Stopped when that name is taken, or OSError."""
    files = work.files
    if holds_original(files, move):
        with renamable(files, held(move)):
            if leads_to(files, move.source, move.target):
                _replace_link(files, held(move), move.source)
            else:
                try:
                    files.rename_to_free_name(held(move), move.source)
                except FileExistsError:
                    raise Stopped(
                        f"Something else lies at {shown(move.source)} now; the original is kept at "
                        f"{shown(held(move))}.",
                        next_step=f"Move that away and run “nuvik undo {move.id}” again.",
                    ) from None
        files.sync_folder(os.path.dirname(move.source))
    if move.tether is Tether.NONE:
        lead_on(work, move.target, move.source)
    _forget_link(files, held(move))
    close_aside(files, held_folder(move))


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
        if link in (before, after) or not leads_to(files, link, before):
            continue
        files.make_link(new, after, files.is_folder(after))
        try:
            files.rename(new, link)
        except PermissionError:  # Windows lets no folder link take the name of another
            files.remove(link)
            files.rename(new, link)
        files.sync_folder(os.path.dirname(link))


def holds_original(files: Files, move: Move) -> bool:
    """Whether the held folder holds the original, not the link prepared for the exchange."""
    return files.exists(held(move)) and not leads_to(files, held(move), move.target)


def _forget_link(files: Files, path: str) -> None:
    """Remove the link that an exchange of names left aside; anything else stays."""
    if files.is_link(path):
        files.remove(path)


def _replace_link(files: Files, content: str, link: str) -> None:
    """Let a folder or file take the name of our own link, in one step where the system can."""
    if files.exchange(content, link):
        files.remove(content)  # what is there now is the link
        return
    files.remove(link)
    files.rename_to_free_name(content, link)


@contextmanager
def renamable(files: Files, path: str) -> Iterator[None]:
    """Systems ask for write permission on a folder that changes parents: give it for the moment of a rename.

    The bits are set again on whatever then carries them, by inode, wherever it went.
    """
    facts = files.facts(path)
    mode = stat.S_IMODE(facts.st_mode)
    if not stat.S_ISDIR(facts.st_mode) or mode & stat.S_IWUSR or not hasattr(os, "fchmod"):
        yield
        return
    descriptor = os.open(path, os.O_RDONLY)
    try:
        files.mark_mode(path, mode | stat.S_IWUSR)
        yield
        os.fchmod(descriptor, mode)
    finally:
        os.close(descriptor)
