"""Twins: large files that seem to lie on two drives, as when somebody copied by hand and forgot the original.

They are only listed: Nuvik never removes any.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from nuvik.core.hosts.base import Host
from nuvik.core.hosts.checksum import Checksum
from nuvik.core.hosts.file_contents import open_for_reading
from nuvik.core.model.progress import Stop
from nuvik.core.model.snapshot import LargeFile, Snapshot

_SAMPLE_BYTES = 1 << 16


@dataclass(frozen=True, slots=True)
class Twins:
    """Files of one content on different drives."""

    bytes: int
    """Of one of them."""
    files: tuple[LargeFile, ...]

    @property
    def spare_bytes(self) -> int:
        """What all but one take."""
        return self.bytes * (len(self.files) - 1)


Reading = Callable[[LargeFile, int, int], None]
"""Called with the file being read, and how many bytes of how many are read."""


def find_twins(
    host: Host, snapshot: Snapshot, report: Reading = lambda file, done, total: None, stop: Stop | None = None
) -> list[Twins]:
    """Large files with the same size and checksum on different drives, the most spare bytes first.

    Both ends are compared first, so that few files are read whole. A file that cannot be read is passed over.
    Raises StopRequested.
    """
    here = {drive.id for drive in snapshot.drives if drive.attached}
    groups: list[list[LargeFile]] = []
    for group in _grouped(snapshot.large_files, lambda file: file.bytes):
        groups += _grouped([file for file in group if file.drive in here], lambda file: _ends(host, file))
    total, done = sum(file.bytes for group in groups for file in group), 0
    all_twins = []
    for group in groups:
        sums: dict[LargeFile, object] = {}
        for file in group:
            report(file, done, total)
            sums[file] = _whole(host, file, stop)
            done += file.bytes
        for same in _grouped(group, sums.__getitem__):
            all_twins.append(Twins(same[0].bytes, tuple(sorted(same, key=lambda file: (file.drive, file.path)))))
    return sorted(all_twins, key=lambda twins: (-twins.spare_bytes, twins.files[0].path))


def _grouped(files: Sequence[LargeFile], key: Callable[[LargeFile], object]) -> list[list[LargeFile]]:
    """Those alike that lie on more than one drive."""
    groups: dict[object, list[LargeFile]] = {}
    for file in files:
        value = key(file)
        if value is not None:
            groups.setdefault(value, []).append(file)
    return [group for group in groups.values() if len({file.drive for file in group}) > 1]


def _ends(host: Host, file: LargeFile) -> object:
    """The first and last bytes, or None where it cannot be read or is no longer what the survey saw."""
    try:
        host.files.hook.before("look", file.path)
        descriptor, _ = open_for_reading(file.path, past_cache=False)  # which leaves the access time alone
        try:
            if os.fstat(descriptor).st_size != file.bytes:
                return None
            first = os.read(descriptor, _SAMPLE_BYTES)
            os.lseek(descriptor, max(0, file.bytes - _SAMPLE_BYTES), os.SEEK_SET)
            return (file.bytes, first, os.read(descriptor, _SAMPLE_BYTES))
        finally:
            os.close(descriptor)
    except OSError:
        return None


def _whole(host: Host, file: LargeFile, stop: Stop | None) -> object:
    checksum = Checksum()
    try:
        for block in host.files.blocks(file.path):
            if stop is not None:
                stop.check()
            checksum.add(block)
    except OSError:
        return None
    return checksum.hex()
