"""Reading `world.toml`: input that is not trusted, checked field by field.

Every error names the file and the field.
"""

from __future__ import annotations

import os
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from nuvik.core.model import filesystems
from nuvik.core.model.errors import NotNamed, Refused
from nuvik.core.model.library import Card
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.user_files.cards_file import CARDS_FILE, Strict, inside, read_cards_file
from nuvik.core.user_files.toml_file import field_name, read_checked

WORLD_FILE = "world.toml"
WORLD_FORMAT = "nuvik-world/1"

_Positive = Annotated[int, Field(gt=0, le=2**62)]
_Speed = Annotated[float, Field(gt=0, allow_inf_nan=False)]


class DriveEntry(Strict):
    """One `[[drive]]`: the declared facts of a drive. Speeds are bytes per second."""

    id: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]*$")]
    label: Annotated[str, Field(min_length=1)]
    folder: str
    capacity_bytes: _Positive
    usable_bytes: _Positive
    other_bytes: Annotated[int, Field(ge=0)] = 0
    headroom_bytes: Annotated[int, Field(ge=0)] | None = None
    filesystem: str = "ext4"
    cluster_bytes: Annotated[int, Field(gt=0, le=2**25)] = 4096
    medium: Literal["nvme", "ssd", "hdd", "flash"] = "ssd"
    model: str = ""
    link: str = "unknown"
    best_link: str = "unknown"
    """The fastest link that the drive itself could use."""
    disk: str | None = None
    portable: bool = False
    attached: bool = True
    system: bool = False
    read_only: bool = False
    temperature_c: Annotated[float, Field(ge=-40, le=150)] | None = None
    read_bytes_per_s: _Speed
    write_bytes_per_s: _Speed
    sustained_write_bytes_per_s: _Speed | None = None
    burst_bytes: Annotated[int, Field(ge=0)] | None = None
    small_reads_per_s: _Speed

    _folder_inside = field_validator("folder")(inside)

    @field_validator("filesystem")
    @classmethod
    def _known_filesystem(cls, value: str) -> str:
        if filesystems.normalised(value) not in filesystems.known():
            raise ValueError(f"unknown file system; known are {', '.join(filesystems.known())}")
        return filesystems.normalised(value)

    @model_validator(mode="after")
    def _sizes_fit(self) -> DriveEntry:
        if self.usable_bytes > self.capacity_bytes:
            raise ValueError("usable_bytes is more than capacity_bytes")
        if self.other_bytes > self.usable_bytes:
            raise ValueError("other_bytes is more than usable_bytes")
        return self


def set_attached(path: str, drive: str, attached: bool) -> None:
    """Change in a world's file whether a drive is attached; all else in it stays as it is. Raises OSError."""
    import tomlkit

    with open(path, encoding="utf-8") as file:
        document = tomlkit.load(file)
    for entry in document.unwrap().get("drive", []):
        if entry["id"] == drive:
            number = document.unwrap()["drive"].index(entry)
            document["drive"][number]["attached"] = attached
    with open(f"{path}.new", "w", encoding="utf-8") as file:
        tomlkit.dump(document, file)
    os.replace(f"{path}.new", path)


class FaultEntry(Strict):
    """One `[[fault]]`, for tests: something that goes wrong once."""

    drive: str | None = None
    fail_write: Annotated[int, Field(gt=0)] | None = None
    """The n-th write fails as a broken drive's does."""
    pull_after_bytes: Annotated[int, Field(ge=0)] | None = None
    """The drive is gone after so many bytes were read from or written to it."""
    cut_after_bytes: Annotated[int, Field(ge=0)] | None = None
    """The drive loses its power after so many bytes: it is gone, and what was not flushed has lost its marks."""
    flip_read_back: Annotated[int, Field(gt=0)] | None = None
    """The n-th block read back for a proof has one bit turned over."""

    @model_validator(mode="after")
    def _single_fault(self) -> FaultEntry:
        faults = {"fail_write", "pull_after_bytes", "cut_after_bytes", "flip_read_back"}
        if sum(getattr(self, name) is not None for name in faults) != 1:
            raise ValueError(f"needs exactly one of {', '.join(sorted(faults))}")
        return self


class WorldEntry(Strict):
    """The whole of `world.toml`."""

    format: str
    name: Annotated[str, Field(min_length=1)]
    time_scale: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0
    small_share: Annotated[float, Field(ge=0, lt=1)] = 0.0
    drive: Annotated[list[DriveEntry], Field(min_length=1)]
    fault: list[FaultEntry] = []

    @model_validator(mode="after")
    def _drives_differ(self) -> WorldEntry:
        for field in ("id", "label", "folder"):
            values = [str(getattr(drive, field)).casefold() for drive in self.drive]
            if twice := {value for value in values if values.count(value) > 1}:
                raise ValueError(f"two drives have the same {field}: {sorted(twice)[0]}")
        known = {drive.id for drive in self.drive}
        for fault in self.fault:
            if fault.drive is not None and fault.drive not in known:
                raise ValueError(f"a fault names the unknown drive {fault.drive}")
        return self


def read_world(folder: str) -> WorldEntry:
    """The world declared in a folder. Raises Refused with file and field when it is missing or broken."""
    path = os.path.join(folder, WORLD_FILE)
    if not os.path.isfile(path):
        raise NotNamed(
            f"{shown(folder)} is not a world: it has no {WORLD_FILE}.",
            next_step="Check the path after --world, or make the demo household with “nuvik demo --at FOLDER”.",
        )
    world: WorldEntry = read_checked(path, WorldEntry, WORLD_FORMAT)
    for index, drive in enumerate(world.drive):
        where = os.path.join(folder, drive.folder)
        if not os.path.isdir(where):
            raise Refused(
                f"{shown(path)}: {field_name('drive', index, 'folder')}the folder {shown(where)} is not there.",
                next_step="Make the folder, or correct the drive's “folder”.",
            )
        if not is_within(os.path.realpath(where), os.path.realpath(folder)):
            raise Refused(
                f"{shown(path)}: the drive folder {shown(where)} leads out of the world.",
                next_step="Use a plain folder inside the world.",
            )
    return world


def read_cards(folder: str) -> tuple[Card, ...]:
    """The cards beside a world, with absolute paths; none when there is no such file. Raises Refused."""
    path = os.path.join(folder, CARDS_FILE)
    return read_cards_file(path, folder, fence=folder) if os.path.isfile(path) else ()
