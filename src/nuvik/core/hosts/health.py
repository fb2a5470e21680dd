"""What a disk reports of its own health (SMART), by the tool of each system that answers an ordinary user.

Linux: the desktop's disk service, asked with busctl(1) (interfaces org.freedesktop.UDisks2.Drive.Ata, `SmartFailing`,
and org.freedesktop.UDisks2.NVMe.Controller, `SmartCriticalWarning`). macOS: diskutil(8), `SMARTStatus`. Windows:
PowerShell's `Get-Disk`, `HealthStatus`. None of these was run against a failing disk; where nothing answers, nothing is
known.
"""

from __future__ import annotations

import json
import plistlib
import subprocess
import sys
from collections.abc import Sequence
from typing import Any

from nuvik.core.model.drive import Drive

_MOST_S = 5.0
_SERVICE, _ROOT = "org.freedesktop.UDisks2", "/org/freedesktop/UDisks2"


def health_of(drive: Drive) -> str:
    """What the disk of a drive reports, as a clause; empty when all is well, or when it does not tell."""
    if sys.platform == "darwin":
        return from_diskutil(_answer(["diskutil", "info", "-plist", drive.path]))
    if sys.platform == "win32":
        command = f"(Get-Partition -DriveLetter {drive.path[:1]} | Get-Disk).HealthStatus"
        return from_powershell(_answer(["powershell", "-NoProfile", "-Command", command]))
    return _by_disk_service(drive)


def _by_disk_service(drive: Drive) -> str:
    block = f"{_ROOT}/block_devices/{drive.device}"
    disk = data_of(_property(block, "Block", "Drive"))
    if not isinstance(disk, str) or len(disk) < 2:
        return ""
    if data_of(_property(disk, "Drive.Ata", "SmartFailing")) is True:
        return "its disk reports that it is failing"
    return from_warnings(data_of(_property(disk, "NVMe.Controller", "SmartCriticalWarning")))


def _property(place: str, interface: str, name: str) -> bytes:
    return _answer(
        ["busctl", "--system", "--json=short", "get-property", _SERVICE, place, f"{_SERVICE}.{interface}", name]
    )


def data_of(answer: bytes) -> Any:
    """The value in an answer of busctl, such as `{"type":"b","data":false}`; None for anything else."""
    try:
        return json.loads(answer)["data"]
    except (ValueError, KeyError, TypeError):
        return None


def from_warnings(warnings: Any) -> str:
    """An NVMe controller's critical warnings, such as `["spare", "degraded"]`."""
    if not isinstance(warnings, list) or not warnings:
        return ""
    return f"its disk warns: {', '.join(str(warning).replace('_', ' ') for warning in warnings)}"


def from_diskutil(answer: bytes) -> str:
    """The property list that `diskutil info -plist` prints."""
    try:
        status = plistlib.loads(answer).get("SMARTStatus", "")
    except (ValueError, AttributeError, plistlib.InvalidFileException):
        return ""
    return "its disk reports that it is failing" if status == "Failing" else ""


def from_powershell(answer: bytes) -> str:
    """What `Get-Disk` says: Healthy, Warning, Unhealthy or Unknown."""
    status = answer.decode("utf-8", "replace").strip()
    return f"Windows calls its disk {status.lower()}" if status in ("Warning", "Unhealthy") else ""


def _answer(words: Sequence[str]) -> bytes:
    try:
        return subprocess.run(words, check=False, capture_output=True, timeout=_MOST_S).stdout
    except (OSError, subprocess.TimeoutExpired):
        return b""
