"""The checks before a move: everything that would make it fail or lose something, found before anything is touched.

A rehearsal shows what they find at the step; carrying runs them again and refuses.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from nuvik.core.hosts.base import Host, drive_holding
from nuvik.core.model.drive import Drive
from nuvik.core.model.filesystems import FileSystem
from nuvik.core.model.inventory import EntryRecord, Inventory
from nuvik.core.model.names import OURS_PREFIX, shown
from nuvik.core.model.paths import is_within, parents
from nuvik.core.model.plan import Step, Tether
from nuvik.core.model.progress import Stop
from nuvik.core.model.timeline import Violation
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.survey.walk.take_inventory import take_inventory

_UNFINISHED = (".part", ".partial", ".incomplete", ".unfinished", ".download")
"""Endings that many programs give to files they have not finished."""
_SYSTEM_XATTRS = ("security.selinux", "com.apple.provenance")
"""Attributes that the system itself sets on every file; it sets them anew at the new place."""


@dataclass(slots=True)
class Findings:
    """What the checks of one step found."""

    step: Step
    violations: list[Violation] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    inventory: Inventory | None = None
    room_bytes: int = 0
    """What the library will take on the target."""

    def refuse(self, problem: str, mend: str, drive: str | None = None) -> None:
        self.violations.append(
            Violation(n=self.step.n, library=self.step.library, problem=problem, mend=mend, drive=drive)
        )


def check_step(
    host: Host,
    drives: tuple[Drive, ...],
    step: Step,
    state_folder: str,
    *,
    fresh: bool = True,
    room: bool = True,
    replaces_link: bool = False,
    without: frozenset[str] = frozenset(),
    stop: Stop | None = None,
) -> Findings:
    """Check one step against the computer as it is now.

    With `fresh` the library must be what the plan says it was; with `room` it must fit into what is free now
    (a rehearsal reckons with earlier steps instead). With `replaces_link` the target's name may be taken by a
    link to the source, as when a move is taken back. `without` are folders in it that an earlier step will have moved
    away. Raises StopRequested.
    """
    found = Findings(step)
    source_drive, target_drive = _check_drives(found, drives)
    if found.violations or source_drive is None or target_drive is None:
        return found
    _check_places(found, host, state_folder, source_drive, target_drive, replaces_link)
    if found.violations:
        return found
    inventory = found.inventory = take_inventory(host.files, step.path, stop, without)
    found.room_bytes = host.room_needed(inventory.sizes, target_drive)
    if fresh:
        _check_same_as_planned(found, inventory)
    _check_contents(found, host, inventory, target_drive.rules)
    if room and found.room_bytes > target_drive.free_bytes:
        lacking = found.room_bytes - target_drive.free_bytes
        found.refuse(
            f"{target_drive.label} has {format_bytes(target_drive.free_bytes)} free and "
            f"{shown(step.library)} needs {format_bytes(found.room_bytes)} there.",
            f"Free {format_bytes(lacking)} more, or choose a drive with room.",
            target_drive.id,
        )
    return found


def _check_drives(found: Findings, drives: tuple[Drive, ...]) -> tuple[Drive | None, Drive | None]:
    step, by_id = found.step, {drive.id: drive for drive in drives}
    for identifier in (step.from_drive, step.to_drive):
        drive = by_id.get(identifier)
        if drive is None:
            found.refuse(f"There is no drive {shown(identifier)}.", "“nuvik drives” lists the drives.")
        elif not drive.attached:
            found.refuse(f"{drive.label} is away.", f"Attach {drive.label}.", drive.id)
    for path, identifier in ((step.path, step.from_drive), (step.target_path, step.to_drive)):
        holding = drive_holding(drives, path)
        if holding is None:
            found.refuse(f"{shown(path)} lies on no drive of this computer.", "“nuvik drives” lists the drives.")
        elif holding.id != identifier:
            found.refuse(f"{shown(path)} lies on {holding.label}, not on {shown(identifier)}.", "Make the plan again.")
    if step.from_drive == step.to_drive:
        found.refuse(
            f"{shown(step.library)} lies on {shown(step.to_drive)} already; moving it there frees nothing.",
            "Choose another drive.",
        )
    source, target = by_id.get(step.from_drive), by_id.get(step.to_drive)
    for drive in (source, target):
        if drive is not None and drive.read_only:
            found.refuse(f"{drive.label} is read-only.", "Choose another drive, or mount it for writing.", drive.id)
    if source is not None and target is not None and source.id != target.id:
        _check_shared(found, source, target)
    return source, target


def _check_shared(found: Findings, source: Drive, target: Drive) -> None:
    """Two volumes of one container have one free space; two of one disk take turns and fail together."""
    if source.shares_space_with(target):
        found.refuse(
            f"{source.label} and {target.label} take from one free space; moving between them frees nothing.",
            "Choose a drive on another disk.",
            target.id,
        )
    elif source.shares_disk_with(target):
        found.notes.append(
            f"{source.label} and {target.label} lie on one disk: nothing becomes free on the disk, it "
            "takes longer, and if it fails both are lost."
        )


def _check_places(
    found: Findings, host: Host, state_folder: str, source_drive: Drive, target_drive: Drive, replaces_link: bool
) -> None:
    step, files = found.step, host.files
    source, target, name = step.path, step.target_path, shown(step.path)
    if not files.exists(source):
        found.refuse(f"Nothing lies at {name}.", "Survey again and make the plan again.")
        return
    if files.is_link(source):
        found.refuse(
            f"{name} is a link; what it leads to lies at {shown(os.path.realpath(source))}.", "Move that instead."
        )
        return
    if os.path.realpath(source) != source:
        found.refuse(
            f"{name} is reached through a link; it really lies at {shown(os.path.realpath(source))}.",
            "Name the real place.",
        )
        return
    if reason := host.why_protected(source):
        found.refuse(f"{name} must not be moved: {reason}.", "Choose a library inside it.")
    state = os.path.realpath(state_folder)
    if is_within(state, source) or is_within(source, state):
        found.refuse(
            f"{name} holds Nuvik's own journal.", "Choose another library, or keep the journal elsewhere (--state)."
        )
    if is_within(target, source):
        found.refuse(f"The target {shown(target)} lies inside {name} itself.", "Choose a place outside it.")
    elif is_within(source, target):
        found.refuse(f"{name} lies inside the target {shown(target)}.", "Choose another place.")
    elif is_within(target, state):
        found.refuse(f"{shown(target)} lies in the folder of Nuvik's journal.", "Choose another place.")
    elif files.exists(target) and not (replaces_link and files.is_link(target) and files.read_link(target) == source):
        found.refuse(f"Something lies at {shown(target)} already.", "Choose another place, or move that away first.")
    _check_way(found, host, target, target_drive)
    if step.tether is Tether.LINK and not source_drive.rules.symlinks:
        found.refuse(
            f"{source_drive.label} is {source_drive.rules.name}, which cannot hold the link that would keep the old "
            "path working.",
            "Programs would not find it: it has to stay for now.",
            source_drive.id,
        )
    if users := host.used_by(source):
        found.refuse(
            f"{name} is in use by {users[0]}" + (f" and {len(users) - 1} more." if len(users) > 1 else "."),
            "Close it and try again.",
        )


def _check_way(found: Findings, host: Host, target: str, drive: Drive) -> None:
    """The folders above the target must be real folders on the target drive, or be free to be made."""
    for folder in parents(target):
        if not is_within(folder, drive.path):
            break
        if not host.files.exists(folder):
            if problem := drive.rules.why_not_name(os.path.basename(folder)):
                found.refuse(f"The folder {shown(folder)} cannot be made: {problem}.", "Choose another place.")
            continue
        if host.files.is_link(folder) or not host.files.is_folder(folder):
            found.refuse(f"{shown(folder)} is no plain folder.", "Choose another place.")
        elif os.path.realpath(folder) != folder:
            found.refuse(f"{shown(folder)} is reached through a link.", f"Name it {shown(os.path.realpath(folder))}.")
        elif not os.access(folder, os.W_OK):
            found.refuse(f"{shown(folder)} may not be written to.", "Choose another place, or get the right to write.")
        break


def _check_same_as_planned(found: Findings, inventory: Inventory) -> None:
    step = found.step
    if (inventory.bytes, inventory.files) != (step.bytes, step.files):
        found.refuse(
            f"{shown(step.library)} changed since the plan was made: "
            f"{format_count(step.files, 'file')}, {step.bytes:,} bytes then; "
            f"{format_count(inventory.files, 'file')}, {inventory.bytes:,} bytes now.",
            "Survey again and make the plan again.",
        )


def _check_contents(found: Findings, host: Host, inventory: Inventory, rules: FileSystem) -> None:
    """Everything that cannot be carried, or not preserved at the target, is refused by name."""
    step = found.step
    for problem, mend in _content_problems(host, inventory, rules):
        found.refuse(f"{problem}.", mend)
    if not rules.permissions:
        found.notes.append(
            f"{rules.name} keeps no permissions: Nuvik remembers those of {shown(step.library)} "
            "and sets them again if you take the move back."
        )
    if rewritten := sum(entry.carried_link is not None for entry in inventory.entries.values()):
        found.notes.append(
            f"{format_count(rewritten, 'link')} of {shown(step.library)} that lead out of it "
            "will name their goal in full, so that they still lead there."
        )


def _content_problems(host: Host, inventory: Inventory, rules: FileSystem) -> Iterator[tuple[str, str]]:
    entries = inventory.entries
    if inventory.unreadable:
        path, what = inventory.unreadable[0]
        yield (
            f"{shown(path)} cannot be read ({what})" + _and_more(inventory.unreadable),
            "Get the right to read it, or move it away first.",
        )
    if inventory.special:
        path, what = inventory.special[0]
        yield f"{shown(path)} is {what}" + _and_more(inventory.special), "Close the program that made it."
    if inventory.linked_outside:
        yield (
            f"{shown(inventory.linked_outside[0])} has a second name (hard link) outside the library"
            + _and_more(inventory.linked_outside),
            "Moving would part the two and free nothing: it stays.",
        )
    lost = [
        ("link", rules.symlinks, "is a link, which {} cannot hold"),
        ("hard-link", rules.hard_links, "is a hard link, which {} cannot hold"),
    ]
    for kind, allowed, words in lost:
        of_kind = [path for path, entry in entries.items() if entry.kind == kind]
        if of_kind and not allowed:
            yield f"{shown(of_kind[0])} {words.format(rules.name)}" + _and_more(of_kind), "Choose another drive."
    if rules.largest_file_bytes is not None:
        big = [path for path, entry in entries.items() if entry.size > rules.largest_file_bytes]
        if big:
            yield (
                f"{shown(big[0])} is {format_bytes(entries[big[0]].size)}, and {rules.name} holds files up to "
                f"{format_bytes(rules.largest_file_bytes)}" + _and_more(big),
                "Choose another drive.",
            )
    yield from _name_problems(entries, rules)
    ours = [path for path in entries if os.path.basename(path).startswith(f"{OURS_PREFIX}-")]
    if ours:
        yield (
            f"{shown(ours[0])} is kept in it for another move" + _and_more(ours),
            "First release that move or take it back.",
        )
    unfinished = [path for path in entries if path.lower().endswith(_UNFINISHED) and entries[path].kind == "file"]
    if unfinished:
        yield (
            f"{shown(unfinished[0])} looks like a download that is not finished" + _and_more(unfinished),
            "Let it finish, or remove it.",
        )
    yield from _metadata_problems(host, inventory, rules)


def _name_problems(entries: dict[str, EntryRecord], rules: FileSystem) -> Iterator[tuple[str, str]]:
    folded: dict[str, str] = {}
    bad, clashing = [], []
    for path in entries:
        if not path:
            continue
        if problem := rules.why_not_name(os.path.basename(path)):
            bad.append((path, problem))
        first = folded.setdefault(rules.folded(path), path)
        if first != path:
            clashing.append((path, first))
    if bad:
        yield f"{shown(bad[0][0])}: {bad[0][1]}" + _and_more(bad), "Rename it, or choose another drive."
    if clashing:
        yield (
            f"{shown(clashing[0][0])} and {shown(clashing[0][1])} are one name on {rules.name}" + _and_more(clashing),
            "Rename one, or choose another drive.",
        )


def _metadata_problems(host: Host, inventory: Inventory, rules: FileSystem) -> Iterator[tuple[str, str]]:
    if not rules.xattrs:
        for path in inventory.entries:
            names = set(host.files.read_xattrs(os.path.join(inventory.root, path))) - set(_SYSTEM_XATTRS)
            if names:
                yield (
                    f"{shown(path or inventory.root)} has the extended attribute {shown(sorted(names)[0])}, which "
                    f"{rules.name} cannot keep",
                    "Choose another drive.",
                )
                break
    if rules.permissions and hasattr(os, "geteuid") and os.geteuid() != 0:
        others = [path for path, entry in inventory.entries.items() if entry.user != os.geteuid()]
        if others:
            yield (
                f"{shown(others[0] or inventory.root)} belongs to another user, and only the system's "
                "administrator can keep that" + _and_more(others),
                "Run Nuvik as administrator, or leave it.",
            )


def _and_more(of_kind: Sequence[object]) -> str:
    return f" (and {len(of_kind) - 1} more like it)" if len(of_kind) > 1 else ""


def carried_xattrs(attributes: dict[str, bytes]) -> dict[str, bytes]:
    """The extended attributes that are the library's own."""
    return {name: value for name, value in attributes.items() if name not in _SYSTEM_XATTRS}
