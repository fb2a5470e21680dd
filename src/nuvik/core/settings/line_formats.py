"""Formats of one value a line: INI files, desktop entries, and plain `name=value`, as shells read it too."""

from __future__ import annotations

import re

from nuvik.core.settings.setting_format import TextFormat, Value, key_of

_SECTION = re.compile(r"[ \t]*\[([^\]\r\n]*)\]")
_INI_LINE = re.compile(r"([^\s=:#;\[][^=:\r\n]*?)[ \t]*[=:][ \t]*([^\r\n]*?)[ \t]*\r?$")
_ENTRY_LINE = re.compile(r"([A-Za-z0-9-]+(?:\[[^\]\r\n]*\])?)[ \t]*=[ \t]*([^\r\n]*?)[ \t]*\r?$")
_PLAIN_LINE = re.compile(r"[ \t]*(?:export[ \t]+)?([A-Za-z_][\w.-]*)[ \t]*=[ \t]*([^\r\n]*?)[ \t]*\r?$")


class _LineFormat(TextFormat):
    """Lines that are not understood are passed over and stay."""

    line: re.Pattern[str]
    sections = True

    def values_in(self, text: str) -> list[Value]:
        values: list[Value] = []
        section, offset = "", 1 if text.startswith("﻿") else 0
        for line in text[offset:].split("\n"):
            if self.sections and (heading := _SECTION.match(line)):
                section = heading.group(1)
            elif match := self.line.match(line):
                path = [section, match.group(1)] if section else [match.group(1)]
                start, end = match.span(2)
                values.append(Value(key_of(path), self.read(match.group(2)), offset + start, offset + end))
            offset += len(line) + 1
        return values

    def read(self, written: str) -> str:
        """The text that is meant by what stands in a line."""
        if len(written) >= 2 and written[0] == written[-1] and written[0] in "\"'":
            return written[1:-1]
        return written

    def written(self, text: str, old: str) -> str:
        quote = old[:1] if len(old) >= 2 and old[0] == old[-1] and old[0] in "\"'" else ""
        return f"{quote}{text}{quote}"


class IniFormat(_LineFormat):
    """Sections, `name = value` or `name: value`, comments after `;` or `#` at the beginning of a line."""

    name = "ini"
    endings = (".ini", ".cfg", ".conf", ".properties")
    line = _INI_LINE


_ESCAPES = {"s": " ", "n": "\n", "t": "\t", "r": "\r", "\\": "\\"}


class DesktopEntryFormat(_LineFormat):
    """The Desktop Entry Specification of freedesktop.org, 1.5: values with its escapes."""

    name = "desktop"
    endings = (".desktop",)
    line = _ENTRY_LINE

    def read(self, written: str) -> str:
        return re.sub(r"\\(.)", lambda match: _ESCAPES.get(match.group(1), match.group()), written)

    def written(self, text: str, old: str) -> str:
        escaped = text.replace("\\", "\\\\")
        for letter, meant in (("n", "\n"), ("t", "\t"), ("r", "\r")):
            escaped = escaped.replace(meant, f"\\{letter}")
        return f"\\s{escaped[1:]}" if escaped.startswith(" ") else escaped


QUOTED = '""'
"""What stands in a line with an empty text in quotes."""


class PlainFormat(_LineFormat):
    """`name=value` without sections, with the quotes and backslashes of shells: that of `user-dirs.dirs`, too."""

    name = "plain"
    endings = (".dirs", ".env")
    line = _PLAIN_LINE
    sections = False

    def read(self, written: str) -> str:
        if written.startswith('"') and written.endswith('"') and len(written) >= 2:
            return re.sub(r'\\(["\\`$])', r"\1", written[1:-1])
        return super().read(written)

    def written(self, text: str, old: str) -> str:
        if old.startswith('"'):
            # A variable at the beginning stays one; every other sign of a shell is meant as it stands.
            variable = re.match(r"\$(?:HOME|\{HOME\})(?=/|$)", text)
            head = variable.group() if variable else ""
            escaped = re.sub(r'(["\\`$])', r"\\\1", text[len(head) :])
            return f'"{head}{escaped}"'
        return super().written(text, old)
