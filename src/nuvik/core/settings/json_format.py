"""JSON (RFC 8259), also with the comments and last commas that many programs allow in their own settings."""

from __future__ import annotations

import json
import re

from nuvik.core.settings.setting_format import NotReadable, TextFormat, Value, key_of

_TOKEN = re.compile(
    r"""(?P<space>[\s﻿]+|//[^\n]*|/\*.*?\*/)|(?P<text>"(?:[^"\\\n]|\\.)*")|(?P<sign>[{}\[\]:,])|(?P<word>[\w+.-]+)""",
    re.DOTALL,
)


class JsonFormat(TextFormat):
    """Only the value is rewritten, in the manner of the old one."""

    name = "json"
    endings = (".json", ".jsonc")

    def values_in(self, text: str) -> list[Value]:
        return list(_Reader(text).values)

    def written(self, text: str, old: str) -> str:
        escapes = old.replace("\\\\", "")  # a backslash in the value says nothing of what comes after it
        new = json.dumps(text, ensure_ascii=old.isascii() and "\\u" in escapes)
        return new.replace("/", "\\/") if "\\/" in escapes else new


class _Reader:
    """Reads without recursion, so that no depth is too deep."""

    def __init__(self, text: str) -> None:
        self.values: list[Value] = []
        self._path: list[str | int] = []
        """The key or number at which the reader is, in each object or list that is open."""
        self._open: list[str] = []
        self._expects = "value"
        position = 0
        while position < len(text):
            match = _TOKEN.match(text, position)
            if match is None:
                raise NotReadable(f"it is not JSON in line {text.count(chr(10), 0, position) + 1}")
            position = match.end()
            if match.lastgroup != "space":
                self._take(match)
        if self._open or self._expects != "end":
            raise NotReadable("it is not whole JSON")

    def _take(self, match: re.Match[str]) -> None:
        token, kind = match.group(), match.lastgroup
        if self._expects == "value" and (kind == "text" or kind == "word"):
            if kind == "text":
                self.values.append(Value(key_of(self._path), _unquoted(token), match.start(), match.end()))
            self._after_value()
        elif self._expects == "value" and token in ("{", "["):
            self._open.append(token)
            self._path.append("" if token == "{" else 0)
            self._expects = "name" if token == "{" else "value"
        elif self._expects == "name" and kind == "text":
            self._path[-1] = _unquoted(token)
            self._expects = ":"
        elif token == ":" and self._expects == ":":
            self._expects = "value"
        elif token == "," and self._expects == "comma":
            last = self._path[-1]
            if isinstance(last, int):
                self._path[-1] = last + 1
            self._expects = "value" if self._open[-1] == "[" else "name"
        elif token in ("}", "]") and self._open and self._open[-1] == {"}": "{", "]": "["}[token] and self._may_close():
            self._open.pop()
            self._path.pop()
            self._after_value()
        else:
            raise NotReadable(f"it is not JSON at “{token[:20]}”")

    def _may_close(self) -> bool:
        """After a value, at once, or after a last comma."""
        return self._expects != ":" and not (self._open[-1] == "{" and self._expects == "value")

    def _after_value(self) -> None:
        self._expects = "comma" if self._open else "end"


def _unquoted(token: str) -> str:
    try:
        return str(json.loads(token, strict=False))
    except ValueError:
        raise NotReadable(f"it has a text that is not JSON: {token[:20]}") from None
