"""Checks of what a library holds: everything that cannot be carried, or not kept at the target, is refused by name."""

from __future__ import annotations

import os
from collections.abc import Iterator

from nuvik.core.checks.findings import Findings, and_more
from nuvik.core.hosts.base import Host
from nuvik.core.hosts.many_files import LATEST_NS, Inside
from nuvik.core.model.filesystems import FileSystem
from nuvik.core.model.inventory import EntryRecord, Inventory
from nuvik.core.model.names import OURS_PREFIX, shown
from nuvik.core.model.paths import below
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.survey.walk.look_inside import look_inside

_UNFINISHED = (".part", ".partial", ".incomplete", ".unfinished", ".download")
"""Endings that many programs give to files they have not finished."""
_SYSTEM_XATTRS = ("security.selinux", "com.apple.provenance")
"""Attributes that the system itself sets on every file; it sets them again at the new place."""
_OF_THE_FILE_SYSTEM = ("trusted.SGI_ACL_",)
"""How a file system (XFS) shows access lists once more, to an administrator: they have attributes of their own."""


def check_same_as_planned(findings: Findings, inventory: Inventory) -> None:
    step = findings.step
    if (inventory.bytes, inventory.files) != (step.bytes, step.files):
        findings.refuse(
            f"{shown(step.library)} has changed since the plan was made: "
            f"{format_count(step.files, 'file')}, {step.bytes:,} bytes then; "
            f"{format_count(inventory.files, 'file')}, {inventory.bytes:,} bytes now.",
            "Close any program that writes to it, then survey again and make a new plan.",
        )


def check_contents(findings: Findings, inventory: Inventory, rules: FileSystem) -> None:
    """Everything that cannot be carried, or not preserved at the target, is refused by name."""
    step = findings.step
    for problem, mend in _content_problems(inventory, rules):
        findings.refuse(f"{problem}.", mend)
    if not rules.permissions:
        findings.notes.append(
            f"{rules.name} does not store permissions. Nuvik remembers those of {shown(step.library)} "
            "and restores them if you take the move back."
        )
    if rewritten := sum(entry.carried_link is not None for entry in inventory.entries.values()):
        findings.notes.append(
            f"{format_count(rewritten, 'link')} of {shown(step.library)} that lead out of it "
            "will name their goal in full, so that they still lead there."
        )


def check_each(findings: Findings, host: Host, inventory: Inventory) -> list[str]:
    """What only opening each file and folder tells: one that may not be read, that nobody may change, or that some
    program, of any user, may write to at this moment. The first of each kind is named. Gives the entries that may have
    extended attributes.
    """
    seen: set[str] = set()
    with_attributes = []
    for path, inside in look_inside(host.files, inventory).items():
        if isinstance(inside, OSError):
            # What vanished meanwhile the comparison with the plan tells of.
            problem = _UNREADABLE if isinstance(inside, PermissionError) else None
        else:
            problem = _problem_of(inside)
            if inside.has_attributes:
                with_attributes.append(path)
        if problem and problem[0] not in seen:
            seen.add(problem[0])
            place = below(inventory.root, path)
            findings.refuse(f"{shown(place)} {problem[0]}.", problem[1])
    return with_attributes


_UNREADABLE = ("may not be read by you", "Get permission to read it, or move it away first.")


def _problem_of(inside: Inside) -> tuple[str, str] | None:
    if inside.fixed:
        return f"is marked as {inside.fixed}, so it cannot be removed later", "Take that mark away with “chattr”."
    if inside.written:
        return "is open for writing in some program", "Close that program and try again."
    return None


