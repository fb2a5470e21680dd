"""Drives that are not what they were: grown, shrunk, or formatted since they were last seen."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence

from nuvik.core.model.drive import Drive
from nuvik.core.model.watching import DriveChange

_ALIKE = 0.02
"""Assumed: a volume that is made again in the same place has its old size to within 2 %."""


def resized(before: Sequence[Drive], now: Sequence[Drive]) -> Iterator[DriveChange]:
    """Attached drives whose size is not that of the last survey."""
    sizes = {drive.id: drive.capacity_bytes for drive in before}
    for drive in now:
        size = sizes.get(drive.id, 0)
        if drive.attached and size and abs(drive.capacity_bytes - size) > _ALIKE * size:
            yield DriveChange(drive=drive, bytes_before=size)


def formatted(drives: Sequence[Drive], new: Collection[str]) -> Iterator[DriveChange]:
    """Drives that are away while a new one (its id in `new`) has their disk and their size: the same place of the same
    device, or a disk of the same model and size.
    """
    for gone in drives:
        for drive in drives:
            if not gone.attached and drive.attached and drive.id in new and _same_disk(gone, drive):
                yield DriveChange(drive=gone, bytes_before=gone.capacity_bytes, now=drive)
                break


def _same_disk(gone: Drive, drive: Drive) -> bool:
    if abs(gone.capacity_bytes - drive.capacity_bytes) > _ALIKE * gone.capacity_bytes:
        return False
    if gone.model and drive.model and gone.model != drive.model:
        return False  # another disk in the same place: one of two sticks of a size
    known_model = bool(gone.model) and bool(gone.disk_bytes)
    same_model = known_model and (gone.model, gone.disk_bytes) == (drive.model, drive.disk_bytes)
    return same_model or (bool(gone.device) and (gone.device, gone.path) == (drive.device, drive.path))
