"""Which file system a drive should have: from who must read it, what it must hold, and what moves leave behind.

Nuvik never formats. It says what would be gained and lost, and how the system's own tool does it.
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput
from nuvik.core.model.filesystems import SYSTEMS, FileSystem, rules_of
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count

_OFFERED = ("ext4", "apfs", "ntfs", "exfat", "fat32")
"""What ordinary people can make with what their system brings along; in the order preferred, other things equal."""
_FAT32_MOST_BYTES = 2 * 10**12
_NAMED = 3


def this_system() -> str:
    return {"darwin": "macos", "win32": "windows"}.get(sys.platform, "linux")


@dataclass(frozen=True, slots=True, kw_only=True)
class Needs:
    """What a drive's file system must do."""

    written_by: tuple[str, ...]
    """linux, macos, windows: who must be able to read and write it."""
    largest_file_bytes: int = 0
    links: bool = False
    """Programs move here and are found by a link that stands here too, or libraries with links inside."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Advice:
    """A file system weighed."""

    filesystem: str
    lacks: tuple[str, ...]
    """What it cannot do of what is needed; empty: it fits."""
    notes: tuple[str, ...]
    """What to know although it fits."""


def needs_of(systems: Sequence[str], libraries: Sequence[Library], links: bool = False) -> Needs:
    """Needs from names of systems and from what is to lie there. Raises BadInput for an unknown system."""
    for system in systems:
        if system not in SYSTEMS:
            raise BadInput(f"“{shown(system)}” is not a system Nuvik knows.", next_step=f"Say {', '.join(SYSTEMS)}.")
    largest = max((library.largest_file_bytes for library in libraries), default=0)
    return Needs(written_by=tuple(dict.fromkeys(systems)) or (this_system(),), largest_file_bytes=largest, links=links)


def weigh(needs: Needs, capacity_bytes: int) -> list[Advice]:
    """Every file system that can be offered, those that fit first, then those that lack least."""
    weighed = [_weigh(rules_of(name), name, needs, capacity_bytes) for name in _OFFERED]
    return sorted(weighed, key=lambda advice: (_gravity(advice), len(advice.notes), _OFFERED.index(advice.filesystem)))


def _gravity(advice: Advice) -> int:
    """How bad it is: a system that cannot read the drive at all is worse than anything that can be lived with."""
    return sum(10 if "cannot read" in lack else 1 for lack in advice.lacks)


def _weigh(rules: FileSystem, name: str, needs: Needs, capacity_bytes: int) -> Advice:
    lacks = [
        f"{SYSTEMS[system]} cannot write to it out of the box"
        if system in rules.read_by
        else f"{SYSTEMS[system]} cannot read it"
        for system in needs.written_by
        if system not in rules.written_by
    ]
    if rules.largest_file_bytes is not None and needs.largest_file_bytes > rules.largest_file_bytes:
        lacks.append(
            f"files can be at most {format_bytes(rules.largest_file_bytes)}, and you have one of "
            f"{format_bytes(needs.largest_file_bytes)}"
        )
    if needs.links and not rules.symlinks:
        lacks.append(
            "it holds no links: what is moved away from it leaves no way to be found, and programs moved "
            "here need a setting, not a link"
        )
    if name == "fat32" and capacity_bytes > _FAT32_MOST_BYTES:
        lacks.append(f"it can be at most {format_bytes(_FAT32_MOST_BYTES)}")
    notes = []
    if not rules.survives_a_pull:
        notes.append("it has no journal: pulling the cable while writing may damage it")
    if not rules.permissions:
        notes.append("it does not store Unix permissions")
    if name == "fat32" and not lacks:
        notes.append("its largest file is 4.29 GB")
    return Advice(filesystem=name, lacks=tuple(lacks), notes=tuple(notes))


def advice_in_words(drive: Drive, needs: Needs) -> str:
    """What to do with this drive's file system, in a sentence or two."""
    systems = " and ".join(SYSTEMS[system] for system in needs.written_by)
    now = _weigh(drive.rules, drive.filesystem, needs, drive.capacity_bytes)
    if not now.lacks:
        more = f" Note: {now.notes[0]}." if now.notes else ""
        return f"{drive.rules.name} is right for {shown(drive.label)} with {systems}. Leave it as it is.{more}"
    best = weigh(needs, drive.capacity_bytes)[0]
    words = f"{drive.rules.name} on {shown(drive.label)}: {'; '.join(now.lacks)}."
    if _gravity(best) >= _gravity(now):
        return f"{words} No other file system would do better for {systems}."
    name = rules_of(best.filesystem).name
    rest = f", although {'; '.join((*best.lacks, *best.notes))}" if best.lacks or best.notes else ""
    return f"{words} {name} would be better{rest}."


def steps_to_better(drive: Drive, needs: Needs, libraries: Sequence[Library], system: str) -> list[str]:
    """How to give a drive the file system that fits, step by step; none when it has it, or when none fits."""
    best = weigh(needs, drive.capacity_bytes)[0]
    if best.lacks or not _weigh(drive.rules, drive.filesystem, needs, drive.capacity_bytes).lacks:
        return []
    return how_to_format(drive, best.filesystem, libraries, system)


def how_to_format(drive: Drive, filesystem: str, libraries: Sequence[Library], system: str) -> list[str]:
    """Step by step with the system's own tool, beginning with what will be lost. Nuvik does none of this."""
    name, label = rules_of(filesystem).name, shown(drive.label)
    if drive.system:
        return [f"{label} holds the system and cannot be formatted while the computer runs from it."]
    steps = [f"{label} holds nothing that would be lost."]
    if drive.used_bytes:
        lost = f"Everything on {label} will be lost: {format_bytes(drive.used_bytes)}"
        if libraries:
            names = ", ".join(shown(library.name) for library in libraries[:_NAMED]) + (
                " …" if len(libraries) > _NAMED else ""
            )
            lost += f", including {format_count(len(libraries), 'library', 'libraries')} ({names})"
        keep = f"Move what you want to keep to another drive first and check it there (Plan: pick it up on {label})."
        steps = [f"{lost}.", keep]
    device = shown(drive.device) or "the drive"
    ways = {
        "linux": f"Open the system's disk program, choose {label} ({device}), check the size "
        f"({format_bytes(drive.capacity_bytes)}), choose “Format partition” and {name}.",
        "macos": f"Open Disk Utility, choose {label} ({device}), check the size "
        f"({format_bytes(drive.capacity_bytes)}), choose “Erase” and {name}.",
        "windows": f"Open File Explorer, right-click {label} ({device}), choose “Format…”, check the size "
        f"({format_bytes(drive.capacity_bytes)}) and choose {name}.",
    }
    again = f"Unplug {label} and plug it in again. Nuvik greets it as a new drive, since it has a new identity."
    return [*steps, ways[system], again]