def _content_problems(inventory: Inventory, rules: FileSystem) -> Iterator[tuple[str, str]]:
    entries = inventory.entries
    if inventory.unreadable:
        path, what = inventory.unreadable[0]
        yield (
            f"{shown(path)} cannot be read ({what})" + and_more(inventory.unreadable),
            "Get permission to read it, or move it away first.",
        )
    if inventory.special:
        path, what = inventory.special[0]
        yield f"{shown(path)} is {what}" + and_more(inventory.special), "Close the program that made it."
    if inventory.linked_outside:
        yield (
            f"{shown(inventory.linked_outside[0])} has a second name (hard link) outside the library"
            + and_more(inventory.linked_outside),
            "Moving it would separate the two names and free nothing, so it stays.",
        )
    lost = [
        ("link", rules.symlinks, "is a link, which {} cannot hold"),
        ("hard-link", rules.hard_links, "is a hard link, which {} cannot hold"),
    ]
    for kind, allowed, words in lost:
        of_kind = [path for path, entry in entries.items() if entry.kind == kind]
        if of_kind and not allowed:
            yield f"{shown(of_kind[0])} {words.format(rules.name)}" + and_more(of_kind), "Choose another drive."
    if rules.largest_file_bytes is not None:
        big = [path for path, entry in entries.items() if entry.size > rules.largest_file_bytes]
        if big:
            yield (
                f"{shown(big[0])} is {format_bytes(entries[big[0]].size)}, and {rules.name} holds files up to "
                f"{format_bytes(rules.largest_file_bytes)}" + and_more(big),
                "Choose another drive.",
            )
    beyond = [path for path, entry in entries.items() if abs(entry.changed_ns) >= LATEST_NS]
    if beyond:
        yield (
            f"{shown(beyond[0]) or shown(inventory.root)} has a time of change outside the years 1677 to 2262, which "
            "Nuvik cannot carry" + and_more(beyond),
            "Give it a sensible time (“touch” sets the current one).",
        )
    yield from _name_problems(entries, rules)
    ours = [path for path in entries if path.rpartition(os.sep)[2].startswith(f"{OURS_PREFIX}-")]
    if ours:
        yield (
            f"{shown(ours[0])} is being kept for another move" + and_more(ours),
            "Release that move first, or take it back.",
        )
    unfinished = [path for path in entries if path.lower().endswith(_UNFINISHED) and entries[path].kind == "file"]
    if unfinished:
        yield (
            f"{shown(unfinished[0])} looks like an unfinished download" + and_more(unfinished),
            "Let it finish, or delete it.",
        )
    yield from _owner_problems(inventory, rules)


def _name_problems(entries: dict[str, EntryRecord], rules: FileSystem) -> Iterator[tuple[str, str]]:
    folded: dict[str, str] = {}
    bad, clashing = [], []
    for path in entries:
        if path and (problem := rules.why_not_name(path.rpartition(os.sep)[2])):
            bad.append((path, problem))
    for path in entries if rules.folds_case else ():
        first = folded.setdefault(rules.folded(path), path)
        if first != path:
            clashing.append((path, first))
    if bad:
        yield f"{shown(bad[0][0])}: {bad[0][1]}" + and_more(bad), "Rename it, or choose another drive."
    if clashing:
        yield (
            f"{shown(clashing[0][0])} and {shown(clashing[0][1])} are the same name on {rules.name}"
            + and_more(clashing),
            "Rename one, or choose another drive.",
        )


def _owner_problems(inventory: Inventory, rules: FileSystem) -> Iterator[tuple[str, str]]:
    if rules.permissions and hasattr(os, "geteuid") and os.geteuid() != 0:
        others = [path for path, entry in inventory.entries.items() if entry.user != os.geteuid()]
        if others:
            yield (
                f"{shown(others[0] or inventory.root)} belongs to another user, and only an "
                "administrator can preserve that" + and_more(others),
                "Run Nuvik as administrator, or cancel where it is.",
            )


def carried_xattrs(attributes: dict[str, bytes]) -> dict[str, bytes]:
    """The extended attributes that are the library's own."""
    return {
        name: value
        for name, value in attributes.items()
        if name not in _SYSTEM_XATTRS and not name.startswith(_OF_THE_FILE_SYSTEM)
    }
