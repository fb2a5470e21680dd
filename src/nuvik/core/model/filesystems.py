"""What a file system can hold, as far as it decides a move.

Sources: the published limits in each format's own specification: exFAT (file names may not hold the nine
characters below; no links; sizes up to 2^64), FAT32 (the largest file is 2^32 - 1 bytes), NTFS ($FILE_NAME
namespaces), APFS and HFS+ reference documents, and the ext4, XFS and Btrfs kernel documentation. Which systems
read and write a format means: as they come, with no further driver.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

_DOS_CHARACTERS = frozenset('"*/:<>?\\|') | frozenset(map(chr, range(32)))
_DOS_NAMES = frozenset(
    ["CON", "PRN", "AUX", "NUL"] + [f"COM{digit}" for digit in range(1, 10)] + [f"LPT{digit}" for digit in range(1, 10)]
)


@dataclass(frozen=True, slots=True)
class FileSystem:
    """The rules of one file system."""

    name: str
    """As people write it: `exFAT`."""
    symlinks: bool = True
    hard_links: bool = True
    permissions: bool = True
    """Keeps owner and permission bits of its own."""
    xattrs: bool = True
    largest_file_bytes: int | None = None
    longest_name: int = 255
    longest_name_in_bytes: bool = True
    """The limit counts UTF-8 bytes (Unix) or UTF-16 units (the others)."""
    dos_names: bool = False
    """Refuses the characters and names that DOS reserved, and trailing dots or spaces."""
    folds_case: bool = False
    utf8_only: bool = False
    """Cannot hold a name that is not Unicode."""
    time_step_ns: int = 1
    """Modification times are rounded to this many nanoseconds."""
    read_by: tuple[str, ...] = ("linux",)
    """The systems that read it as they come: linux, macos, windows."""
    written_by: tuple[str, ...] = ("linux",)
    holes: bool = False
    """Stretches of zeros that were never written take no room, copies keep them, and what a file holds less than its
    length is such holes and not compression."""
    stamps_folders: bool = True
    """A folder gets another stamp whenever something in it comes, goes or is renamed, whichever system does that."""
    survives_a_pull: bool = True
    """Keeps a journal or copies on write, so that a pulled cable leaves it sound."""

    def why_not_name(self, name: str) -> str | None:
        """Why this one name (no slashes) cannot be held, or None when it can."""
        if self.longest_name_in_bytes:
            length = len(name.encode("utf-8", "surrogateescape"))
        else:
            length = len(name.encode("utf-16-le", "surrogatepass")) // 2
        if length > self.longest_name:
            return f"the name is longer than {self.name} allows ({length} of {self.longest_name})"
        if self.utf8_only and any(0xDC80 <= ord(character) <= 0xDCFF for character in name):
            return f"the name contains bytes that are not text, which {self.name} cannot store"
        if self.dos_names:
            forbidden = sorted(_DOS_CHARACTERS.intersection(name))
            if forbidden:
                return f"{self.name} does not allow {' '.join(map(ascii, forbidden))} in a name"
            if name.endswith((".", " ")):
                return f"{self.name} drops a dot or a space at the end of a name"
            if name.split(".")[0].upper() in _DOS_NAMES:
                return f"{self.name} reserves the name {name.split('.')[0]}"
        return None

    def folded(self, name: str) -> str:
        """Two names with the same folding cannot stand side by side here."""
        return name.casefold() if self.folds_case else name


SYSTEMS = {"linux": "Linux", "macos": "macOS", "windows": "Windows"}
"""The systems that read and write file systems, as people write them."""
_MAC, _ALL = ("macos",), ("windows", "macos", "linux")
_FAT: dict[str, Any] = {
    "symlinks": False,
    "hard_links": False,
    "permissions": False,
    "xattrs": False,
    "longest_name_in_bytes": False,
    "dos_names": True,
    "folds_case": True,
    "utf8_only": True,
    "read_by": _ALL,
    "written_by": _ALL,
    "survives_a_pull": False,
    "stamps_folders": False,
}

_KNOWN: dict[str, FileSystem] = {
    "ext4": FileSystem("ext4", largest_file_bytes=16 * 2**40, holes=True),
    "ext3": FileSystem("ext3", largest_file_bytes=2 * 2**40, holes=True, time_step_ns=1_000_000_000),
    "ext2": FileSystem(
        "ext2", largest_file_bytes=2 * 2**40, holes=True, time_step_ns=1_000_000_000, survives_a_pull=False
    ),
    "xfs": FileSystem("XFS", holes=True),
    "btrfs": FileSystem("Btrfs", holes=True),
    "f2fs": FileSystem("F2FS"),
    "zfs": FileSystem("ZFS"),
    "tmpfs": FileSystem("tmpfs", holes=True),
    "overlay": FileSystem("overlay"),
    "apfs": FileSystem(
        "APFS", folds_case=True, utf8_only=True, longest_name_in_bytes=False, read_by=_MAC, written_by=_MAC
    ),
    "hfs+": FileSystem(
        "HFS+",
        folds_case=True,
        utf8_only=True,
        longest_name_in_bytes=False,
        time_step_ns=1_000_000_000,
        read_by=("macos", "linux"),
        written_by=_MAC,
    ),
    # NTFS itself holds most characters, but a name that Windows cannot open is a name lost.
    "ntfs": FileSystem(
        "NTFS",
        permissions=False,
        xattrs=True,
        longest_name_in_bytes=False,
        dos_names=True,
        folds_case=True,
        utf8_only=True,
        time_step_ns=100,
        read_by=_ALL,
        written_by=("windows", "linux"),
    ),
    "exfat": FileSystem("exFAT", time_step_ns=2_000_000_000, **_FAT),
    "fat32": FileSystem("FAT32", largest_file_bytes=2**32 - 1, time_step_ns=2_000_000_000, **_FAT),
}

_SAME = {
    "vfat": "fat32",
    "msdos": "fat32",
    "fat": "fat32",
    "hfs": "hfs+",
    "hfsplus": "hfs+",
    "ntfs3": "ntfs",
    "ntfs-3g": "ntfs",
    "ext": "ext4",
}


def known() -> list[str]:
    """The identifiers that drives may carry."""
    return sorted(_KNOWN)


def normalised(identifier: str) -> str:
    """The identifier Nuvik uses for what the system calls it (`vfat` is `fat32`)."""
    lowered = identifier.lower()
    return _SAME.get(lowered, lowered)


def rules_of(identifier: str) -> FileSystem:
    """The rules of a file system; of one that Nuvik does not know, the least is assumed."""
    return _KNOWN.get(normalised(identifier)) or FileSystem(
        identifier, largest_file_bytes=2**32 - 1, time_step_ns=2_000_000_000, **_FAT
    )
