"""Sizes, speeds and durations: parsed from what people type and written the way people read.

GB is 10^9 bytes and GiB is 2^30 (IEC 80000-13). The user chooses one base for the whole program
(`prefer`), so that one figure never mixes both. Inside, sizes are always `int` bytes, speeds bytes
per second and times seconds.
"""

from __future__ import annotations

import math
import re
from enum import StrEnum

from nuvik.core.model.errors import BadInput


class Base(StrEnum):
    """Which family of units is shown."""

    DECIMAL = "decimal"
    BINARY = "binary"


_DECIMAL = ("B", "kB", "MB", "GB", "TB", "PB", "EB")
_BINARY = ("B", "KiB", "MiB", "GiB", "TiB", "PiB", "EiB")
_preferred = Base.DECIMAL

_SIZE = re.compile(r"^\s*(\d+(?:[.,_]\d+)*|\.\d+)\s*([a-zA-Z]*)\s*$")
_PREFIXES = "KMGTPE"


def prefer(base: Base) -> None:
    """Choose the units for every figure shown from now on. One choice for the whole process."""
    global _preferred
    _preferred = base


def preferred() -> Base:
    """The base in which figures are shown now."""
    return _preferred


def format_bytes(count_bytes: int, base: Base | None = None) -> str:
    """Write a size with three meaningful digits: `93.1 GB`, `640 MB`, `0 B`. Negative sizes keep their sign."""
    base = base or _preferred
    step, names = (1000, _DECIMAL) if base is Base.DECIMAL else (1024, _BINARY)
    sign = "-" if count_bytes < 0 else ""
    value, power = float(abs(count_bytes)), 0
    # What would be rounded up to a whole step is written in the next unit: 999.6 kB is 1.00 MB.
    while power < len(names) - 1 and value >= step - 0.5:
        value, power = value / step, power + 1
    if power == 0:
        return f"{sign}{int(value)} B"
    digits = 2 if value < 10 else 1 if value < 100 else 0
    return f"{sign}{value:.{digits}f} {names[power]}"


def format_bytes_apart(first_bytes: int, second_bytes: int) -> tuple[str, str]:
    """Write two sizes that a sentence compares: with as many digits more as it takes to tell them apart."""
    first, second = format_bytes(first_bytes), format_bytes(second_bytes)
    if first != second or first_bytes == second_bytes:
        return first, second
    step, names = (1000, _DECIMAL) if _preferred is Base.DECIMAL else (1024, _BINARY)
    power = names.index(first.rpartition(" ")[2])
    for digits in range(2, 3 * power + 1):
        first, second = (f"{count / step**power:.{digits}f} {names[power]}" for count in (first_bytes, second_bytes))
        if first != second:
            return first, second
    return f"{first_bytes:,} B", f"{second_bytes:,} B"


def instead_of(after: str, before: str) -> str:
    """For example `9 s instead of 74 s`; `9 s, as now` where both are written alike."""
    return f"{after}, as now" if after == before else f"{after} instead of {before}"


def from_to(before: str, after: str) -> str:
    """For example `6 min → 2 min`; `still 6 min` where both are written alike."""
    return f"still {after}" if before == after else f"{before} → {after}"


def free_from_to(before_bytes: int, after_bytes: int) -> str:
    """Write how free space changes: `36.6 GB → 65.9 GB free`; with more digits where the two would be written alike."""
    if after_bytes < 0:
        return f"{format_bytes(before_bytes)} → {format_free(after_bytes)}"
    before, after = format_bytes_apart(before_bytes, after_bytes)
    return f"{before} → {after} free"


def format_free(count_bytes: int, base: Base | None = None) -> str:
    """Write free space; a negative amount is written as what is lacking: `38 GB free`, `12 GB short`."""
    return f"{format_bytes(abs(count_bytes), base)} {'free' if count_bytes >= 0 else 'short'}"


def format_speed(bytes_per_s: float, base: Base | None = None) -> str:
    """Write a speed: `516 MB/s`."""
    return f"{format_bytes(round(bytes_per_s), base)}/s"


def format_duration(seconds: float) -> str:
    """Write a time with the two units that matter: `0.4 s`, `9 s`, `2 min 05 s`, `1 h 24 min`, `3 d 4 h`."""
    if seconds < 0:
        return "-" + format_duration(-seconds)
    if seconds < 9.95:
        return f"{seconds:.1f} s" if seconds >= 0.05 else "0 s"
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        return f"{whole // 60} min {whole % 60:02d} s"
    minutes = round(seconds / 60)
    if minutes < 24 * 60:
        return f"{minutes // 60} h {minutes % 60:02d} min"
    hours = round(seconds / 3600)
    return f"{hours // 24} d {hours % 24} h"


def format_count(number: int, text: str, many: str | None = None) -> str:
    """Write a count with its noun: `1 file`, `2,000 files`; the plural of `library` is given as `many`."""
    return f"{number:,} {text if number == 1 else many or text + 's'}"


def and_more(count: int, text: str) -> str:
    """How many further things there are, as the end of a list of one: `, and one more problem`."""
    if count <= 0:
        return ""
    return f", and one more {text}" if count == 1 else f", and {count:,} more {text}s"


def parse_bytes(text: str) -> int:
    """Read a size as people type it: `93.1 GB`, `100G`, `1.5TB`, `512MiB`, `4096`.

    A bare letter (`100G`) means the decimal unit, as drives are labelled.
    Raises BadInput when the text is no size or is not a finite whole number of bytes.
    """
    match = _SIZE.match(text)
    if match is None:
        raise BadInput(f"“{text}” is not a size.", next_step="Write for example 100G, 1.5TB or 512MiB.")
    number_text, unit = match.group(1).replace("_", ""), match.group(2)
    if re.fullmatch(r"\d{1,3}(,\d{3})+", number_text):
        number_text = number_text.replace(",", "")
    try:
        number = float(number_text.replace(",", "."))
    except ValueError:
        raise BadInput(f"“{text}” is not a size.", next_step="Write for example 100G, 1.5TB or 512MiB.") from None
    factor = _factor(unit)
    if factor is None or not math.isfinite(number):
        raise BadInput(f"“{text}”: unknown unit “{unit}”.", next_step="Use B, kB, MB, GB, TB or KiB, MiB, GiB, TiB.")
    return round(number * factor)


def _factor(unit: str) -> int | None:
    letters = unit.upper()
    if letters in ("", "B"):
        return 1
    match = re.fullmatch(rf"([{_PREFIXES}])(I?)B?", letters)
    if match is None:
        return None
    return int((1024 if match.group(2) else 1000) ** (_PREFIXES.index(match.group(1)) + 1))
