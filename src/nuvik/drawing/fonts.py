"""Letters and their widths. Text is laid out by measuring it, never by hope.

The letters are those of DejaVu Sans, which comes with matplotlib; what it lacks (other scripts) is taken from fonts of
this system, as far as one has it. What no font has is drawn as `�`, never as an empty box.
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any

FAMILY = "DejaVu Sans"
_UNITS = 1000
_NO_GLYPH = "\ufffd"
_TOGETHER = "\u00a0"
_BEFORE_UNIT = re.compile(r"(?<=\d) (?=(?:[kMGT]?i?B(?:/s)?|ms|s|min|h|%)(?!\w))")
ASCENT, DESCENT = 0.928, 0.236
"""Of a line of DejaVu Sans, in its size."""


def width(words: str, size: float, bold: bool = False) -> float:
    """How wide words are, in points. Pairs of letters that stand closer than alone are not counted."""
    return sum(_advance(letter, bold) for letter in words) * size / _UNITS


def height(size: float) -> float:
    """How tall a line is, in points."""
    return (ASCENT + DESCENT) * size


def printable(words: str) -> str:
    """The same words with what no font has replaced."""
    return "".join(letter if _file_of(letter) is not None else _NO_GLYPH for letter in words)


def cut(words: str, size: float, room: float, bold: bool = False) -> str:
    """As much of the words as fits into so many points, with `…` where something is left out; empty where nothing
    fits.
    """
    if width(words, size, bold) <= room:
        return words
    left = room - width("…", size, bold)
    kept, used = "", 0.0
    for letter in words:
        used += width(letter, size, bold)
        if used > left:
            break
        kept += letter
    return f"{kept.rstrip()}…" if kept.strip() else ""


def wrapped(words: str, size: float, room: float, bold: bool = False) -> list[str]:
    """The words in lines of at most so many points; a word longer than a line is broken, and a figure stays with its
    unit.
    """
    lines, line = [], ""
    for word in re.split(r"[ \n]+", _BEFORE_UNIT.sub(_TOGETHER, words.strip())):
        while True:
            longer = f"{line} {word}".strip()
            if width(longer, size, bold) <= room:
                line = longer
                break
            if line:
                lines.append(line)
                line = ""
                continue
            fits = max(1, next((n for n in range(len(word), 0, -1) if width(word[:n], size, bold) <= room), 1))
            lines.append(word[:fits])
            word = word[fits:]
            if not word:
                break
    return [each.replace(_TOGETHER, " ") for each in (*lines, line) if each]


def families(words: str) -> list[str]:
    """The families that these words need, the usual one first."""
    files = {file for letter in words if (file := _file_of(letter)) is not None}
    names = sorted({_font(file).family_name for file in files} - {FAMILY})
    return [FAMILY, *names]


def file_of(family: str, bold: bool) -> str:
    """The file of a family that is known here."""
    from matplotlib import font_manager

    weight = "bold" if bold and family == FAMILY else "normal"
    return str(font_manager.findfont(font_manager.FontProperties(family=[family], weight=weight)))


@lru_cache(maxsize=1 << 16)
def _advance(letter: str, bold: bool) -> float:
    """How far a letter moves on, in thousandths of its size."""
    file = _file_of(letter)
    if file is None:
        return _advance(_NO_GLYPH, bold)
    usual = _usual_file()
    font = _font(file_of(FAMILY, bold) if file == usual else file)
    return float(font.load_char(ord(letter), flags=_unhinted()).linearHoriAdvance) / 65_536


@lru_cache(maxsize=1)
def _unhinted() -> Any:
    from matplotlib.ft2font import LoadFlags

    return LoadFlags.NO_HINTING


@lru_cache(maxsize=1 << 16)
def _file_of(letter: str) -> str | None:
    """The font that has a letter; None where no font has it."""
    usual = _usual_file()
    if ord(letter) in _letters(usual):
        return usual
    if not letter.isprintable():
        return None
    return next((file for file in _others() if ord(letter) in _letters(file)), None)


@lru_cache(maxsize=1)
def _usual_file() -> str:
    return file_of(FAMILY, bold=False)


@lru_cache(maxsize=1)
def _others() -> tuple[str, ...]:
    """Upright fonts of usual weight of this system, in a fixed order; those without serifs first."""
    from matplotlib import font_manager

    fonts = [
        font
        for font in font_manager.fontManager.ttflist
        if font.style == "normal" and str(font.weight) in ("400", "normal", "regular") and font.name != FAMILY
    ]
    ranked = sorted(fonts, key=lambda font: ("Sans" not in font.name, "Mono" in font.name, font.name, font.fname))
    return tuple(dict.fromkeys(font.fname for font in ranked))


@lru_cache(maxsize=256)
def _letters(file: str) -> frozenset[int]:
    try:
        return frozenset(_font(file).get_charmap())
    except (OSError, RuntimeError):
        return frozenset()


@lru_cache(maxsize=256)
def _font(file: str) -> Any:
    from matplotlib.ft2font import FT2Font

    font = FT2Font(file)
    font.set_size(_UNITS, 72)
    return font
