"""By which number a system tells one mount from another, even where two show the same device."""

from __future__ import annotations


def mount_number_of(descriptor: int) -> int | None:
    """The number of the mount that an open file is on; None where the system does not tell."""
    try:
        with open(f"/proc/self/fdinfo/{descriptor}", encoding="ascii") as facts:
            return next((int(line.split()[1]) for line in facts if line.startswith("mnt_id:")), None)
    except (OSError, ValueError, IndexError):
        return None
