"""Drives and surveys as others read them, in JSON that commands print and exports hold.

The model may change from version to version; what these say of it stays.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any

from nuvik.core.model.drive import Drive, Tier
from nuvik.core.model.library import Library
from nuvik.core.model.paths import PathText
from nuvik.core.model.snapshot import LargeFile, LooseFolder, Problem, SmallThings, Snapshot


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveDocument:
    """A drive: one volume of the computer. What an away drive holds now is not known, and null."""

    id: str
    """By which it is known to all commands."""
    label: str
    """What users call it."""
    path: PathText
    """Where its files begin: its mount point."""
    also_at: tuple[PathText, ...]
    """Further places where the same volume is mounted."""
    medium: str
    """nvme, ssd, hdd, flash, network, or unknown."""
    model: str
    """What the maker calls the disk; empty where that is not known."""
    link: str
    """How it is connected: `pcie-3x4`, `sata-6g`, `usb-3.2-gen1` …, or unknown."""
    best_link: str
    """The fastest connection that the drive itself could use."""
    filesystem: str
    """As the system names it."""
    identity: str
    """The file system's own identity, by which the drive is recognised under any name or mount point."""
    disk: str
    """The physical disk; drives that share one share its speed."""
    pool: str
    """The container whose drives share one free space; empty where there is none."""
    portable: bool
    """Whether it is sometimes unplugged."""
    attached: bool
    """False while it is away: then its capacity is that last seen."""
    system: bool
    """Whether the operating system is on it."""
    read_only: bool
    """Whether nothing can be written to it."""
    capacity_bytes: int
    """The size of the volume."""
    usable_bytes: int
    """What users may fill of it."""
    used_bytes: int | None
    """What is in use of that."""
    free_bytes: int | None
    """What is free of that."""
    headroom_bytes: int
    """What should stay free."""
    cluster_bytes: int
    """Files take whole clusters of this size."""
    read_bytes_per_s: float
    """How fast it reads one long file."""
    write_bytes_per_s: float
    """How fast it writes one long file."""
    sustained_write_bytes_per_s: float | None
    """How fast it goes on writing after `burst_bytes`; null when it does not slow down, or nobody knows."""
    burst_bytes: int | None
    """What it writes in one go before it slows down."""
    small_reads_per_s: float
    """How many small reads anywhere it does."""
    speed_source: str
    """How reading is known: measured, declared or typical of its class."""
    write_source: str
    """How writing is known: measured, declared or typical of its class."""
    gauged_at: str | None
    """When it was measured."""
    speed_spread: float | None
    """How far the passes of that measurement lay apart, as a share of their middle."""
    through_cache: bool
    """Whether it could only be measured through the system's cache, which may flatter it."""
    temperature_c: float | None
    """Its temperature, where it tells."""
    felt_load_s: float
    """Reading a fixed mix of 1 GB in one go and 1,000 small reads."""
    tier: Tier
    """Its class by felt load: rapid, brisk, steady or slow."""
    welcomes: tuple[str, ...]
    """The kinds of library that users want on it; empty: all."""
    target_template: str
    """Where libraries go on it; empty: the usual place."""
    findings: tuple[str, ...]
    """What is wrong with it or not known of it, each in one sentence."""

    @classmethod
    def of(cls, drive: Drive, findings: tuple[str, ...] | None = None) -> DriveDocument:
        """The document of a drive, with what is to be known of it besides what it says itself."""
        data: dict[str, Any] = {field.name: getattr(drive, field.name) for field in fields(cls)}
        if not drive.attached:
            data |= {"used_bytes": None, "free_bytes": None}
        return cls(**data | {"findings": drive.findings if findings is None else findings})


@dataclass(frozen=True, slots=True, kw_only=True)
class DrivesDocument:
    """The drives of a computer, fastest first."""

    drives: tuple[DriveDocument, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class SurveyDocument:
    """Drives and libraries as they stood at one moment."""

    taken_at: str
    """When the survey ended."""
    complete: bool
    """False when it was stopped: then libraries may be missing or too small."""
    drives: tuple[DriveDocument, ...]
    libraries: tuple[Library, ...]
    """Largest first."""
    small_things: tuple[SmallThings, ...]
    """By drive: folders that are too small to be libraries."""
    loose: tuple[LooseFolder, ...]
    """Folders with data that is in no library, largest first."""
    large_files: tuple[LargeFile, ...]
    """The largest files, largest first."""
    problems: tuple[Problem, ...]
    """What could not be read."""

    @classmethod
    def of(cls, snapshot: Snapshot, libraries: tuple[Library, ...] | None = None) -> SurveyDocument:
        """The document of a survey, or of some of its libraries."""
        data: dict[str, Any] = {field.name: getattr(snapshot, field.name) for field in fields(cls)}
        drives = tuple(DriveDocument.of(drive) for drive in snapshot.drives)
        chosen = snapshot.libraries if libraries is None else libraries
        return cls(**data | {"drives": drives, "libraries": chosen})
