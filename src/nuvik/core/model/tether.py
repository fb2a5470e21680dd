"""Tethers: what keeps programs finding a library after it moved, as plain values."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nuvik.core.model.paths import PathText


class TetherKind(StrEnum):
    """What keeps programs finding a library after it moved."""

    LINK = "link"
    SETTING = "setting"
    """A value in a program's own settings file is changed."""
    STANDARD_FOLDER = "standard-folder"
    """The system is told where the user's folder of that kind is."""
    SHORTCUT = "shortcut"
    """A menu entry starts the program from its new place."""
    BY_HAND = "by-hand"
    """The user changes something; Nuvik waits, and looks whether the new place is used."""
    CHECK = "check"
    """Nothing leads anywhere by it: what must hold once the library has moved."""
    NONE = "none"
    """Nothing is left behind: nobody looks for it by its path; when a move is taken back, and when a library leaves a
    staging drive (then the link that led there leads on to the new place)."""

    @property
    def letter(self) -> str:
        """So that a narrow column can tell them."""
        return _LETTERS[self]

    @property
    def leads(self) -> bool:
        """Whether programs find the library by it, or need not."""
        return self is not TetherKind.CHECK

    @property
    def leaves_link(self) -> bool:
        """Whether a symbolic link stands at the old place, which that drive must be able to hold."""
        return self is TetherKind.LINK

    @property
    def keeps_old_path(self) -> bool:
        """Whether programs find the library under its old path."""
        return self is TetherKind.LINK

    @property
    def changes_a_file(self) -> bool:
        return self in (TetherKind.SETTING, TetherKind.STANDARD_FOLDER, TetherKind.SHORTCUT)


_LETTERS = {
    TetherKind.LINK: "L",
    TetherKind.SETTING: "S",
    TetherKind.STANDARD_FOLDER: "F",
    TetherKind.SHORTCUT: "M",
    TetherKind.BY_HAND: "H",
    TetherKind.CHECK: "C",
    TetherKind.NONE: "–",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Tether:
    """One thing that keeps programs finding a library, as its card says."""

    kind: TetherKind
    file: PathText = ""
    """The settings file; of a check, perhaps a path in the library …"""
    format: str = ""
    """… its format …"""
    key: str = ""
    """… and the key in it that holds the library's path, or a path in it."""
    part: PathText = ""
    """The part of the library that it leads to, as a path in it; empty for the library itself."""
    words: str = ""
    """What the user has to do by hand."""
    value: str = ""
    """What must stand under the key of a check; empty for the library's own path."""

    @property
    def in_words(self) -> str:
        """For example `setting shelves.1.path in /home/ann/.config/shelf/shelf.json`."""
        if self.kind.changes_a_file:
            return f"{self.kind} {self.key} in {self.file}"
        if self.kind is TetherKind.CHECK:
            must = f"{self.key} is {self.value or 'its path'} in" if self.key else "there must be"
            return f"{self.kind}: {must} {self.file}"
        if self.kind.leaves_link and self.file:
            return f"{self.kind} at {self.file}"
        return f"{self.kind}: {self.words}" if self.words else str(self.kind)


class TetherState(StrEnum):
    """How one of these stands for a move."""

    DUE = "due"
    """It is not changed yet."""
    OK = "ok"
    """It leads to where the library is."""
    BROKEN = "broken"
    """It leads elsewhere, or its file cannot be read."""
    AWAY = "away"
    """The drive with its file, or with the library, is away."""
    BACK = "back"
    """It is as it was before."""
    LEFT = "left"
    """It was changed by somebody else since, and was left alone."""


@dataclass(frozen=True, slots=True, kw_only=True)
class TetherRecord:
    """What the journal knows of a tether of one move."""

    move: int
    n: int
    """Its number among those of its move, from 1."""
    tether: Tether
    state: TetherState = TetherState.DUE
    before: str = ""
    """What stood in the file before it was changed …"""
    after: str = ""
    """… and what Nuvik put there."""
    kept: PathText = ""
    """Where the old file is kept."""
    note: str = ""
    """What the user should know of it."""
