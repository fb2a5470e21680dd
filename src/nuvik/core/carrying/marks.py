"""Marks: what a file or folder has besides its contents, given to a copy and compared with it.

Order matters: a change of owner takes away capabilities and set-id bits, a change of mode the mask of an access list.
So the owner comes first, then extended attributes (access lists and capabilities are among them), the mode, times last.
"""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Mapping

import xxhash

from nuvik.core.checks.contents import carried_xattrs
from nuvik.core.hosts.attributes import FLAGS
from nuvik.core.hosts.files import Files
from nuvik.core.model.filesystems import FileSystem
from nuvik.core.model.inventory import NOTHING_WITHHELD, EntryRecord, Withheld, is_same_time
from nuvik.core.model.names import shown

_GONE = {errno.EIO, errno.ENODEV, errno.ENXIO, errno.ESTALE, errno.EROFS, errno.ENOENT, errno.ELOOP, errno.EXDEV}
"""Faults that say something of the drive or the way there, and nothing of the mark."""


def read_attributes(files: Files, path: str) -> dict[str, bytes]:
    """The extended attributes of an entry that are its own. Raises OSError."""
    return carried_xattrs(files.read_xattrs(path))


def checksum_of_attributes(attributes: Mapping[str, bytes]) -> str | None:
    """One text for all of them; None for none."""
    if not attributes:
        return None
    checksum = xxhash.xxh3_128()
    for name in sorted(attributes):
        for part in (os.fsencode(name), attributes[name]):
            checksum.update(len(part).to_bytes(8, "little") + part)
    return checksum.hexdigest()


class MarkRefused(OSError):
    """A file system would not keep a mark. `mark` says which, in words."""

    def __init__(self, fault: OSError | None, path: str, mark: str) -> None:
        number = fault.errno if fault is not None and fault.errno else errno.ENOTSUP
        super().__init__(number, os.strerror(number), path)
        self.mark = mark


def mark(
    files: Files,
    path: str,
    entry: EntryRecord,
    attributes: Mapping[str, bytes],
    rules: FileSystem,
    without: bool = False,
) -> Withheld:
    """Give a copied entry the marks of its original, as far as the rules of its file system say that it keeps them.

    Gives what it would not keep all the same, where the user agreed to go on `without`; else raises MarkRefused, or
    OSError.
    """
    refused = _Refused(path, without)
    if rules.permissions:
        facts = files.facts(path)
        if (facts.st_uid, facts.st_gid) != (entry.user, entry.group):
            try:
                files.mark_owner(path, entry.user, entry.group)
            except PermissionError as fault:
                if facts.st_uid != entry.user:  # another user's file was refused before; a group may be out of reach
                    raise
                refused.add("group", fault)
    if rules.xattrs:
        _mark_attributes(files, path, attributes, refused)
    else:
        for name, value in attributes.items():
            refused.add_attribute(name, value, None)
    if rules.permissions and entry.kind != "link":
        files.mark_mode(path, entry.mode)
    files.mark_times(path, entry.accessed_ns, entry.changed_ns)
    now_ns = files.facts(path).st_mtime_ns
    if not is_same_time(now_ns, entry.changed_ns, rules.time_step_ns):
        refused.add("time", None)
        return refused.withheld._replace(changed_ns=now_ns)
    return refused.withheld


class _Refused:
    """Collects the marks of one entry that were refused."""

    def __init__(self, path: str, without: bool) -> None:
        self._path, self._without = path, without
        self.withheld = NOTHING_WITHHELD

    def add(self, mark: str, fault: OSError | None) -> None:
        if not self._without:
            raise MarkRefused(fault, self._path, mark)
        self.withheld = self.withheld._replace(marks=(*self.withheld.marks, mark))

    def add_attribute(self, name: str, value: bytes, fault: OSError | None) -> None:
        if not self._without:
            raise MarkRefused(fault, self._path, f"extended attribute {shown(name)}")
        self.withheld = self.withheld._replace(attributes={**self.withheld.attributes, name: value})


def _mark_attributes(files: Files, path: str, wanted: Mapping[str, bytes], refused: _Refused) -> None:
    for name in files.read_xattrs(path).keys() - wanted.keys():
        # Taken over from the folder where the copy is made.
        if name == FLAGS or name.startswith("system.posix_acl"):
            files.remove_xattr(path, name)
    if not wanted:
        return
    for name, value in wanted.items():
        try:
            files.mark_xattr(path, name, value)
        except OSError as fault:
            if fault.errno in _GONE:
                raise
            refused.add_attribute(name, value, fault)
    # Some say yes to what they do not keep (access lists on NTFS).
    kept = files.read_xattrs(path)
    for name, value in wanted.items():
        if kept.get(name) != value:
            refused.add_attribute(name, value, None)


def difference(
    now: EntryRecord, entry: EntryRecord, rules: FileSystem, withheld: Withheld = NOTHING_WITHHELD
) -> str | None:
    """Which mark of a copy is not that of its original, as far as the system tells at one look; None when all are that
    were not `withheld`.
    """
    wanted_ns = entry.changed_ns if withheld.changed_ns is None else withheld.changed_ns
    if not is_same_time(now.changed_ns, wanted_ns, rules.time_step_ns):
        return "time"
    if not rules.permissions:
        return None
    if now.user != entry.user:
        return "owner"
    reachable = now.group == entry.group or (_may_give_group(entry.group) and "group" not in withheld.marks)
    if now.group != entry.group and reachable:
        return "group"
    # Where the group is out of reach, the system drops the bit that hands it on.
    kept_bits = 0o7777 if reachable else 0o7777 & ~stat.S_ISGID
    if entry.kind != "link" and (now.mode ^ entry.mode) & kept_bits:
        return "mode"
    return None


def _may_give_group(group: int) -> bool:
    if not hasattr(os, "geteuid"):
        return False
    return os.geteuid() == 0 or group == os.getegid() or group in os.getgroups()
