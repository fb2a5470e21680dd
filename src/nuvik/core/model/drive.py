"""A drive: one volume that holds files, with what is known of its room and its speed."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.filesystems import FileSystem, rules_of
from nuvik.core.model.paths import PathText

REFERENCE_SEQUENTIAL_BYTES = 1_000_000_000
REFERENCE_SMALL_READS = 1_000

DEFAULT_HEADROOM_SHARE = 0.10
"""Assumed where the user asked for nothing: a tenth of the drive stays free, so that the system can work
and a chip drive keeps spare cells for its own housekeeping."""


class Tier(StrEnum):
    """A drive's class by felt load."""

    RAPID = "rapid"
    BRISK = "brisk"
    STEADY = "steady"
    SLOW = "slow"


def felt_load_s(read_bytes_per_s: float, small_reads_per_s: float) -> float:
    """Seconds to read the fixed reference mix (1 GB in sequence and 1,000 small reads)."""
    return REFERENCE_SEQUENTIAL_BYTES / read_bytes_per_s + REFERENCE_SMALL_READS / small_reads_per_s


def tier_of(load_s: float) -> Tier:
    """The class of a felt load: rapid below 1 s, brisk to 5 s, steady to 25 s, slow beyond."""
    if load_s < 1:
        return Tier.RAPID
    if load_s < 5:
        return Tier.BRISK
    return Tier.STEADY if load_s <= 25 else Tier.SLOW


@dataclass(frozen=True, slots=True, kw_only=True)
class Drive:
    """One volume of this computer. Sizes are bytes, speeds bytes per second."""

    id: str
    label: str
    path: PathText
    """Where its files begin: the mount point, or the stand-in folder."""
    medium: str
    """nvme, ssd, hdd, flash, or unknown."""
    link: str
    """What it hangs on: `pcie-3x4`, `sata-6g`, `usb-3.2-gen1`, or unknown."""
    filesystem: str
    cluster_bytes: int
    """Files take whole clusters; in a stand-in world a file takes exactly its length."""
    portable: bool
    attached: bool
    """False when a portable drive is away: then its sizes are those last seen."""
    system: bool
    capacity_bytes: int
    usable_bytes: int
    used_bytes: int
    headroom_bytes: int
    """What must stay free."""
    read_bytes_per_s: float
    write_bytes_per_s: float
    small_reads_per_s: float
    sustained_write_bytes_per_s: float | None = None
    """The write speed once `burst_bytes` were written without a pause; None when it does not drop."""
    burst_bytes: int | None = None
    speed_source: str = "typical"
    """measured, declared or typical."""
    base_path: PathText = ""
    """Where Nuvik puts libraries on this drive: its path, or home on the system's own drive."""
    disk: str = ""
    """The physical disk; volumes that share one share its speed."""

    @property
    def free_bytes(self) -> int:
        return max(0, self.usable_bytes - self.used_bytes)

    @property
    def felt_load_s(self) -> float:
        return felt_load_s(self.read_bytes_per_s, self.small_reads_per_s)

    @property
    def tier(self) -> Tier:
        return tier_of(self.felt_load_s)

    @property
    def rules(self) -> FileSystem:
        return rules_of(self.filesystem)

    @property
    def short_of_headroom_bytes(self) -> int:
        """How much more must become free before the headroom is kept; 0 when it is."""
        return max(0, self.headroom_bytes - self.free_bytes) if self.attached else 0

    def shares_disk_with(self, other: Drive) -> bool:
        return self.id == other.id or (bool(self.disk) and self.disk == other.disk)


def find_drive(drives: tuple[Drive, ...], wanted: str) -> Drive | None:
    """The drive with this id, label or path; letters' case does not matter for the first two."""
    folded = wanted.casefold()
    for drive in drives:
        if folded in (drive.id.casefold(), drive.label.casefold()) or wanted == drive.path:
            return drive
    return None
