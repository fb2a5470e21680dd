"""How fast a drive really works through a job: the one pacing model that worlds and rehearsals share."""

from __future__ import annotations

from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive

NAMES_AT_ONCE = 8
"""Assumed: file systems write names in batches, so that eight are made or removed in the time of one small read."""
BURST_RECOVERY_S = 30.0
"""Assumed: a chip drive's quick buffer is empty again after half a minute without writing."""


@dataclass(slots=True)
class WritePace:
    """A drive while it is written to: quick until its buffer is full, then at its sustained speed."""

    drive: Drive
    burst_used_bytes: int = 0
    last_write_s: float = float("-inf")

    def seconds_for(self, count_bytes: int, now_s: float) -> float:
        """Seconds to write `count_bytes` from `now_s` on; remembers them."""
        if now_s - self.last_write_s >= BURST_RECOVERY_S:
            self.burst_used_bytes = 0
        drive = self.drive
        quick = count_bytes
        if drive.sustained_write_bytes_per_s and drive.burst_bytes is not None:
            quick = min(count_bytes, max(0, drive.burst_bytes - self.burst_used_bytes))
        seconds = quick / drive.write_bytes_per_s
        if quick < count_bytes:
            seconds += (count_bytes - quick) / (drive.sustained_write_bytes_per_s or drive.write_bytes_per_s)
        self.burst_used_bytes += count_bytes
        self.last_write_s = now_s + seconds
        return seconds


def read_seconds(drive: Drive, count_bytes: int, files: int) -> float:
    """Seconds to read files in sequence: their bytes, and one small read to find each of them."""
    return count_bytes / drive.read_bytes_per_s + find_seconds(drive, files)


def find_seconds(drive: Drive, files: int) -> float:
    """Seconds to find files, a small read for each."""
    return files / drive.small_reads_per_s


def per_file_seconds(drive: Drive, files: int) -> float:
    """Seconds to make or remove the names of files."""
    return files / (drive.small_reads_per_s * NAMES_AT_ONCE)


@dataclass(frozen=True, slots=True)
class Pace:
    """What this computer adds to the drives' own times; nothing in a stand-in world, whose clock knows only drives.

    The seconds a file are assumed until moves were carried: `hosts.pace` says where they come from.
    """

    copy_s_a_file: float = 0.0
    """To find, make, mark and note each file while copying."""
    prove_s_a_file: float = 0.0
    look_s_a_file: float = 0.0
    """To look again whether anything changed, before and after the switch."""
    release_s_a_file: float = 0.0
    files_factor: float = 1.0
    """By this what the drives take for each file is multiplied: files that were written together are found quicker than
    by a small read for each.
    """
    held_back_bytes: int = 0
    """So much that is written the system takes into its memory before it begins to bring it to the drive."""

    def working(self, factor: float) -> Pace:
        """The same with every file taking so many times as long."""
        return replace(
            self,
            copy_s_a_file=self.copy_s_a_file * factor,
            prove_s_a_file=self.prove_s_a_file * factor,
            look_s_a_file=self.look_s_a_file * factor,
            release_s_a_file=self.release_s_a_file * factor,
            files_factor=self.files_factor * factor,
        )


HELD_BACK_S = 30.0
"""… but at most for so long (Linux writes back what is older: `vm.dirty_expire_centisecs`)."""
