"""Emptying a folder whose contents programs can rebuild, instead of moving it: put aside, then let go or put back.

What the folder held waits beside it, in a folder of Nuvik's own, until the user lets it go; only then space is free.
Every act is written down first and done by renames, so that what a stop left is read off the names and goes on.
"""

from __future__ import annotations

import errno
import json
import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace

from nuvik.core.carrying.guards import remove_emptied
from nuvik.core.hosts.base import Host
from nuvik.core.hosts.files import Files
from nuvik.core.model.drive import Drive
from nuvik.core.model.emptied import Emptied, EmptiedState
from nuvik.core.model.errors import DriveAway, Refused, Stopped, system_words
from nuvik.core.model.library import Library
from nuvik.core.model.names import OURS_PREFIX, shown
from nuvik.core.model.paths import is_within
from nuvik.core.store.emptied import EmptiedFolders

CONTENT, FRESH, ABOUT = "content", "fresh", "about.json"
FORMAT = "nuvik-emptied/1"
_TAG = "CACHEDIR.TAG"
"""Says to programs, by an open standard, that a folder is a cache: it stays."""


@dataclass(frozen=True, slots=True)
class Emptying:
    """The acts, on the drives as they are now."""

    host: Host
    drives: tuple[Drive, ...]
    folders: EmptiedFolders
    state_folder: str

    def _files(self, drive_id: str, name: str) -> Files:
        anchors = self.host.anchors(self.drives).get(drive_id, ())
        if not anchors:
            label = next((drive.label for drive in self.drives if drive.id == drive_id), drive_id)
            raise DriveAway(f"{shown(label)} is away, and {shown(name)} is on it.", next_step=f"Attach {shown(label)}.")
        return self.host.files.anchored(tuple(anchors))

    # -- putting aside -------------------------------------------------------------------------------------

    def why_not(self, path: str) -> str | None:
        """Why a folder must not be emptied now, as the end of a sentence."""
        files = self.host.files
        if files.is_link(path) or not files.is_folder(path):
            return "it is no folder"
        if reason := self.host.why_protected(path) or self.host.why_not_yours(path):
            return reason
        if is_within(os.path.realpath(self.state_folder), os.path.realpath(path)):
            return "Nuvik keeps its own database in it"
        if not files.names_at(path):
            return "it is empty already"
        if users := self.host.used_by(path):
            return f"{users[0]} uses it: close that first"
        return None

    def set_aside(self, library: Library, name: str, path: str, size: int, files: int) -> Emptied:
        """Put the contents of a library, or of a folder in it, aside. Raises Refused when nothing was changed, and
        Stopped.
        """
        drive = next(drive for drive in self.drives if drive.id == library.drive)
        if reason := self.why_not(path):
            raise Refused(f"{shown(name)} cannot be emptied: {reason}.", next_step="Nothing was changed.")
        return self.go_on(self.folders.begin(name, drive, path, size, files))

    # -- going on ------------------------------------------------------------------------------------------

    def go_on(self, emptied: Emptied, even_if_filled: bool = False) -> Emptied:
        """Do what is missing of what its state says. Raises DriveAway, and Stopped where the disk says otherwise."""
        files = self._files(emptied.drive, emptied.name)
        try:
            if emptied.state is EmptiedState.SETTING_ASIDE:
                return self._put_aside(files, emptied)
            if emptied.state is EmptiedState.PUTTING_BACK:
                return self._put_back(files, emptied, even_if_filled)
            if emptied.state is EmptiedState.RELEASING:
                return self._release(files, emptied)
            return emptied
        except OSError as fault:
            words = system_words(fault)
            if emptied.state is EmptiedState.SETTING_ASIDE and self._undone(files, emptied):
                full = fault.errno == errno.ENOSPC
                raise Refused(
                    f"{shown(emptied.name)} cannot be emptied: {words}. Nothing was changed.",
                    next_step="Delete a small file on that drive first." if full else "Put that right first.",
                ) from None
            raise Stopped(
                f"{shown(emptied.path)}: {words}. What it held is kept at {shown(content_of(emptied))}.",
                next_step="Put that right, then run “nuvik empty” again: it goes on.",
            ) from None
        finally:
            files.let_go()

    def _put_aside(self, files: Files, emptied: Emptied) -> Emptied:
        folder, content, fresh = own_folder(emptied), content_of(emptied), os.path.join(own_folder(emptied), FRESH)
        if not files.exists(content):
            if not files.exists(folder):
                files.make_folder(folder)
                with _even_if_full():
                    files.write_small(os.path.join(folder, ABOUT), _about(emptied))
            files.remove_tree(fresh)  # a stop may have left it half made
            _make_like(files, emptied.path, fresh)
            files.rename_to_free_name(emptied.path, content)
        if files.exists(fresh):
            if files.exists(emptied.path):  # its program was quicker, after a stop
                files.remove_tree(fresh)
            else:
                files.rename_to_free_name(fresh, emptied.path)
        files.sync_folder(folder)
        files.sync_folder(os.path.dirname(emptied.path))
        return self.folders.keep(replace(emptied, state=EmptiedState.ASIDE))

    def _undone(self, files: Files, emptied: Emptied) -> bool:
        """After a fault before anything was put aside: nothing of Nuvik's stays."""
        with suppress(OSError):
            if not files.exists(content_of(emptied)) and files.exists(emptied.path):
                files.remove_tree(own_folder(emptied))
                self.folders.keep(replace(emptied, state=EmptiedState.BACK))
                return True
        return False

    # -- back, or gone -------------------------------------------------------------------------------------

    def put_back(self, emptied: Emptied, even_if_filled: bool = False) -> Emptied:
        """Let what a folder held return. What came into it since goes only when the user says so. Raises Refused,
        DriveAway and Stopped.
        """
        files = self._files(emptied.drive, emptied.name)
        try:
            self._check_kept(files, emptied)
        finally:
            files.let_go()
        if users := self.host.used_by(emptied.path):
            raise Refused(f"{users[0]} uses {shown(emptied.path)}.", next_step="Close that first.")
        return self.go_on(self.folders.keep(replace(emptied, state=EmptiedState.PUTTING_BACK)), even_if_filled)

    def _put_back(self, files: Files, emptied: Emptied, even_if_filled: bool) -> Emptied:
        """What came into the folder goes only on the way for which the user said so, not on one resumed later: then it
        stays, and what the folder held before stays aside.
        """
        folder, content, fresh = own_folder(emptied), content_of(emptied), os.path.join(own_folder(emptied), FRESH)
        if files.exists(content):
            if _is_filled(files, emptied) and not even_if_filled:
                self.folders.keep(replace(emptied, state=EmptiedState.ASIDE))
                raise _filled_since(emptied)
            if files.exists(emptied.path):
                if files.exists(fresh):  # it was taken away before a stop, and has been rebuilt since
                    files.remove_tree(fresh)
                files.rename_to_free_name(emptied.path, fresh)
            files.rename_to_free_name(content, emptied.path)
        files.sync_folder(os.path.dirname(emptied.path))
        files.remove_tree(folder)
        files.sync_folder(os.path.dirname(emptied.path))
        return self.folders.keep(replace(emptied, state=EmptiedState.BACK))

    def release(self, emptied: Emptied) -> Emptied:
        """Let go for good what a folder held. Raises Refused, DriveAway and Stopped."""
        files = self._files(emptied.drive, emptied.name)
        try:
            self._check_kept(files, emptied)
            if not files.exists(emptied.path) or files.is_link(emptied.path):
                raise Refused(
                    f"There is no folder at {shown(emptied.path)} any more, so what it held is kept.",
                    next_step=f"“nuvik empty --put-back {emptied.id}” puts it back.",
                )
        finally:
            files.let_go()
        if users := self.host.used_by(content_of(emptied)):
            raise Refused(f"{users[0]} still uses what {shown(emptied.name)} held.", next_step="Close that first.")
        return self.go_on(self.folders.keep(replace(emptied, state=EmptiedState.RELEASING)))

    def _release(self, files: Files, emptied: Emptied) -> Emptied:
        remove_emptied(files, own_folder(emptied), content_of(emptied), emptied.path)
        files.sync_volume(os.path.dirname(emptied.path))
        return self.folders.keep(replace(emptied, state=EmptiedState.GONE))

    @staticmethod
    def _check_kept(files: Files, emptied: Emptied) -> None:
        if emptied.state is not EmptiedState.ASIDE:
            raise Refused(
                f"{shown(emptied.name)} is not set aside: {emptied.state}.", next_step="“nuvik empty” lists what is."
            )
        if not files.exists(content_of(emptied)):
            raise Refused(
                f"What {shown(emptied.name)} held is no longer at {shown(content_of(emptied))}.",
                next_step="Nothing is kept of it.",
            )


