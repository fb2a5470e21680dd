"""Real small file systems in files, with set speeds and power cuts, for tests and for the bench."""

from __future__ import annotations

import os
import subprocess
import time
from pathlib import Path

import pytest

MB = 1_000_000

MAKE = {
    "ext4": ["mkfs.ext4", "-q", "-F"],
    "old ext4": ["mkfs.ext4", "-q", "-F", "-I", "128"],
    "xfs": ["mkfs.xfs", "-q", "-f"],
    "ntfs": ["mkntfs", "-F", "-q", "-f"],
    "exfat": ["mkfs.exfat"],
    "btrfs": ["mkfs.btrfs", "-q", "-f"],
}
_MOUNT = {"ntfs": ["ntfs-3g"], "exfat": ["mount.exfat-fuse"]}


class RealDrives:
    """Loop-mounted volumes; the power of one can be cut."""

    def __init__(self, place: Path, images: Path) -> None:
        self.place, self.images = place, images
        self.loops: dict[str, tuple[str, str]] = {}

    def up(self, name: str, size: str, filesystem: str, read_mb_s: float = 0, write_mb_s: float = 0) -> Path:
        """Make and mount a volume, with block-level speed limits in MB/s where they are given."""
        image = self.images / f"{name}.img"
        with open(image, "wb") as file:
            file.truncate(int(size[:-1]) * 2**20)
        _run("mkfs", [*MAKE[filesystem], str(image)])
        loop = _run("losetup", ["losetup", "-f", "--show", str(image)])
        self.loops[name] = (loop, filesystem)
        point = self.mount(name)
        if read_mb_s or write_mb_s:
            self.limit(loop, read_mb_s, write_mb_s)
        return point

    @staticmethod
    def limit(loop: str, read_mb_s: float, write_mb_s: float) -> None:
        """Hold a device to these speeds (0: none), by the kernel's block throttle."""
        number = Path(f"/sys/block/{Path(loop).name}/dev").read_text().strip()
        for which, mb_s in (("read", read_mb_s), ("write", write_mb_s)):
            file = Path(f"/sys/fs/cgroup/blkio/blkio.throttle.{which}_bps_device")
            if not file.exists():
                pytest.skip("this machine has no throttle for block devices")
            file.write_text(f"{number} {int(mb_s * MB)}")

    def limit_reads(self, name: str, per_s: int) -> None:
        """Hold a volume to so many read operations a second, as platters would."""
        number = Path(f"/sys/block/{Path(self.loops[name][0]).name}/dev").read_text().strip()
        file = Path("/sys/fs/cgroup/blkio/blkio.throttle.read_iops_device")
        if not file.exists():
            pytest.skip("this machine has no throttle for block devices")
        file.write_text(f"{number} {per_s}")

    @staticmethod
    def plain_speeds(point: Path, count_mb: int) -> tuple[float, float]:
        """What the plain system tool reads and writes past the cache there, in MB/s: what this machine allows now."""
        file, speeds = point / "plain.bin", []
        for words in (
            ["if=/dev/zero", f"of={file}", f"count={count_mb // 4}", "oflag=direct", "conv=fsync"],
            [f"if={file}", "of=/dev/null", "iflag=direct"],
        ):
            began = time.perf_counter()
            subprocess.run(["dd", "bs=4M", *words], capture_output=True, check=True)
            speeds.append(file.stat().st_size / MB / (time.perf_counter() - began))
        file.unlink()
        return speeds[1], speeds[0]

    def elsewhere(self, name: str, point: str) -> Path:
        """Mount a volume at another place; the folder where it was stays behind, empty."""
        unmount(self.place / name)
        return self.mount(name, point)

    def mount(self, name: str, point_name: str | None = None) -> Path:
        loop, filesystem = self.loops[name]
        point = self.place / (point_name or name)
        point.mkdir(exist_ok=True)
        _run("mount", [*_MOUNT.get(filesystem, ["mount"]), loop, str(point)])
        return point

    def cut(self, name: str) -> None:
        """The power goes: everything that was not flushed is lost (the kernel's shutdown call, ext4 and XFS)."""
        import fcntl

        handle = os.open(self.place / name, os.O_RDONLY)
        fcntl.ioctl(handle, 0x8004587D, (2).to_bytes(4, "little"))
        os.close(handle)

    def back(self, name: str) -> Path:
        """As after a restart. The system may hold on to the dead volume for a moment: then it is mounted again."""
        for _ in range(100):
            unmount(self.place / name)
            point = self.mount(name)
            try:
                (point / "alive").touch()
                (point / "alive").unlink()
                return point
            except OSError:
                time.sleep(0.1)
        pytest.skip("the system does not let go of a volume whose power was cut")

    def down(self) -> None:
        for loop, _ in self.loops.values():
            if Path("/sys/fs/cgroup/blkio/blkio.throttle.read_bps_device").exists():
                self.limit(loop, 0, 0)
                self.limit_reads(next(name for name, mine in self.loops.items() if mine[0] == loop), 0)
            mounts = (line.split() for line in Path("/proc/mounts").read_text(encoding="utf-8").splitlines())
            for point in {words[1] for words in mounts if words[0] == loop}:
                unmount(Path(point.replace("\\040", " ")))
            subprocess.run(["losetup", "-d", loop], check=False, capture_output=True)


def unmount(point: Path) -> None:
    """At once where nothing holds it, else as soon as nothing does."""
    if subprocess.run(["umount", str(point)], check=False, capture_output=True).returncode:
        subprocess.run(["umount", "-l", str(point)], check=False, capture_output=True)


def _run(what: str, words: list[str]) -> str:
    try:
        done = subprocess.run(words, capture_output=True, text=True, check=False)
    except FileNotFoundError:
        pytest.skip(f"{words[0]} is not installed")
    if done.returncode:
        pytest.skip(f"{what} is not possible here: {(done.stderr or done.stdout).strip()}")
    return done.stdout.strip()
