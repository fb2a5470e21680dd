"""Names are hostile: how any file name is shown without harm.

A name may hold bytes that are not UTF-8 (Python keeps those as surrogates), newlines, terminal escape
sequences, and characters that turn text around. Names are *carried* exactly; only what is *shown* goes
through here.
"""

from __future__ import annotations

import unicodedata

OURS_PREFIX = ".nuvik"
"""Files and folders whose names begin so are Nuvik's own: incoming, held, state, test files."""
# Format characters that reorder or hide text (Unicode category Cf) are shown by number, as are controls, and spaces
# that only look like the plain one.
_SHOWN_BY_NUMBER = {"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp", "Zs"}


def shown(name: str) -> str:
    """A harmless, one-line picture of a name or path: everything unprintable appears as `\\n`, `\\xff`, `\\u202e`."""
    if name.isascii() and name.isprintable():
        return name
    return "".join(_shown_character(character) for character in name)


def _shown_character(character: str) -> str:
    if character == " ":
        return " "
    if character == "\n":
        return "\\n"
    if character == "\t":
        return "\\t"
    if character in "\ufe0e\ufe0f":  # it only says how the sign before it is drawn, and terminals differ in that
        return ""
    code = ord(character)
    if 0xDC80 <= code <= 0xDCFF:  # a byte that is not UTF-8, as os.fsdecode keeps it
        return f"\\x{code - 0xDC00:02x}"
    if unicodedata.category(character) in _SHOWN_BY_NUMBER:
        return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}"
    return character


def cells_of(text: str) -> int:
    """How many cells of a terminal a text takes: wide characters take two, marks that stand on others none."""
    return len(text) if text.isascii() else sum(map(_cells, text))


def _cells(character: str) -> int:
    if unicodedata.category(character) in ("Mn", "Me"):
        return 0
    return 2 if unicodedata.east_asian_width(character) in "WF" else 1


def shorten(path: str, width: int) -> str:
    """Cut a path in the middle with `…` so that it fits `width` cells; its end matters most."""
    text = shown(path)
    if cells_of(text) <= width:
        return text
    if width < 5:
        return _first(text, width)
    head = (width - 1) // 3
    end = _first(text[::-1], width - 1 - head)[::-1]
    return f"{_first(text, head)}…{end}"


def _first(text: str, cells: int) -> str:
    """As much of the beginning of a text as fits."""
    taken = 0
    for number, character in enumerate(text):
        taken += _cells(character)
        if taken > cells:
            return text[:number]
    return text


def padded(text: str, cells: int) -> str:
    """A text with blanks behind it up to so many cells."""
    return text + " " * (cells - cells_of(text))


def column(path: str, cells: int) -> str:
    """A path or name for a column: cut in its middle, or filled with blanks, to exactly so many cells."""
    return padded(shorten(path, cells), cells)


def fitted(text: str, cells: int) -> str:
    """A text cut at its end, or filled with blanks, to exactly so many cells."""
    return padded(text if cells_of(text) <= cells else f"{_first(text, max(0, cells - 1))}…"[: max(0, cells)], cells)
