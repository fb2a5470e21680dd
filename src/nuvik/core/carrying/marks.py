"""Marks: what a file or folder has besides its contents, given to a copy and compared with it.

Order matters: a change of owner takes away capabilities and set-id bits, a change of mode the mask of an access list.
So the owner comes first, then extended attributes (access lists and capabilities are among them), the mode, times last.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Mapping

import xxhash

from nuvik.core.checks.contents import carried_xattrs
from nuvik.core.hosts.file_contents import Writer
from nuvik.core.hosts.files import Files
from nuvik.core.model.filesystems import FileSystem
from nuvik.core.model.inventory import EntryRecord, is_same_time


def read_attributes(files: Files, path: str, rules: FileSystem) -> dict[str, bytes]:
    """The extended attributes that a copy on a file system with these rules is to have. Raises OSError."""
    return carried_xattrs(files.read_xattrs(path)) if rules.xattrs else {}


def checksum_of_attributes(attributes: Mapping[str, bytes]) -> str | None:
    """One text for all of them; None for none."""
    if not attributes:
        return None
    checksum = xxhash.xxh3_128()
    for name in sorted(attributes):
        for part in (os.fsencode(name), attributes[name]):
            checksum.update(len(part).to_bytes(8, "little") + part)
    return checksum.hexdigest()


def mark_open(
    writer: Writer, files: Files, path: str, entry: EntryRecord, wanted: Mapping[str, bytes], rules: FileSystem
) -> None:
    """As `mark`, for a file that was just written and is still open: much quicker for very many small files."""
    if rules.permissions:
        facts = writer.facts()
        if (facts.st_uid, facts.st_gid) != (entry.user, entry.group):
            try:
                writer.mark_owner(entry.user, entry.group)
            except PermissionError:
                if facts.st_uid != entry.user:
                    raise
    if rules.xattrs:
        _mark_attributes(files, path, wanted)
    if rules.permissions:
        writer.mark_mode(entry.mode)
    writer.mark_times(entry.accessed_ns, entry.changed_ns)


def _mark_attributes(files: Files, path: str, wanted: Mapping[str, bytes]) -> None:
    for name in files.read_xattrs(path).keys() - wanted.keys():
        if name.startswith("system.posix_acl"):  # taken over from the folder where the copy is made
            files.remove_xattr(path, name)
    for name, value in wanted.items():
        files.mark_xattr(path, name, value)


def mark(files: Files, path: str, entry: EntryRecord, attributes: Mapping[str, bytes], rules: FileSystem) -> None:
    """Give a copied entry the marks of its original, as far as its file system keeps them. Raises OSError."""
    is_link = entry.kind == "link"
    if rules.permissions:
        facts = files.facts(path)
        if (facts.st_uid, facts.st_gid) != (entry.user, entry.group):
            try:
                files.mark_owner(path, entry.user, entry.group)
            except PermissionError:
                if facts.st_uid != entry.user:  # another user's file was refused before; a group may be out of reach
                    raise
    if rules.xattrs:
        _mark_attributes(files, path, attributes)
    if rules.permissions and not is_link:
        files.mark_mode(path, entry.mode)
    files.mark_times(path, entry.accessed_ns, entry.changed_ns)


def difference(facts: os.stat_result, entry: EntryRecord, rules: FileSystem) -> str | None:
    """Which mark of a copy is not that of its original, as far as the system tells at one look; None when all are."""
    if not is_same_time(facts.st_mtime_ns, entry.changed_ns, rules.time_step_ns):
        return "time"
    if not rules.permissions:
        return None
    if facts.st_uid != entry.user:
        return "owner"
    reachable = _may_give_group(entry.group)
    if facts.st_gid != entry.group and reachable:
        return "group"
    # Where the group is out of reach, the system drops the bit that hands it on.
    kept_bits = 0o7777 if reachable else 0o7777 & ~stat.S_ISGID
    if entry.kind != "link" and (facts.st_mode ^ entry.mode) & kept_bits:
        return "mode"
    return None


def _may_give_group(group: int) -> bool:
    if not hasattr(os, "geteuid"):
        return False
    return os.geteuid() == 0 or group == os.getegid() or group in os.getgroups()
