"""An inventory: every single entry of one library, in enough detail to copy it, prove it and put it back."""

from __future__ import annotations

import json
from base64 import b64decode, b64encode
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import NamedTuple


class Withheld(NamedTuple):
    """The marks of an original that its copy could not be given, kept for the way back."""

    attributes: Mapping[str, bytes]
    """Extended attributes, access lists and capabilities among them."""
    marks: tuple[str, ...]
    """group or time."""
    changed_ns: int | None = None
    """The time that the copy has instead of its own."""

    def __bool__(self) -> bool:
        return bool(self.attributes or self.marks) or self.changed_ns is not None

    def to_text(self) -> str | None:
        """As the journal has it; None for nothing."""
        if not self:
            return None
        encoded = {name: b64encode(value).decode("ascii") for name, value in self.attributes.items()}
        return json.dumps({"attributes": encoded, "marks": self.marks, "changed_ns": self.changed_ns})

    @classmethod
    def from_text(cls, text: str | None) -> Withheld:
        if text is None:
            return NOTHING_WITHHELD
        data = json.loads(text)
        values = {name: b64decode(value) for name, value in data["attributes"].items()}
        return cls(values, tuple(data["marks"]), data["changed_ns"])


NOTHING_WITHHELD = Withheld({}, ())


class EntryRecord(NamedTuple):
    """A file, folder or link of a library as it was when it was copied. Times are nanoseconds.

    A library may have a million of them, so they are tuples: those are made ten times as quickly as other values.
    """

    path: str
    """Relative to the library; empty for the library itself."""
    kind: str
    """file, folder, link or hard-link."""
    size: int
    mode: int
    user: int
    group: int
    accessed_ns: int
    changed_ns: int
    altered_ns: int
    """When the system last changed anything of it (ctime): a write that keeps the other times still shows here."""
    inode: str
    link: str | None = None
    """Where a link leads, as written in it; for a hard link, the entry whose contents it shares."""
    carried_link: str | None = None
    """What the copied link says, where that had to differ."""
    checksum: str | None = None
    attributes: str | None = None
    """The checksum of its extended attributes when it was copied; None for none."""
    proven: bool = False
    withheld: str | None = None
    """What the copy could not be given, as `Withheld` writes it; None for nothing."""

    # Both are done for every file of a library, and take half the time of `_replace`.

    def copied(self, checksum: str) -> EntryRecord:
        """The same, its contents having been copied."""
        return EntryRecord._make((*self[:_CHECKSUM], checksum, self.attributes, False, self.withheld))

    def read_back(self) -> EntryRecord:
        """The same, its copy having come back from the medium as it should."""
        return EntryRecord._make((*self[:_CHECKSUM], self.checksum, self.attributes, True, self.withheld))

    @property
    def copied_ns(self) -> int:
        """The time of change that the copy was given."""
        if self.withheld is None:
            return self.changed_ns
        instead_ns = Withheld.from_text(self.withheld).changed_ns
        return self.changed_ns if instead_ns is None else instead_ns

    def same_as(self, other: EntryRecord) -> bool:
        """Whether nothing of the original changed between the two looks."""
        return self[:_CARRIED_LINK] == other[:_CARRIED_LINK] or (  # to the last digit, as nearly all are
            self.kind == other.kind
            and self.size == other.size
            and self.mode == other.mode
            and self.link == other.link
            and self.inode == other.inode
            and (self.kind == "folder" or self.changed_ns == other.changed_ns)
            and (self.kind != "file" or self.altered_ns == other.altered_ns)
        )


_CARRIED_LINK, _CHECKSUM = (EntryRecord._fields.index(name) for name in ("carried_link", "checksum"))
_COARSER_NS = (100, 1_000, 1_000_000, 1_000_000_000)


def is_same_time(copied_ns: int, original_ns: int, step_ns: int) -> bool:
    """Whether a copy has the time of its original, as its file system keeps times: in the steps of its kind, or in
    coarser ones that show by a round figure (ext4 with small inodes keeps whole seconds).
    """
    apart = abs(copied_ns - original_ns)
    return apart <= step_ns or any(apart < step and copied_ns % step == 0 for step in _COARSER_NS)


def plain_kind(entry: EntryRecord) -> str:
    """Its kind, whatever other names it has: file, folder or link."""
    return "file" if entry.kind == "hard-link" else entry.kind


@dataclass(slots=True)
class Inventory:
    """The entries of a library, folders before what they hold."""

    root: str
    entries: dict[str, EntryRecord] = field(default_factory=dict)
    """By path relative to the root; the root itself is the empty path."""
    unreadable: list[tuple[str, str]] = field(default_factory=list)
    """Full path and the system's error message."""
    special: list[tuple[str, str]] = field(default_factory=list)
    """Relative path and what it is: things that are no file, folder or link."""
    linked_outside: list[str] = field(default_factory=list)
    """Files that have another name (hard link) outside the library."""
    hole_bytes: int = 0
    """By how much the files are longer than what they hold on the disk."""

    @property
    def sizes(self) -> list[int]:
        """The lengths of the files, each content once."""
        return [entry.size for entry in self.entries.values() if entry.kind == "file"]

    @property
    def bytes(self) -> int:
        return sum(self.sizes)

    @property
    def files(self) -> int:
        return sum(entry.kind in ("file", "hard-link") for entry in self.entries.values())
