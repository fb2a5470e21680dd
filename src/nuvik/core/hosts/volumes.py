"""Volumes as a system tells of them, before they are drives: the value that every system's parser gives.

A parser is pure: it takes what the system's tools printed and gives `Listing`. What only the mounted volume itself
can say (how much is used) is asked by the local host.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any

MOUNTED, LOCKED, NOT_MOUNTED = "mounted", "locked", "not mounted"
FUSE_REMOTE = "fuse.remote"
"""Stands for every file system in user space whose source is `host:path` or `name:`, whatever program serves it."""
NETWORK_FILESYSTEMS = frozenset(
    ["nfs", "nfs4", "cifs", "smb3", "smbfs", "afpfs", "webdav", "9p", "ceph", "glusterfs", FUSE_REMOTE]
)
IMAGE_FILESYSTEMS = frozenset(["squashfs", "iso9660", "udf", "erofs", "cramfs", "cd9660"])
"""Made once and only read: a disc in its drive, or a program in one file. Nothing can be moved there."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Disk:
    """A physical disk."""

    name: str
    bytes: int | None = None
    model: str = ""
    medium: str = "unknown"
    link: str = "unknown"
    best_link: str = "unknown"
    portable: bool = False


@dataclass(frozen=True, slots=True)
class Mount:
    """A place where a volume is mounted."""

    point: str
    root: str = "/"
    """The folder of the volume that is seen there: not its own root for a sub-volume or a bind mount."""
    number: int | None = None
    """The mount's number in the system's table."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Volume:
    """A volume. Unknown texts are empty, unknown sizes None."""

    device: str
    """The system's short name for it: `sda1`, `disk3s5`, `C:`."""
    filesystem: str
    mount_points: tuple[str, ...] = ()
    """The main one first."""
    trees: tuple[str, ...] = ()
    """The mount points that show different parts of the volume (sub-volumes); empty: the main one shows all."""
    mounts: tuple[Mount, ...] = ()
    """Where it is mounted, as far as more is known of that than the points."""
    label: str = ""
    uuid: str = ""
    bytes: int | None = None
    disks: tuple[Disk, ...] = ()
    read_only: bool = False
    state: str = MOUNTED
    pool: str = ""
    used_bytes: int | None = None
    """Only where the mounted volume itself does not say (a container's volumes each say their own)."""
    free_bytes: int | None = None
    cluster_bytes: int | None = None
    findings: tuple[str, ...] = ()

    @property
    def network(self) -> bool:
        return self.filesystem in NETWORK_FILESYSTEMS


@dataclass(frozen=True, slots=True, kw_only=True)
class Listing:
    """Everything a system reported."""

    volumes: tuple[Volume, ...]
    findings: tuple[str, ...] = field(default=())
    """What went wrong with asking: a tool that is missing, or printed something else than it should."""


def identifier_for(label: str, taken: set[str]) -> str:
    """A short name for a drive that no other carries: `kestrel`, `kestrel-2`."""
    stem = re.sub(r"[^a-z0-9]+", "-", label.lower()).strip("-") or "drive"
    name, number = stem, 1
    while name in taken:
        number += 1
        name = f"{stem}-{number}"
    return name


def shown_text(value: object) -> str:
    """A field of a tool's answer as clean text; anything that is no text becomes empty."""
    return " ".join(value.split()) if isinstance(value, str) else ""


def whole_number(value: object) -> int | None:
    """A field of a tool's answer as a size; None for anything that is no whole number of bytes."""
    if isinstance(value, bool):
        return None
    if isinstance(value, str) and value.strip().isdecimal():
        value = int(value)
    return value if isinstance(value, int) and value >= 0 else None


def entries(value: object) -> list[dict[str, Any]]:
    """The records in a field that should be a list of them; one record alone counts, anything else is passed over."""
    many = value if isinstance(value, list) else [value]
    return [entry for entry in many if isinstance(entry, dict)]


def texts(value: object) -> list[str]:
    """The texts in a field that should be a list of them, as they are; anything else is passed over."""
    many = value if isinstance(value, list) else [value]
    return [text for text in many if isinstance(text, str) and text]
