"""The sidecar of a move's own folder: what Nuvik left there, in enough detail to end the move without the journal.

A journal may be lost, or the drive be on another computer by now. So each incoming and held folder says in `about.json`
which library it belongs to, between which volumes it is moved, how far that had got, and what the original held.
"""

from __future__ import annotations

import json
import os
import platform
import stat
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from operator import attrgetter

import xxhash

from nuvik.core.hosts.files import Files
from nuvik.core.model.clock import now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import Refused
from nuvik.core.model.inventory import EntryRecord, plain_kind
from nuvik.core.model.journal import Move
from nuvik.core.store.json_codec import from_json, to_json

ABOUT = "about.json"
FORMAT = "nuvik-aside/2"
_LONGEST_BYTES = 1 << 20
"""A longer one is none of Nuvik's."""
_SAYS = {
    "incoming": "Nuvik is copying a library to this drive. The original is untouched until the copy is proven.",
    "held": "The original of a library that Nuvik moved, kept until it is released. Please do not change it.",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class VolumeName:
    """By what a volume is recognised on any computer."""

    identity: str
    """The file system's own identity; empty where it has none."""
    label: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Holding:
    """What a library held when it was copied."""

    entries: int
    files: int
    bytes: int
    checksum: str
    """Over every entry: its path, kind, size, marks, and the checksum of its contents."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Sidecar:
    """What an incoming or held folder says of itself."""

    role: str
    """incoming or held."""
    says: str
    computer: str
    written_at: str
    source_volume: VolumeName
    target_volume: VolumeName
    move: Move
    """The move as it stood then: its state, and its two places."""
    holding: Holding | None = None
    """Of a held folder."""


def sidecar_of(move: Move, role: str, drives: Mapping[str, Drive], entries: Iterable[EntryRecord] = ()) -> Sidecar:
    """The sidecar that a move's folder is to have now; with the `entries` of the journal for a held one."""
    return Sidecar(
        role=role,
        says=_SAYS[role],
        computer=platform.node(),
        written_at=now_text(),
        source_volume=_name_of(drives.get(move.source_drive), move.source_drive),
        target_volume=_name_of(drives.get(move.target_drive), move.target_drive),
        move=move,
        holding=holding_of(entries) if role == "held" else None,
    )


def _name_of(drive: Drive | None, drive_id: str) -> VolumeName:
    return VolumeName(identity=drive.identity, label=drive.label) if drive else VolumeName(identity="", label=drive_id)


def holding_of(entries: Iterable[EntryRecord]) -> Holding:
    """What these entries amount to."""
    checksum, held = xxhash.xxh3_128(), sorted(entries, key=attrgetter("path"))
    for first in range(0, len(held), _SUMMED_AT_ONCE):
        words = map(_SUMMED_UP, held[first : first + _SUMMED_AT_ONCE])
        checksum.update(os.fsencode("".join(map(repr, words))))
    return Holding(
        entries=len(held),
        files=sum(plain_kind(entry) == "file" for entry in held),
        bytes=sum(entry.size for entry in held if entry.kind == "file"),
        checksum=checksum.hexdigest(),
    )


_SUMMED_AT_ONCE = 1_000
_SUMMED_UP = attrgetter("path", "kind", "size", "mode", "user", "group", "changed_ns", "link", "checksum", "attributes")


def sidecar_text(sidecar: Sidecar) -> str:
    """As it is written into the folder."""
    return json.dumps({"format": FORMAT, **to_json(sidecar)}, indent=2) + "\n"


def read_sidecar(files: Files, folder: str) -> Sidecar | None:
    """What an incoming or held folder says of itself; None when it says nothing that can be understood."""
    about = os.path.join(folder, ABOUT)
    try:
        facts = files.facts(about)
        if not stat.S_ISREG(facts.st_mode) or facts.st_size > _LONGEST_BYTES:
            return None
        data = json.loads(files.read_text(about))
        if not isinstance(data, dict) or data.pop("format", None) != FORMAT:
            return None
        return from_json(Sidecar, data, about)
    except (OSError, ValueError, RecursionError, Refused):
        return None
