"""Reading a settings file, and changing one value in it: whole and on its medium, or not at all."""

from __future__ import annotations

import contextlib
import os
import shutil
import stat
import tempfile
from dataclasses import dataclass

from nuvik.core.model.errors import Refused, system_words
from nuvik.core.model.names import shown
from nuvik.core.model.paths import parents
from nuvik.core.model.tether import Tether, TetherKind
from nuvik.core.settings import registry
from nuvik.core.settings.command_line import respelled_command
from nuvik.core.settings.formats import format_named
from nuvik.core.settings.setting_format import LARGEST_FILE_BYTES, NotReadable
from nuvik.core.settings.spelling import plain_path, spelling_of

_TRIES = 3


@dataclass(frozen=True, slots=True)
class Change:
    """What a value is, and what it is to be."""

    file: str
    key: str
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class _Seen:
    """A file as it was read."""

    path: str
    """With no link in it."""
    data: bytes
    mark: tuple[int, int, int]
    """By which it is told whether it changed since."""


def read_settings(path: str) -> bytes:
    """What a settings file holds. Raises Refused, with the reason, when it is none that can be read."""
    return _seen(path).data


def change_for(tether: Tether, old: str, new: str, home: str) -> Change:
    """What changing a tether's value from one path to another comes to; `before` and `after` are equal where it says
    the new one already. Raises Refused when that is not certain, or the file may not be changed.
    """
    if tether.format != registry.FORMAT:
        _check_writable(os.path.realpath(tether.file))
    return Change(tether.file, tether.key, *_texts(tether, old, new, home))


def _check_writable(path: str) -> None:
    """A new file takes the old one's name, so that its folder has to be writable too."""
    for place in (os.path.dirname(path), path):
        if os.path.exists(place) and not os.access(place, os.W_OK):
            raise Refused(
                f"You may not change {shown(place)}.", next_step="Get permission to write there, or choose another way."
            )


def _texts(tether: Tether, old: str, new: str, home: str) -> tuple[str, str]:
    before = value_of(tether)
    after = respelled(tether.kind, before, old, new, home)
    if after is None and means(tether.kind, before, new, home):
        return before, before
    if after is None:
        raise Refused(
            f"“{shown(tether.key)}” in {shown(tether.file)} is “{shown(before)}”, which is not certain to mean "
            f"{shown(old)}.",
            next_step="Change it by hand, or choose another key.",
        )
    return before, after


def respelled(kind: TetherKind, value: str, old: str, new: str, home: str) -> str | None:
    """A value with the new path in place of the old one, or of a link that leads there, in the same spelling; None
    where it is not certain to mean the old one.
    """
    for path in (old, *_links_to(old, value, home)):
        if (spelling := spelling_of(value, path, home)) is not None and spelling.certain:
            return spelling.of(new, home)
    return respelled_command(value, old, new) if kind is TetherKind.SHORTCUT else None


def _links_to(path: str, value: str, home: str) -> list[str]:
    """The links on the way of the path that a value spells which lead to another path, as earlier moves left them."""
    spelled = plain_path(value, home)
    if spelled is None:
        return []
    return [
        above
        for above in (spelled, *parents(spelled))
        if os.path.islink(above) and os.path.realpath(above) == os.path.realpath(path)
    ]


def means(kind: TetherKind, value: str, path: str, home: str) -> bool:
    """Whether a value is certain to mean a path, or something in it."""
    return respelled(kind, value, path, path, home) is not None


def put_value(tether: Tether, before: str, after: str, keep: str | None = None) -> None:
    """Put `after` in the place of `before`, which must stand there now; the old file is copied to `keep` first.

    The new file takes the old one's name in one step, with its mode, owner and attributes. Raises Refused when it says
    something else by now, keeps changing, or cannot be written.
    """
    if tether.format == registry.FORMAT:
        registry.write_registry(tether.file, tether.key, before, after)
        return
    form = format_named(tether.format)
    for _ in range(_TRIES):
        seen = _seen(tether.file)
        try:
            now = form.value(seen.data, tether.key)
            if now == after:
                return
            if now != before:
                raise Refused(
                    f"“{shown(tether.key)}” in {shown(tether.file)} has been changed: it is “{shown(now)}” now.",
                    next_step="Look at it; it is left as it is.",
                )
            changed = form.replaced(seen.data, tether.key, after)
        except NotReadable as fault:
            raise Refused(f"{shown(tether.file)} cannot be changed: {fault}.", next_step="Change it by hand.") from None
        if keep is not None:
            _keep_copy(seen, keep)
        if _replaced(seen, changed):
            break
    else:
        raise Refused(
            f"{shown(tether.file)} keeps changing while it is written.", next_step="Close the program that uses it."
        )
    if (there := value_of(tether)) != after:
        raise Refused(
            f"“{shown(tether.key)}” in {shown(tether.file)} is “{shown(there)}” after it was set.",
            next_step="Close the program that uses it.",
        )


