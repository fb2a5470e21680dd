"""Checks of marks: what the target would not keep of a library is listed before the start, and it is the user's choice
to go on without.

What a file system keeps depends on how it is mounted, on its size of block and on who asks. So what is out of the
ordinary is tried out on the target, with a small file that is removed at once.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from contextlib import suppress

from nuvik.core.checks.contents import carried_xattrs
from nuvik.core.checks.findings import Findings
from nuvik.core.hosts.attributes import FLAGS
from nuvik.core.hosts.base import Host
from nuvik.core.hosts.files import Files
from nuvik.core.model.drive import Drive
from nuvik.core.model.inventory import EntryRecord, Inventory, is_same_time
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_count
from nuvik.core.survey.drives.leftover_tests import free_test_path, remove_test

_ORDINARY_NS = (0, (2**31 - 1) * 10**9)
"""Times from 1970 to 2038 are kept everywhere."""
_MOST_TRIED = 200
"""So many different sets of attributes are tried out, the largest first."""
_IN_WORDS = {
    "system.posix_acl_access": "access lists",
    "system.posix_acl_default": "default access lists",
    "security.capability": "capabilities",
    FLAGS: "file flags (chattr)",
}

Attributes = Mapping[str, bytes]


def check_marks(
    findings: Findings, host: Host, inventory: Inventory, with_attributes: Iterable[str], target: Drive, without: bool
) -> None:
    """List what would not be kept. `with_attributes` are the entries that have extended attributes."""
    attributes = dict(_read(host.files, inventory, with_attributes))
    losses = list(_losses(host.files, inventory.entries, attributes, target))
    if not losses:
        return
    words = f"{shown(target.label)} cannot keep all marks of {shown(findings.step.library)}: {'; '.join(losses)}"
    if without:
        back = "Nuvik remembers them, and if you take the move back gives them back as far as you may give them"
        findings.notes.append(f"{words}. {back}.")
    else:
        findings.refuse(
            f"{words}.",
            "Choose another drive, or go on without them (w in Rehearse, --without-marks): they are remembered, and "
            "given back if you take the move back, as far as you may give them.",
        )


def _read(files: Files, inventory: Inventory, paths: Iterable[str]) -> Iterator[tuple[str, Attributes]]:
    for path in paths:
        with suppress(OSError):  # it vanished meanwhile: the comparison with the plan says so
            if carried := carried_xattrs(files.read_xattrs(os.path.join(inventory.root, path))):
                yield path, carried


def _losses(
    files: Files, entries: Mapping[str, EntryRecord], attributes: Mapping[str, Attributes], target: Drive
) -> Iterator[str]:
    """Each kind of mark that would be lost, in words."""
    times = _odd_times(entries.values())
    groups = _foreign_groups(entries.values()) if target.rules.permissions else Counter[int]()
    refused = set[tuple[str, int]]()
    if not target.rules.xattrs:
        refused = {(name, len(value)) for each in attributes.values() for name, value in each.items()}
    elif attributes or times:
        with _Trial(files, target) as trial:
            for kind in ("file", "folder"):
                of_kind = [each for path, each in attributes.items() if entries[path].kind == kind]
                refused |= trial.refused_attributes(of_kind, on_folder=kind == "folder")
            times = trial.refused_times(times, target.rules.time_step_ns)
    lost: dict[str, list[str]] = {}
    for path, each in attributes.items():
        for name, value in each.items():
            if (name, len(value)) in refused:
                lost.setdefault(name, []).append(path)
    for name, paths in lost.items():
        words = _IN_WORDS.get(name, f"the extended attribute {shown(name)}")
        yield f"{words} of {_first_of(paths)}"
    for group, count in groups.items():
        yield (
            f"the group {group} of {format_count(count, 'entry', 'entries')}, to which you do not belong (only an "
            "administrator, or a member, can give it back)"
        )
    if times:
        yield f"the time of {_first_of([entry.path for entry in times])}"


def _first_of(paths: list[str]) -> str:
    first = shown(paths[0]) or "the folder itself"
    return first if len(paths) == 1 else f"{format_count(len(paths), 'entry', 'entries')} (the first: {first})"


def _odd_times(entries: Iterable[EntryRecord]) -> list[EntryRecord]:
    least, most = _ORDINARY_NS
    return [entry for entry in entries if not least <= entry.changed_ns <= most]


def _foreign_groups(entries: Iterable[EntryRecord]) -> Counter[int]:
    """The groups of entries that this user cannot give to a copy."""
    if not hasattr(os, "geteuid") or os.geteuid() == 0:
        return Counter()
    mine = {os.getegid(), *os.getgroups()}
    return Counter(entry.group for entry in entries if entry.group not in mine)


class _Trial:
    """A small file and a folder on the target on which marks are tried out, to be used as a context.

    Where it cannot be made, as on a full drive, nothing is known, and copying will tell.
    """

    def __init__(self, files: Files, target: Drive) -> None:
        self._files, self._path = files, free_test_path(target)
        self._folder = self._path + "-folder"
        self._there = False

    def __enter__(self) -> _Trial:
        with suppress(OSError):
            folder = os.path.dirname(self._path)
            if not self._files.exists(folder):
                self._files.make_folder(folder)
            self._files.create(self._path).close()
            self._files.make_folder(self._folder)
            self._there = True
        return self

    def __exit__(self, *fault: object) -> None:
        with suppress(OSError):
            self._files.remove_folder(self._folder)
        remove_test(self._files, self._path)

    def refused_attributes(self, sets: Iterable[Attributes], on_folder: bool) -> set[tuple[str, int]]:
        """The attributes, by name and length, that the target does not keep. Each set is tried as a whole: a file
        system may keep two and not three of them.
        """
        if not self._there:
            return set()
        path = self._folder if on_folder else self._path
        distinct = {tuple(sorted((name, len(value)) for name, value in each.items())): each for each in sets}
        largest_first = sorted(distinct.items(), key=lambda pair: -sum(length for _, length in pair[0]))
        refused = set()
        for _, each in largest_first[:_MOST_TRIED]:
            for name, value in each.items():
                with suppress(OSError):
                    self._files.mark_xattr(path, name, value)
            kept = self._kept(path)
            refused |= {(name, len(value)) for name, value in each.items() if kept.get(name) != value}
            for name in kept:
                with suppress(OSError):
                    self._files.remove_xattr(path, name)
        return refused

    def _kept(self, path: str) -> Attributes:
        try:
            return self._files.read_xattrs(path)
        except OSError:
            return {}

    def refused_times(self, entries: list[EntryRecord], step_ns: int) -> list[EntryRecord]:
        """Those of the entries whose times the target cannot store."""
        if not self._there:
            return []
        kept: dict[int, bool] = {}
        for changed_ns in {entry.changed_ns for entry in entries}:
            try:
                self._files.mark_times(self._path, changed_ns, changed_ns)
                kept[changed_ns] = is_same_time(self._files.facts(self._path).st_mtime_ns, changed_ns, step_ns)
            except (OSError, OverflowError):
                kept[changed_ns] = False
        return [entry for entry in entries if not kept[entry.changed_ns]]
