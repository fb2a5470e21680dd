"""Capacity explained: what the label says, what can be used, and where the rest went."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.units import Base, format_bytes, format_bytes_apart, preferred

_TOO_LITTLE_TO_TELL = 0.001


@dataclass(frozen=True, slots=True, kw_only=True)
class Capacity:
    """A drive's figures, in bytes; from the label down they only lose."""

    label_bytes: int
    """What the maker's label says of the whole disk."""
    other_volumes_bytes: int
    """Of the disk, what belongs to other volumes or to none."""
    tables_bytes: int
    """Of the volume, what the file system keeps for its own tables."""
    reserved_bytes: int
    """Of the file system, what the system keeps for itself."""
    libraries_bytes: int
    other_bytes: int
    free_bytes: int
    headroom_bytes: int

    @property
    def usable_bytes(self) -> int:
        return self.libraries_bytes + self.other_bytes + self.free_bytes


def capacity_of(drive: Drive, libraries_bytes: int) -> Capacity:
    """The figures of a drive on which libraries take so many bytes."""
    label = drive.disk_bytes or drive.capacity_bytes
    offered = drive.filesystem_bytes or drive.usable_bytes
    libraries_bytes = min(libraries_bytes, drive.used_bytes)
    return Capacity(
        label_bytes=label,
        other_volumes_bytes=max(0, label - drive.capacity_bytes),
        tables_bytes=max(0, drive.capacity_bytes - offered),
        reserved_bytes=max(0, offered - drive.usable_bytes),
        libraries_bytes=libraries_bytes,
        other_bytes=drive.used_bytes - libraries_bytes,
        free_bytes=drive.free_bytes,
        headroom_bytes=drive.headroom_bytes,
    )


def where_the_rest_went(capacity: Capacity) -> str:
    """A line from the label's figure to what can be used."""
    words = f"The label says {format_bytes(capacity.label_bytes, Base.DECIMAL)}"
    if preferred() is Base.BINARY:
        words += f", which is {format_bytes(capacity.label_bytes)}, since makers count in thousands"
    least = capacity.label_bytes * _TOO_LITTLE_TO_TELL
    parts = [
        f"{format_bytes(size)} {what}"
        for size, what in (
            (capacity.other_volumes_bytes, "for other volumes of the disk"),
            (capacity.tables_bytes, "for the file system's own tables"),
            (capacity.reserved_bytes, "reserved by the system"),
        )
        if size > least
    ]
    if not parts:
        return f"{words}, all of which you can use."
    return f"{words}; {', '.join(parts)}; {format_bytes(capacity.usable_bytes)} are left for you."


def how_full(drive: Drive) -> str | None:
    """Why a drive counts as nearly full, as the end of a sentence; None when it does not.

    Judged by the headroom that was asked for, and by how full a drive of its class may be before it slows down.
    """
    if not drive.attached:
        return None
    if drive.short_of_headroom_bytes:
        free, wanted = format_bytes_apart(drive.free_bytes, drive.headroom_bytes)
        return f"{free} free; {wanted} should stay free"
    if drive.free_bytes < drive.slows_down_below_bytes:
        share = 100 * drive.free_bytes / drive.usable_bytes
        return f"{format_bytes(drive.free_bytes)} free ({share:.0f} %): {drive.medium_class.why_slow}"
    return None