def value_of(tether: Tether) -> str:
    """What a tether's key says now. Raises Refused."""
    if tether.format == registry.FORMAT:
        return registry.read_registry(tether.file, tether.key)
    try:
        return format_named(tether.format).value(read_settings(tether.file), tether.key)
    except NotReadable as fault:
        raise Refused(
            f"{shown(tether.file)} cannot be used: {fault}.", next_step="Look at the file, and choose its key again."
        ) from None


def _seen(path: str) -> _Seen:
    place = os.path.realpath(path)
    try:
        with open(os.open(place, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0)), "rb") as file:
            facts = os.fstat(file.fileno())
            if not stat.S_ISREG(facts.st_mode):
                raise Refused(f"{shown(path)} is not a file.", next_step="Choose a settings file.")
            if facts.st_size > LARGEST_FILE_BYTES:
                raise Refused(f"{shown(path)} is too large for a settings file.", next_step="Choose another file.")
            data = file.read(LARGEST_FILE_BYTES + 1)
    except OSError as fault:
        words = system_words(fault)
        raise Refused(f"{shown(path)} cannot be read: {words}.", next_step="Check the path.") from None
    return _Seen(place, data, _mark(facts))


def _mark(facts: os.stat_result) -> tuple[int, int, int]:
    return facts.st_ino, facts.st_mtime_ns, facts.st_size


def _keep_copy(seen: _Seen, keep: str) -> None:
    """The first copy stays: a later one may hold half of the changes already."""
    if os.path.lexists(keep):
        return
    try:
        os.makedirs(os.path.dirname(keep), mode=0o700, exist_ok=True)
        handle, part = tempfile.mkstemp(dir=os.path.dirname(keep))
        with open(handle, "wb") as file:
            file.write(seen.data)
            file.flush()
            os.fsync(file.fileno())
        os.replace(part, keep)
        _sync_folder(os.path.dirname(keep))
    except OSError as fault:
        words = system_words(fault)
        what = f"{shown(seen.path)} is not changed, since it cannot be copied to {shown(keep)} first: {words}."
        raise Refused(what, next_step="Free space there.") from None


def _replaced(seen: _Seen, data: bytes) -> bool:
    """Give the new contents the file's name; False when it changed since it was read. Raises Refused."""
    folder, name = os.path.split(seen.path)
    part = ""
    try:
        _check_writable(seen.path)
        handle, part = tempfile.mkstemp(prefix=f".{name}.", suffix=".nuvik-new", dir=folder)
        with open(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        facts = os.stat(seen.path)
        if hasattr(os, "chown") and (facts.st_uid, facts.st_gid) != (os.geteuid(), os.getegid()):
            os.chown(part, facts.st_uid, facts.st_gid)
        shutil.copymode(seen.path, part)
        _copy_attributes(seen.path, part)
        if _mark(os.stat(seen.path)) != seen.mark:
            return False
        os.replace(part, seen.path)
        part = ""
        _sync_folder(folder)
        return True
    except OSError as fault:
        words = system_words(fault)
        raise Refused(
            f"{shown(seen.path)} cannot be changed: {words}.", next_step="Get permission to write it, or free space."
        ) from None
    finally:
        if part:
            with contextlib.suppress(OSError):
                os.unlink(part)


def _copy_attributes(source: str, target: str) -> None:
    """As far as the file system keeps them."""
    if not hasattr(os, "listxattr"):
        return
    with contextlib.suppress(OSError):
        for name in os.listxattr(source):
            with contextlib.suppress(OSError):
                os.setxattr(target, name, os.getxattr(source, name))


def _sync_folder(folder: str) -> None:
    if not hasattr(os, "O_DIRECTORY"):
        return
    descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(descriptor)
    except OSError:
        pass  # not every file system can
    finally:
        os.close(descriptor)
