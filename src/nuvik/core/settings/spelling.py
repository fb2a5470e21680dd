"""How a settings file spells a path, and the same spelling of another path.

Only what is certain is ever replaced: the whole value is the path, or a path that goes on from it. A path that stands
within a longer text, and one that depends on a folder which nobody states, are shown to the user and left alone.
"""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from enum import StrEnum
from urllib.parse import quote, unquote_to_bytes

_QUOTED = re.compile(r"%[0-9A-Fa-f]{2}")
_DRIVE = re.compile(r"[A-Za-z]:[\\/]")


class Manner(StrEnum):
    """How a path is written."""

    PLAIN = "plain"
    HOME_SIGN = "~"
    HOME_VARIABLE = "$HOME"
    HOME_IN_BRACES = "${HOME}"
    ADDRESS = "file://"
    RELATIVE = "relative"
    WITHIN = "within a longer text"


@dataclass(frozen=True, slots=True)
class Spelling:
    """A path as it stands in a value."""

    manner: Manner
    rest: str
    """What goes on below the path, with its separator; empty for the path itself."""
    separator: str = "/"
    """What stands between the names in it."""
    doubled: bool = False
    """Whether each backslash is written twice, as programs do that write one format within another."""
    host: str = ""
    """What an address has between its slashes."""

    @property
    def certain(self) -> bool:
        """Whether it can only mean this path, so that it may be replaced."""
        return self.manner not in (Manner.RELATIVE, Manner.WITHIN)

    def of(self, path: str, home: str) -> str:
        """Another path in the same spelling, with the same rest; in full where it is not below the home."""
        if self.manner is Manner.ADDRESS:
            written = path.replace("\\", "/")
            lead = "/" if _DRIVE.match(written) else ""
            return f"file://{self.host}{lead}{quote(os.fsencode(written), safe='/:~!$&()*+,;=@-._')}{self.rest}"
        below = _below(path, home)
        signs = {Manner.HOME_SIGN: "~", Manner.HOME_VARIABLE: "$HOME", Manner.HOME_IN_BRACES: "${HOME}"}
        written = signs[self.manner] + below if self.manner in signs and below is not None else path
        if self.separator == "\\":
            written = written.replace("/", "\\")
        elif _DRIVE.match(path):
            written = written.replace("\\", "/")
        if self.doubled:
            written = written.replace("\\", "\\\\")
        return written + self.rest


def spelling_of(value: str, path: str, home: str, folds: bool = False) -> Spelling | None:
    """How a value spells a path, given as the system writes it; None where it does not speak of it. On a drive that
    `folds` letters, their case does not count.
    """
    if len(value) > 32_768 or len(path) < 2:
        return None
    if value.casefold().startswith("file:"):
        return _as_address(value, path, folds)
    for manner, sign in (
        (Manner.HOME_IN_BRACES, "${HOME}"),
        (Manner.HOME_VARIABLE, "$HOME"),
        (Manner.HOME_SIGN, "~"),
    ):
        if value.startswith(sign) and value[len(sign) : len(sign) + 1] in ("/", "\\"):
            below = _below(path, home)
            rest = None if below is None else _rest(value[len(sign) :], below, folds)
            return None if rest is None else Spelling(manner, rest, _separator(value))
    if (rest := _rest(value, path, folds)) is not None:
        return Spelling(Manner.PLAIN, rest, _separator(value))
    undoubled = value.replace("\\\\", "\\")
    if undoubled != value and (rest := _rest(undoubled, path, folds)) is not None:
        return Spelling(Manner.PLAIN, rest.replace("\\", "\\\\"), "\\", doubled=True)
    below = _below(path, home)
    if below and _rest(f"/{value}", below, folds) == "" and ("/" in value or "\\" in value):
        return Spelling(Manner.RELATIVE, "")
    at = _flat(value, folds).find(_flat(path, folds))
    # What begins with the path and goes on with a blank is rather another name.
    other_name = at == 0 and value[len(path) : len(path) + 1].isspace()
    if at >= 0 and not other_name and not _goes_on(value, at - 1) and not _goes_on(value, at + len(path)):
        return Spelling(Manner.WITHIN, "")
    return None


def _goes_on(value: str, at: int) -> bool:
    """Whether the sign at a place belongs to a name."""
    return 0 <= at < len(value) and (value[at].isalnum() or value[at] in "-_.")


def plain_path(value: str, home: str) -> str | None:
    """The absolute path of this system that a value spells as a whole; None where it is none."""
    if value.casefold().startswith("file:"):
        _, slash, written = value[5:].removeprefix("//").partition("/")
        value = os.fsdecode(unquote_to_bytes(f"/{written}".encode("utf-8", "surrogateescape"))) if slash else ""
    for sign in ("${HOME}", "$HOME", "~"):
        if home and value.startswith(f"{sign}/"):
            value = home + value[len(sign) :]
    return os.path.normpath(value) if os.path.isabs(value) and "\0" not in value and len(value) < 4096 else None


def _as_address(value: str, path: str, folds: bool) -> Spelling | None:
    host, slash, written = value[5:].removeprefix("//").partition("/")
    if not slash or host.casefold() not in ("", "localhost"):
        return None
    written = f"/{written}"
    plain = os.fsdecode(unquote_to_bytes(written.encode("utf-8", "surrogateescape")))
    if _DRIVE.match(plain[1:]):
        plain = plain[1:]
    rest = _rest(plain, path, folds)
    if rest is None:
        return None
    # What goes on below stays as it is written.
    for start in range(len(written) + 1):
        tail = written[start:]
        if os.fsdecode(unquote_to_bytes(tail.encode("utf-8", "surrogateescape"))) == rest and not (
            start and _QUOTED.fullmatch(written[start - 1 : start + 2])
        ):
            return Spelling(Manner.ADDRESS, tail, host=host)
    return None


def _rest(value: str, path: str, folds: bool) -> str | None:
    """What a value has behind a path with which it begins; None where it does not, or where the last name goes on."""
    if _flat(value, folds)[: len(path)] != _flat(path, folds) or not _ends_there(value, len(path)):
        return None
    rest = value[len(path) :]
    return None if ":/" in rest or ";" in rest or "\n" in rest else rest


def _ends_there(value: str, at: int) -> bool:
    return at >= len(value) or value[at] in "/\\"


def _flat(text: str, folds: bool) -> str:
    """Without the difference of the two separators, where a path has a drive's letter, and of letters' case."""
    if _DRIVE.match(text):
        text = text.replace("\\", "/")
        folds = True
    # Letter by letter, so that no position moves.
    return "".join(letter.lower() if len(letter.lower()) == 1 else letter for letter in text) if folds else text


def _separator(value: str) -> str:
    return "\\" if "\\" in value and "/" not in value else "/"


def _below(path: str, home: str) -> str | None:
    """A path from the home on, with its first separator; None where it is not below it."""
    home = home.rstrip("/\\")
    is_below = bool(home) and path.startswith(home) and path[len(home) : len(home) + 1] in ("/", "\\")
    return path[len(home) :] if is_below else None
