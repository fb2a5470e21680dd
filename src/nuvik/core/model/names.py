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
    code = ord(character)
    if 0xDC80 <= code <= 0xDCFF:  # a byte that is not UTF-8, as os.fsdecode keeps it
        return f"\\x{code - 0xDC00:02x}"
    if unicodedata.category(character) in _SHOWN_BY_NUMBER:
        return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}"
    return character


def shorten(path: str, width: int) -> str:
    """Cut a path in the middle with `…` so that it fits `width` characters; its end matters most."""
    text = shown(path)
    if len(text) <= width:
        return text
    if width < 5:
        return text[:width]
    head = (width - 1) // 3
    return f"{text[:head]}…{text[-(width - 1 - head) :]}"
