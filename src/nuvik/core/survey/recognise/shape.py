"""The shape of a folder: what speaks of its kind without any name, such as a program beside large data."""

from __future__ import annotations

import os
from functools import cached_property

from nuvik.core.model.extent import UNIT_BYTES
from nuvik.core.model.library import Kind
from nuvik.core.survey.recognise.trade_words import ARCHIVE_ENDINGS, CODE_ENDINGS, ENDINGS, MACHINE_ENDINGS, RUN_ENDINGS
from nuvik.core.survey.walk.folder_tree import Folder

_LARGE_SHARE = 1 / 200
"""Assumed: a data file of a title takes at least so much of it."""
_DATA_SHARE = 0.5
"""Assumed: at least half of a title lies in its large data files."""
_LEAST_TITLE_BYTES = 20_000_000
"""Assumed: what is smaller is a program, whatever lies beside it."""
_PROGRAM_FOLDERS = ("bin", "x64", "win64", "x86_64", "linux", "runtime", "binaries")
MEDIA = (Kind.PHOTO, Kind.VIDEO, Kind.SOUND, Kind.DOCUMENT, Kind.BACKUP)


class Shape:
    """What one folder looks like, with everything below it. Figures are worked out when they are asked for."""

    def __init__(self, folder: Folder, titles_below: int | None = None) -> None:
        self.folder = folder
        self._titles_below = titles_below

    @cached_property
    def bytes(self) -> int:
        """What it takes on the disk."""
        return self.folder.extent.on_disk_bytes

    @cached_property
    def runnable(self) -> int:
        """How many files may be run. Where every file has that permission it says nothing: endings do."""
        extent = self.folder.extent
        if extent.programs and extent.programs < max(2, extent.files):
            return extent.programs
        return len(self.folder.extensions.keys() & RUN_ENDINGS)

    @cached_property
    def code_share(self) -> float:
        return self._share(CODE_ENDINGS)

    @cached_property
    def shares(self) -> dict[Kind, float]:
        """How much of its bytes each kind of media takes, by the endings of names."""
        return {kind: self._share(ENDINGS[kind]) for kind in MEDIA}

    @cached_property
    def machine_share(self) -> float:
        """How much of it are images of disks."""
        return self._share(MACHINE_ENDINGS)

    @cached_property
    def archive_share(self) -> float:
        """How much of it are archives."""
        return self._share(ARCHIVE_ENDINGS)

    @cached_property
    def large_share(self) -> float:
        """How much of it lies in files that are large beside the whole."""
        lengths = self.folder.extent.bytes
        least_units = max(1, int(lengths * _LARGE_SHARE) // UNIT_BYTES)
        large = sum(units * count for units, count in self.folder.histogram.items() if units >= least_units)
        return min(1.0, large * UNIT_BYTES / lengths) if lengths else 0.0

    @property
    def is_title(self) -> bool:
        """Something that runs, and beside it large files of data that no other kind of file explains."""
        extent = self.folder.extent
        if extent.bytes < _LEAST_TITLE_BYTES or self.runnable > extent.files / 2:
            return False
        if not self.runnable or self.code_share > _DATA_SHARE or self.machine_share > _DATA_SHARE:
            return False
        if max(self.shares.values()) > 1 - _DATA_SHARE / 2:
            return False
        return self.large_share >= _DATA_SHARE

    @cached_property
    def titles_below(self) -> int:
        """How many titles lie side by side somewhere below, as far as that is known."""
        if self._titles_below is not None:
            return self._titles_below
        return sum(Shape(inner).is_title for inner in self.folder.below.values())

    @property
    def runs_itself(self) -> bool:
        """Whether something that can be run lies in it, or in a sub-folder that is only there for that."""
        own = self.folder.own
        if own.programs or any(ending in own.extensions for ending in RUN_ENDINGS):
            return True
        below = self.folder.below.values()
        return any(inner.name.casefold() in _PROGRAM_FOLDERS and Shape(inner).runnable for inner in below)

    def _share(self, endings: frozenset[str]) -> float:
        total = self.folder.extent.bytes
        held = self.folder.extensions
        return sum(held[ending] for ending in held.keys() & endings) / total if total else 0.0


def is_date(name: str) -> bool:
    """`2026-11-02`, `20261102` and the like."""
    digits = "".join(letter for letter in name if letter.isdigit())
    return len(digits) >= 8 and digits[:2] in ("19", "20") and len(name) <= len(digits) + 6


def hidden_in(folder: Folder, home: str) -> bool:
    return folder.name.startswith(".") and os.path.dirname(folder.path) == home
