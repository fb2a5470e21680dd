"""The command line of a menu entry, as the Desktop Entry Specification quotes it, with a program's new place in it."""

from __future__ import annotations

import re

from nuvik.core.model.paths import is_within

_WORD = re.compile(r'"((?:[^"\\]|\\.)*)"|(\S+)')
_NEEDS_QUOTES = re.compile(r"""[\s"'\\><~|&;$*?#()`]""")


def respelled_command(value: str, old: str, new: str) -> str | None:
    """A command line in which every word that is a path in the old place leads to the new one; None where none is."""
    changed = False

    def respelled(match: re.Match[str]) -> str:
        nonlocal changed
        quoted, plain = match.groups()
        word = plain if quoted is None else re.sub(r'\\(["`$\\])', r"\1", quoted)
        if not is_within(word, old):
            return match.group()
        changed = True
        path = new + word[len(old) :]
        if quoted is None and not _NEEDS_QUOTES.search(path):
            return path
        escaped = re.sub(r'(["`$\\])', r"\\\1", path)
        return f'"{escaped}"'

    result = _WORD.sub(respelled, value)
    return result if changed else None
