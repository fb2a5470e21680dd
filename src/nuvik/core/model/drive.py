"""A drive: one volume that holds files, with what is known of its room and its speed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

from nuvik.core.model.filesystems import FileSystem, rules_of
from nuvik.core.model.links import Link, link_of
from nuvik.core.model.media import Medium, medium_of
from nuvik.core.model.paths import PathText, is_within
from nuvik.core.model.units import format_bytes

REFERENCE_SEQUENTIAL_BYTES = 1_000_000_000
REFERENCE_SMALL_READS = 1_000

DEFAULT_HEADROOM_SHARE = 0.10
"""Assumed where the user asked for nothing: a tenth of the drive stays free, so that the system can work
and a chip drive keeps spare cells for its own housekeeping."""

TYPICAL_DOUBT = 2.0
"""Assumed: what a drive really does lies within half and twice what is typical of its class."""
LEAST_SPREAD = 0.05
"""Assumed: however steady its passes were, a drive does not read alike on all days to better than this."""

FILES_AT_ONCE = 4
"""On drives of chips; assumed: their makers state speeds for 32 at once, and a few keep them busy."""
NO_PLATTERS_PER_S = 600.0
"""Small reads a second that platters do not reach: half a turn at 15,000 turns a minute takes 2 ms, seeking aside."""


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
    """A volume of this computer. Sizes are bytes, speeds bytes per second."""

    id: str
    label: str
    path: PathText
    """Where its files begin: the mount point, or the stand-in folder."""
    medium: str
    """nvme, ssd, hdd, flash, network, or unknown."""
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
    """How reading and small reads are known: measured, declared or typical."""
    write_source: str = "typical"
    """How writing is known: it is not measured on a drive that is not writable."""
    gauged_at: str | None = None
    """When the speeds were measured."""
    speed_spread: float | None = None
    """How far the passes of that measurement lay apart: (highest - lowest) / middle of the least steady figure."""
    through_cache: bool = False
    """The measurement could not pass over the system's cache: the figures may flatter the drive."""
    base_path: PathText = ""
    """Where Nuvik puts libraries on this drive: its path, or home on the drive that holds it."""
    no_place: str = ""
    """Why nothing can be put on it although it could be written to, as the end of a sentence; empty when it can."""
    disk: str = ""
    """The physical disk, or several joined by `+`; volumes that share one share its speed."""
    pool: str = ""
    """The container whose volumes share one free space; moving between them frees nothing."""
    also_at: tuple[PathText, ...] = ()
    """Further places where the same volume is mounted."""
    identity: str = ""
    """The file system's own identity: by it a drive is recognised under any name, letter or mount point."""
    model: str = ""
    """What the maker calls the disk, as the disk tells it."""
    device: str = ""
    """The system's name for the volume, as its traffic counters have it."""
    disk_bytes: int | None = None
    """What the maker's label says of the whole disk."""
    filesystem_bytes: int | None = None
    """What the file system offers in all, its reserve for the system included."""
    best_link: str = "unknown"
    """The fastest link that the drive itself could use, where it tells that."""
    read_only: bool = False
    copy_of: str = ""
    """Another attached drive with the same identity, by its label: which is which is not known for sure."""
    counts_lengths: bool = False
    """A file takes exactly its length, as on the drives of a stand-in world."""
    target_template: str = ""
    """Where libraries go on it, below `base_path`; empty: the usual place (`planning.targets`)."""
    temperature_c: float | None = None
    welcomes: tuple[str, ...] = ()
    """The kinds of library that the user wants here; empty: all."""
    findings: tuple[str, ...] = ()
    """What is wrong with it or not known of it, each in one sentence."""

    @property
    def free_bytes(self) -> int:
        return max(0, self.usable_bytes - self.used_bytes)

    @property
    def read_doubt(self) -> float:
        """By what factor its real reading may be faster or slower than stated: 1 where it was declared."""
        if self.speed_source == "measured":
            return 1 + max(LEAST_SPREAD, self.speed_spread or 0.0) / 2
        return TYPICAL_DOUBT if self.speed_source == "typical" else 1.0

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
    def takes_new(self) -> bool:
        """Whether anything can be put on it now."""
        return self.attached and not self.read_only and not self.no_place

    @property
    def short_of_headroom_bytes(self) -> int:
        """How much more must become free before the headroom is kept; 0 when it is."""
        return max(0, self.headroom_bytes - self.free_bytes) if self.attached else 0

    @property
    def why_away(self) -> str:
        """Why a drive that is not attached cannot be used now, and what to do: unplugged, locked, hanging …"""
        return self.findings[0] if self.findings else "away: attach it to see what is on it"

    @property
    def medium_class(self) -> Medium:
        return medium_of(self.medium)

    @property
    def link_standard(self) -> Link | None:
        """The standard of its link; None where that is not known."""
        return link_of(self.link)

    @property
    def files_at_once(self) -> int:
        """How many small files may be read or written at once: the heads of a disk with platters would run to and fro.
        Where the system does not tell what it is, a measurement may.
        """
        chips = self.medium in ("nvme", "ssd", "flash")
        measured = self.medium == "unknown" and self.speed_source == "measured"
        return FILES_AT_ONCE if chips or (measured and self.small_reads_per_s > NO_PLATTERS_PER_S) else 1

    @property
    def slows_down_below_bytes(self) -> int:
        """With less free than this a drive of its class works noticeably slower."""
        return int(self.usable_bytes * self.medium_class.slow_below_free_share)

    def holds(self, path: str) -> str | None:
        """The mount point of this drive below which a normalised path lies; None when it lies elsewhere."""
        above = [place for place in (self.path, *self.also_at) if is_within(path, place)]
        return max(above, key=len, default=None)

    def shares_disk_with(self, other: Drive) -> bool:
        """Whether both lie on one physical disk: then they take turns, and fail together."""
        mine, theirs = set(self.disk.split("+")), set(other.disk.split("+"))
        return self.id == other.id or bool((mine & theirs) - {""})

    def shares_space_with(self, other: Drive) -> bool:
        """Whether both share their free space."""
        return self.id == other.id or (bool(self.pool) and self.pool == other.pool)


def find_drive(drives: tuple[Drive, ...], wanted: str) -> Drive | None:
    """The drive with this id, else label, else path; letters' case does not matter for the first two."""
    folded = wanted.casefold()
    for drive in drives:
        if drive.id.casefold() == folded:
            return drive
    return next((drive for drive in drives if drive.label.casefold() == folded or drive.path == wanted), None)


def of_one_name(drives: Iterable[Drive], wanted: str) -> list[Drive]:
    """The drives that carry this label as they came: a maker names all its sticks alike."""
    return [drive for drive in drives if drive.label.casefold() == wanted.casefold()]


def labels_apart(drives: Iterable[Drive]) -> tuple[Drive, ...]:
    """The drives, those of one label told apart by their size, else by where they are mounted, else by their id."""
    drives = tuple(drives)
    names = {drive.id: drive.label for drive in drives}
    for label in {drive.label.casefold() for drive in drives}:
        alike = of_one_name(drives, label)
        for tell in (
            lambda drive: format_bytes(drive.capacity_bytes),
            lambda drive: drive.path,
            lambda drive: drive.id,
        ):
            if len(alike) > 1 and len({tell(drive) for drive in alike}) == len(alike):
                names |= {drive.id: f"{drive.label} ({tell(drive)})" for drive in alike}
                break
    return tuple(replace(drive, label=names[drive.id]) for drive in drives)
