"""A library beside its fallback: which files are newer where."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.library import Library
from nuvik.core.model.paths import PathText


@dataclass(frozen=True, slots=True, kw_only=True)
class NewerFile:
    """A file that differs."""

    path: PathText
    """Within its library."""
    bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Newer:
    """What is newer where, by the times at which files were changed."""

    library: Library
    fallback: Library
    same: int
    """So many files have the same length and time in both."""
    in_library: tuple[NewerFile, ...] = ()
    in_fallback: tuple[NewerFile, ...] = ()
    only_library: tuple[NewerFile, ...] = ()
    """Usual, since a fallback is the smaller library."""
    only_fallback: tuple[NewerFile, ...] = ()

    @property
    def in_step(self) -> bool:
        """Nothing that the library lacks is in the fallback, and neither has a newer version of a file."""
        return not (self.in_library or self.in_fallback or self.only_fallback)