@contextmanager
def _even_if_full() -> Iterator[None]:
    """A drive without a single free byte is the very one to be emptied: the journal alone must do."""
    try:
        yield
    except OSError as fault:
        if fault.errno != errno.ENOSPC:
            raise


def _is_filled(files: Files, emptied: Emptied) -> bool:
    """Whether something came into an emptied folder since."""
    return files.exists(emptied.path) and bool(set(files.names_at(emptied.path)) - {_TAG})


def _filled_since(emptied: Emptied) -> Refused:
    return Refused(
        f"{shown(emptied.path)} has been filled again since.",
        next_step=f"“nuvik empty --put-back {emptied.id} --even-if-filled” removes what is there for it.",
    )


def own_folder(emptied: Emptied) -> str:
    """The folder of Nuvik's beside an emptied one."""
    return os.path.join(os.path.dirname(emptied.path), f"{OURS_PREFIX}-emptied-{emptied.id}-{emptied.token}")


def content_of(emptied: Emptied) -> str:
    """Where what it held is kept."""
    return os.path.join(own_folder(emptied), CONTENT)


def _about(emptied: Emptied) -> str:
    says = "The contents of a folder that programs can rebuild, kept until you release them. Please do not change it."
    about = {"format": FORMAT, "says": says, "name": shown(emptied.name), "path": shown(emptied.path)}
    return json.dumps(about, indent=2) + "\n"


def _make_like(files: Files, path: str, fresh: str) -> None:
    """An empty folder with the marks of another, as far as they can be given, and its tag as a cache."""
    facts = files.facts(path)
    files.make_folder(fresh)
    with suppress(OSError):
        files.mark_owner(fresh, facts.st_uid, facts.st_gid)
    with suppress(OSError):
        for name, value in files.read_xattrs(path).items():
            files.mark_xattr(fresh, name, value)
    tag = os.path.join(path, _TAG)
    if files.exists(tag) and not files.is_folder(tag):
        with suppress(OSError, ValueError):
            files.write_small(os.path.join(fresh, _TAG), files.read_text(tag))
            files.mark_mode(os.path.join(fresh, _TAG), files.facts(tag).st_mode & 0o7777)
    files.mark_mode(fresh, facts.st_mode & 0o7777)
