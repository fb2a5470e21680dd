"""What a user types on a library's card, made into a card, with every slip told."""

from __future__ import annotations

import os
from dataclasses import replace

from nuvik.core.model.errors import BadInput
from nuvik.core.model.library import Card, Kind, Part
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.units import parse_bytes

_LONGEST_NAME = 200
_MOST_OPENS = 10_000


def kind_of(text: str) -> Kind | None:
    """A kind by its name or letter; None for an empty text. Raises BadInput."""
    wanted = text.strip().casefold()
    if not wanted:
        return None
    for kind in Kind:
        if wanted in (str(kind), kind.letter.casefold()):
            return kind
    raise BadInput(f"“{shown(text)}” is no kind.", next_step=f"Known are: {', '.join(Kind)}.")


def opens_of(text: str) -> float | None:
    """Opens per week; None for an empty text. Raises BadInput."""
    if not text.strip():
        return None
    try:
        number = float(text.strip().replace(",", "."))
    except ValueError:
        number = -1.0
    if not 0 <= number <= _MOST_OPENS:
        raise BadInput(f"“{shown(text)}” is no number of opens a week.", next_step="Write a number such as 3 or 0.5.")
    return number


def speed_of(text: str) -> int | None:
    """Bytes per second from a text such as `40 MB/s`; None for an empty one. Raises BadInput."""
    if not text.strip():
        return None
    speed = parse_bytes(text.strip().removesuffix("/s"))
    if speed <= 0:
        raise BadInput(f"“{shown(text)}” is no speed.", next_step="Write for example 40 MB/s, or leave it empty.")
    return speed


def name_of(text: str) -> str | None:
    """A name; None for an empty text. Raises BadInput."""
    if not text.strip():
        return None
    if len(text) > _LONGEST_NAME or not text.isprintable():
        raise BadInput(f"A name has up to {_LONGEST_NAME} printable characters.", next_step="Choose another name.")
    return text.strip()


def part_of(text: str, library: str) -> Part:
    """A part from a text such as `Cache=cache`: a folder inside the library, and its kind. Raises BadInput."""
    folder, sign, kind = text.strip().rpartition("=")
    inner = os.path.normpath(os.path.join(library, folder))
    if not sign or not folder.strip() or inner == library or not is_within(inner, library) or "\0" in folder:
        raise BadInput(f"“{shown(text)}” is not FOLDER=KIND, a folder inside the library.",
                       next_step="Write for example Cache=cache.")  # fmt: skip
    relative = os.path.relpath(inner, library)
    return Part(name=relative, kind=kind_of(kind) or Kind.OTHER, path=relative)


def parts_of(text: str, library: str) -> tuple[Part, ...]:
    """Parts from a text with commas between them. Raises BadInput."""
    return tuple(part_of(one, library) for one in text.split(",") if one.strip())


def card_with(card: Card, name: str, kind: str, opens: str, needs: str, parts: str, **flags: bool) -> Card:
    """The card with what the fields say; `flags` are fields of Card that are true or false. Raises BadInput."""
    return replace(card, name=name_of(name), kind=kind_of(kind), opens_per_week=opens_of(opens),
                   needs_read_bytes_per_s=speed_of(needs), parts=parts_of(parts, card.path),
                   **flags)  # type: ignore[arg-type]  # fmt: skip
