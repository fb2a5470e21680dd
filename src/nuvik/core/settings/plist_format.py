"""Property lists, as programs on a Mac keep their settings: XML, of which one text is replaced, and binary."""

from __future__ import annotations

import html
import plistlib
from typing import Any
from xml.parsers import expat

from nuvik.core.settings.setting_format import NotReadable, SettingFormat, Value, key_of, texts_in

_BINARY = b"bplist00"


class PlistFormat(SettingFormat):
    """In XML everything else keeps its form; a binary list has none to keep."""

    name = "plist"
    endings = (".plist",)

    def values(self, data: bytes) -> list[Value]:
        if data.startswith(_BINARY):
            return [Value(key_of(path), text) for path, text in texts_in(_loaded(data))]
        return _XmlReader(data).values

    def put(self, data: bytes, value: Value, text: str) -> bytes:
        if not data.startswith(_BINARY):
            return data[: value.start] + html.escape(text, quote=False).encode("utf-8") + data[value.end :]
        root = _loaded(data)
        path = next(path for path, _ in texts_in(root) if key_of(path) == value.key)
        holder = root
        for name in path[:-1]:
            holder = holder[name]
        holder[path[-1]] = text
        return plistlib.dumps(root, fmt=plistlib.FMT_BINARY, sort_keys=False)


def _loaded(data: bytes) -> Any:
    try:
        return plistlib.loads(data, fmt=plistlib.FMT_BINARY)
    except (plistlib.InvalidFileException, ValueError, OverflowError, RecursionError, MemoryError) as fault:
        raise NotReadable(f"it is not a property list: {fault}") from None


class _XmlReader:
    """Notes where the texts of an XML property list stand, in bytes."""

    def __init__(self, data: bytes) -> None:
        self.values: list[Value] = []
        self._data = data
        self._path: list[str | int] = []
        self._text, self._start = "", 0
        if b"<!ENTITY" in data:
            raise NotReadable("it defines entities, which no property list does")
        self._parser = expat.ParserCreate()
        self._parser.StartElementHandler = self._begin
        self._parser.EndElementHandler = self._end
        self._parser.CharacterDataHandler = self._more
        self._parser.XmlDeclHandler = self._declared
        try:
            self._parser.Parse(data, True)
        except expat.ExpatError as fault:
            raise NotReadable(f"it is not a property list: {fault}") from None

    def _declared(self, version: str, encoding: str | None, standalone: int) -> None:
        if (encoding or "utf-8").casefold() not in ("utf-8", "us-ascii"):
            raise NotReadable(f"it is in {encoding}, not in UTF-8")

    def _begin(self, tag: str, attributes: dict[str, str]) -> None:
        self._text = ""
        self._start = self._data.index(b">", self._parser.CurrentByteIndex) + 1
        if tag == "dict":
            self._path.append("")
        elif tag == "array":
            self._path.append(0)

    def _more(self, text: str) -> None:
        self._text += text

    def _end(self, tag: str) -> None:
        if tag == "plist":
            return
        if tag == "key":
            if not self._path or isinstance(self._path[-1], int):
                raise NotReadable("it has a key outside of a dictionary")
            self._path[-1] = self._text
            return
        if tag in ("dict", "array"):
            self._path.pop()
        elif tag == "string":
            end = self._parser.CurrentByteIndex
            written = self._data[self._start : end].decode("utf-8", "replace")
            if end > self._start and html.unescape(written) == self._text:
                self.values.append(Value(key_of(self._path), self._text, self._start, end))
        if self._path and isinstance(number := self._path[-1], int):
            self._path[-1] = number + 1
