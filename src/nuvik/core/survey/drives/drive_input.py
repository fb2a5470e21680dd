"""What people type of a drive, read: its name, its headroom, what it is for."""

from __future__ import annotations

from nuvik.core.model import units
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown

_LONGEST_NAME, _MOST_SHARE = 40, 90


def clean_name(name: str) -> str:
    """A drive's name without spare blanks. Raises BadInput."""
    cleaned = " ".join(name.split())
    if not cleaned or len(cleaned) > _LONGEST_NAME or not cleaned.isprintable():
        raise BadInput(f"A drive's name has 1 to {_LONGEST_NAME} plain characters.", next_step="Choose another.")
    return cleaned


def headroom_of(text: str, drive: Drive) -> int:
    """A headroom in bytes: a size such as `50G`, or a share such as `10%`. Raises BadInput."""
    if not text.strip().endswith("%"):
        size = units.parse_bytes(text)
        if size > drive.usable_bytes:
            raise BadInput(
                f"{units.format_bytes(size)} is more than {shown(drive.label)} has.",
                next_step="Choose a smaller headroom.",
            )
        return size
    try:
        share = float(text.strip()[:-1].replace(",", "."))
    except ValueError:
        share = -1.0
    if not 0 <= share <= _MOST_SHARE:
        raise BadInput(f"“{shown(text)}” is not a share of a drive.", next_step=f"Write 0% to {_MOST_SHARE}%.")
    return int(drive.usable_bytes * share / 100)


def kinds_of(text: str) -> tuple[str, ...]:
    """The kinds in a list with commas; empty for all. Raises BadInput."""
    kinds = []
    for word in text.replace(",", " ").split():
        if word not in list(Kind):
            raise BadInput(f"“{shown(word)}” is not a kind.", next_step=f"Kinds are {', '.join(Kind)}.")
        kinds.append(word)
    return tuple(dict.fromkeys(kinds))
