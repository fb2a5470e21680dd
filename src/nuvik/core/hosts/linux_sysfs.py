"""What /sys tells of the disks of a Linux.

Source: the kernel's sysfs documentation (queue/rotational, removable, USB `speed` in Mbit/s, PCI current_link_speed and
max_link_speed, ata_link sata_spd).
"""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from pathlib import Path

SYS = "/sys"


@dataclass(frozen=True, slots=True)
class SysDisk:
    """What /sys tells of one disk; texts as they stand in its files, empty where there is no such file."""

    usb_mbit_per_s: str = ""
    pcie_speed: str = ""
    pcie_width: str = ""
    pcie_best_speed: str = ""
    pcie_best_width: str = ""
    sata_speed: str = ""
    rotational: str = ""
    removable: str = ""
    external: bool = False
    """On a port outside the case (the kernel calls the device removable)."""


def read_sys_disk(name: str) -> SysDisk:
    """What /sys tells of one disk."""
    top = Path(os.path.realpath(f"{SYS}/block/{name}"))
    usb = pcie = ata = ""
    external = False
    for place in (top, *top.parents):
        if str(place) == SYS:
            break
        usb = usb or (read_file(str(place / "speed")).strip() if (place / "busnum").exists() else "")
        pcie = pcie or (str(place) if (place / "current_link_speed").exists() else "")
        external = external or read_file(str(place / "removable")).strip() in ("removable", "external")
        match = re.fullmatch(r"ata(\d+)", place.name)
        ata = ata or (f"{SYS}/class/ata_link/link{match.group(1)}/sata_spd" if match else "")
    return SysDisk(
        usb_mbit_per_s=usb,
        pcie_speed=read_file(f"{pcie}/current_link_speed"),
        pcie_width=read_file(f"{pcie}/current_link_width"),
        pcie_best_speed=read_file(f"{pcie}/max_link_speed"),
        pcie_best_width=read_file(f"{pcie}/max_link_width"),
        sata_speed=read_file(ata) if ata else "",
        rotational=read_file(str(top / "queue/rotational")).strip(),
        removable=read_file(str(top / "removable")).strip(),
        external=external,
    )


def read_file(path: str) -> str:
    """The text of a file of the system; empty where there is none."""
    try:
        with open(path, encoding="utf-8", errors="surrogateescape") as file:
            return file.read()
    except OSError:
        return ""


def names_in(folder: str) -> list[str]:
    """The names in a folder of the system; none where there is no such folder."""
    try:
        return os.listdir(folder)
    except OSError:
        return []
