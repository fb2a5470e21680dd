"""Checks of where a library is and where it goes."""

from __future__ import annotations

import os

from nuvik.core.checks.findings import Findings
from nuvik.core.hosts.base import Host
from nuvik.core.hosts.long_paths import LONGEST_LINK_BYTES
from nuvik.core.model.drive import Drive
from nuvik.core.model.names import OURS_PREFIX, shown
from nuvik.core.model.paths import is_within, parents
from nuvik.core.survey.recognise.trade_words import OF_THE_FILE_SYSTEM


def check_places(
    findings: Findings,
    host: Host,
    state_folder: str,
    source_drive: Drive,
    target_drive: Drive,
    replaces_links_to: tuple[str, ...],
) -> None:
    step, files = findings.step, host.files
    source, target, name = step.path, step.target_path, shown(step.path)
    if not files.exists(source):
        findings.refuse(f"There is nothing at {name}.", "Survey again and make a new plan.")
        return
    if files.is_link(source):
        findings.refuse(f"{name} is a link to {shown(os.path.realpath(source))}.", "Move that instead.")
        return
    if os.path.realpath(source) != source:
        findings.refuse(
            f"{name} is reached through a link; its real place is {shown(os.path.realpath(source))}.",
            "Use the real place.",
        )
        return
    if reason := host.why_protected(source):
        findings.refuse(f"{name} must not be moved: {reason}.", "Choose a library inside it.")
    state = os.path.realpath(state_folder)
    if is_within(state, source) or is_within(source, state):
        findings.refuse(
            f"{name} holds Nuvik's own database.", "Choose another library, or keep the database elsewhere (--state)."
        )
    if is_within(target, source):
        findings.refuse(f"The target {shown(target)} is inside {name} itself.", "Choose a place outside it.")
    elif is_within(source, target):
        findings.refuse(f"{name} is inside the target {shown(target)}.", "Choose another place.")
    elif is_within(target, state):
        findings.refuse(f"{shown(target)} is in the folder of Nuvik's database.", "Choose another place.")
    elif (
        files.exists(target)
        and not (files.is_link(target) and files.read_link(target) in replaces_links_to)
        and not gives_way(host, target)
    ):
        findings.refuse(
            f"There is already something at {shown(target)}.", "Choose another place, or move that away first."
        )
    _check_way(findings, host, target, target_drive)
    if step.tether.leaves_link and not source_drive.rules.symlinks:
        findings.refuse(
            f"{source_drive.label} is {source_drive.rules.name}, which cannot hold the link that would keep the old "
            "path working.",
            f"Choose another way to lead programs to it: “nuvik tether {shown(step.library)} --find”.",
            source_drive.id,
        )
    length = len(os.fsencode(target))
    if step.tether.leaves_link and length > LONGEST_LINK_BYTES:
        findings.refuse(
            f"The path of {shown(step.library)} would be {length:,} bytes long, and no link can say more than "
            f"{LONGEST_LINK_BYTES:,}.",
            "Choose a place that is less deep.",
        )
    above = os.path.dirname(source)
    if not os.access(above, os.W_OK):
        findings.refuse(
            f"You may not change {shown(above)}, where {name} is.", "Get permission to write there, or leave it."
        )
    if users := host.used_by(source):
        findings.refuse(
            f"{name} is in use by {users[0]}" + (f" and {len(users) - 1} more." if len(users) > 1 else "."),
            "Close it and try again.",
        )


def gives_way(host: Host, path: str) -> bool:
    """Whether nothing but an empty folder is at a path, whose place a library can take: no drive's root, and nothing of
    the system's.
    """
    try:
        empty = host.files.is_folder(path) and not host.files.names_at(path)
    except OSError:
        return False
    return empty and host.why_protected(path) is None


def _check_way(findings: Findings, host: Host, target: str, drive: Drive) -> None:
    """The folders above the target must be real folders on the target drive, or be free to be made; and none of them
    may belong to the system, to the file system itself, to Nuvik or to another user.
    """
    if reason := _why_not_mounted_for_you(drive):
        findings.refuse(f"{reason}.", "Let your file manager mount it for you, or choose another drive.", drive.id)
        return
    if reason := _why_no_place(host, target, drive):
        findings.refuse(f"Nothing can be put at {shown(target)}: {reason}.", "Choose another place.")
        return
    for folder in (target, *parents(target)):
        if folder == target or not host.files.exists(folder):
            if problem := drive.rules.why_not_name(os.path.basename(folder)) or _twin_problem(host, folder, drive):
                findings.refuse(f"{shown(folder)} cannot be made: {problem}.", "Choose another place or name.")
            continue
        if host.files.is_link(folder) or not host.files.is_folder(folder):
            findings.refuse(f"{shown(folder)} is not an ordinary folder.", "Choose another place.")
        elif os.path.realpath(folder) != folder:
            findings.refuse(
                f"{shown(folder)} is reached through a link.", f"Name it {shown(os.path.realpath(folder))}."
            )
        elif not os.access(folder, os.W_OK):
            findings.refuse(
                f"{shown(folder)} is not writable.", "Choose another place, or get permission to write there."
            )
        break


def _twin_problem(host: Host, path: str, drive: Drive) -> str | None:
    """Why a new name cannot stand beside those that are there: on a drive that folds case, one may be the same."""
    above, name = os.path.split(path)
    if not drive.rules.folds_case or not host.files.exists(above):
        return None
    folded = drive.rules.folded(name)
    twin = next(
        (other for other in host.files.names_at(above) if other != name and drive.rules.folded(other) == folded), None
    )
    return None if twin is None else f"{shown(twin)} is there, which is the same name on {drive.rules.name}"


def _why_not_mounted_for_you(drive: Drive) -> str | None:
    """Where a file system has no owners, all belongs to whom the drive was mounted for: nobody else may set times."""
    if drive.rules.permissions or not hasattr(os, "geteuid") or os.geteuid() == 0:
        return None
    try:
        owner = os.stat(drive.path).st_uid
    except OSError:
        return None
    if owner == os.geteuid():
        return None
    return f"{shown(drive.label)} is mounted for another user, so the times of your files could not be kept there"


def _why_no_place(host: Host, target: str, drive: Drive) -> str | None:
    """Why a target is no place for a library, as the end of a sentence."""
    for folder in (target, *parents(target)):
        if not is_within(folder, drive.path) or folder == drive.path:
            break
        name = os.path.basename(folder)
        if name in OF_THE_FILE_SYSTEM or name.startswith(OURS_PREFIX):
            owner = "the file system itself" if name in OF_THE_FILE_SYSTEM else "moves of Nuvik"
            return f"{shown(folder)} is kept for {owner}"
    return host.why_no_place(os.path.dirname(target))
