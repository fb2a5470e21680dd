"""Building a home: files of a given size and age, and beside them the truth about what a person has there.

Large files are allocated and not written, so that hundreds of gigabytes of real size take seconds.
"""

from __future__ import annotations

import os
import random
from dataclasses import dataclass, field
from typing import Any

from nuvik.core.model.library import Kind

KB, MB = 1_000, 1_000_000
_WRITTEN_BYTES = 64 * KB
_DAY_S = 86_400


@dataclass(frozen=True, slots=True)
class Truth:
    """What a person would say of a folder or file."""

    path: str
    kinds: frozenset[Kind]
    """Any of these is right."""
    may_move: bool | None = None
    """None: both answers can be defended."""
    counts: bool = True
    """Whether it is missed when it is not shown: small or debatable ones are not."""


@dataclass(slots=True)
class Places:
    """Where a person's things are: the home, and folders on other drives (which may lie on the same)."""

    home: str
    shelf: str
    """A second, larger drive inside the case."""
    portable: str


@dataclass(slots=True)
class Builder:
    """Writes files below the places, and collects the truth."""

    places: Places
    scale: float
    """Sizes are multiplied by it."""
    now_s: float
    chance: random.Random
    holes: bool = False
    """Large files are nothing but holes: for a world, where lengths count."""
    truths: list[Truth] = field(default_factory=list)
    never: list[str] = field(default_factory=list)
    """What must not be movable, nor anything that holds it or lies in it."""

    # -- the truth -----------------------------------------------------------------------------------------

    def library(self, path: str, *kinds: Kind, may_move: bool | None = True, counts: bool = True) -> str:
        self.truths.append(Truth(path, frozenset(kinds), may_move, counts))
        return path

    def stays(self, path: str, *kinds: Kind) -> str:
        """Something that must not be moved; showing it as such is right, and so is leaving it out."""
        self.never.append(path)
        return self.library(path, *(kinds or tuple(Kind)), may_move=False, counts=False)

    # -- files ---------------------------------------------------------------------------------------------

    def file(
        self, path: str, megabytes: float = 0.0, *, begins: bytes = b"", runs: bool = False, days: float | None = None
    ) -> str:
        """A file of this size, before scaling; without one, of a few hundred bytes, never scaled."""
        os.makedirs(os.path.dirname(path), exist_ok=True)
        size = int(megabytes * MB * self.scale) if megabytes else self.chance.randint(80, 900)
        with open(path, "wb") as file:
            file.write(begins)
            if size > _WRITTEN_BYTES:
                try:
                    if not self.holes:
                        os.posix_fallocate(file.fileno(), 0, size)
                except OSError:
                    pass
                file.truncate(size)
            else:
                file.write(bytes(max(0, size - len(begins))))
        if runs:
            os.chmod(path, 0o755)
        age_days = self.chance.uniform(3, 900) if days is None else days
        moment_s = self.now_s - age_days * _DAY_S
        os.utime(path, (moment_s, moment_s))
        return path

    def files(self, folder: str, pattern: str, count: int, megabytes: float, **options: Any) -> None:
        """Several files of about this size each; `pattern` has `{}` for their number."""
        for number in range(1, count + 1):
            size = megabytes * self.chance.uniform(0.6, 1.5)
            self.file(os.path.join(folder, pattern.format(f"{number:03}")), size, **options)

    def text(self, path: str, text: str) -> None:
        os.makedirs(os.path.dirname(path), exist_ok=True)
        with open(path, "w", encoding="utf-8") as file:
            file.write(text)
        moment_s = self.now_s - 40 * _DAY_S
        os.utime(path, (moment_s, moment_s))
