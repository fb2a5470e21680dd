"""What every format of settings files can do: list the texts in a file by their keys, and replace one of them."""

from __future__ import annotations

import json
import re
from abc import ABC, abstractmethod
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

LARGEST_FILE_BYTES = 8_000_000
"""A larger file holds no settings."""


class NotReadable(ValueError):
    """A file is not of the format it is taken for, or the value in it cannot be replaced; the message says why."""


@dataclass(frozen=True, slots=True)
class Value:
    """A text in a settings file."""

    key: str
    """A dotted path; places in lists are numbers from 0, a name with a dot in it is quoted: `shelves.1.path`."""
    text: str
    start: int = 0
    """Where it stands in the file …"""
    end: int = 0
    """… and where what follows it begins; both 0 where a format does not tell."""


class SettingFormat(ABC):
    """A format of settings files."""

    name: str
    endings: tuple[str, ...] = ()
    """Of the names of files that are usually of this format."""

    @abstractmethod
    def values(self, data: bytes) -> list[Value]:
        """The texts in a file, in its order. Raises NotReadable."""

    @abstractmethod
    def put(self, data: bytes, value: Value, text: str) -> bytes:
        """The file with another text in the place of one of its values, all else untouched. Raises NotReadable."""

    def value(self, data: bytes, key: str) -> str:
        """The text of a key. Raises NotReadable where the key is not there, or is there twice."""
        return self._only(self.values(data), key).text

    def replaced(self, data: bytes, key: str, text: str) -> bytes:
        """The file with another text for a key, read again to make sure that nothing else changed. Raises
        NotReadable.
        """
        before = self.values(data)
        old = self._only(before, key)
        if old.text == text:
            return data
        changed = self.put(data, old, text)
        wanted = [(value.key, text if value is old else value.text) for value in before]
        if [(value.key, value.text) for value in self.values(changed)] != wanted:
            raise NotReadable(f"“{key}” cannot be changed without changing something else")
        return changed

    @staticmethod
    def _only(values: Iterable[Value], key: str) -> Value:
        named = [value for value in values if value.key == key]
        if len(named) != 1:
            raise NotReadable(f"it has no text under “{key}”" if not named else f"it has “{key}” {len(named)} times")
        return named[0]


class TextFormat(SettingFormat):
    """A format in which each value stands in one place of a text, which alone is replaced."""

    def values(self, data: bytes) -> list[Value]:
        try:
            return self.values_in(decoded(data))
        except RecursionError:
            raise NotReadable("it is nested too deeply") from None

    def put(self, data: bytes, value: Value, text: str) -> bytes:
        whole = decoded(data)
        old = whole[value.start : value.end]
        return encoded(whole[: value.start] + self.written(text, old) + whole[value.end :])

    @abstractmethod
    def values_in(self, text: str) -> list[Value]:
        """The values of a file's text. Raises NotReadable."""

    @abstractmethod
    def written(self, text: str, old: str) -> str:
        """A text as this format writes it, in the manner of what stands there now. Raises NotReadable."""


def decoded(data: bytes) -> str:
    """The text of a file; bytes that are no UTF-8 come back as they were. Raises NotReadable for what is no text."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")) or b"\0" in data:
        raise NotReadable("it is not UTF-8 text")
    return data.decode("utf-8", "surrogateescape")


def encoded(text: str) -> bytes:
    return text.encode("utf-8", "surrogateescape")


_PLAIN = re.compile(r'[^."\s\x00-\x1f][^."\x00-\x1f]*')


def key_of(names: Sequence[str | int]) -> str:
    """A dotted path. A name that a reader could take for several, or for none, is quoted."""
    return ".".join(
        str(name) if isinstance(name, int) or (_PLAIN.fullmatch(name) and not name.isdigit()) else json.dumps(name)
        for name in names
    )


def texts_in(root: Any) -> list[tuple[list[str | int], str]]:
    """The texts in dictionaries and lists within each other, each with the names and numbers that lead to it."""
    texts: list[tuple[list[str | int], str]] = []
    waiting: list[tuple[list[str | int], Any]] = [([], root)]
    while waiting:
        path, item = waiting.pop()
        if isinstance(item, str):
            texts.append((path, item))
        elif isinstance(item, dict):
            waiting += reversed([([*path, str(name)], inner) for name, inner in item.items()])
        elif isinstance(item, list):
            waiting += reversed([([*path, number], inner) for number, inner in enumerate(item)])
    return texts


def line_of(text: str, key_value: Value) -> int:
    """The number of the line in which a value stands, from 1."""
    return text.count("\n", 0, key_value.start) + 1
