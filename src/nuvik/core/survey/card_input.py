"""What a user types on a library's card, parsed into a card; every mistake is reported."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any

from nuvik.core.model.errors import BadInput, NotNamed
from nuvik.core.model.library import Card, Kind, Library, Part
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within, normalised
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
    raise BadInput(f"“{shown(text)}” is not a kind.", next_step=f"Choose one of: {', '.join(Kind)}.")


def opens_of(text: str) -> float | None:
    """Opens per week; None for an empty text. Raises BadInput."""
    if not text.strip():
        return None
    try:
        number = float(text.strip().replace(",", "."))
    except ValueError:
        number = -1.0
    if not 0 <= number <= _MOST_OPENS:
        raise BadInput(
            f"“{shown(text)}” is not a number of openings a week.", next_step="Write a number such as 3 or 0.5."
        )
    return number


def speed_of(text: str) -> int | None:
    """Bytes per second from a text such as `40 MB/s`; None for an empty one. Raises BadInput."""
    if not text.strip():
        return None
    if not any(letter.isalpha() for letter in text.removesuffix("/s")):
        raise BadInput(f"“{shown(text)}” has no unit.", next_step=f"Write for example {shown(text.strip())} MB/s.")
    speed = parse_bytes(text.strip().removesuffix("/s"))
    if speed <= 0:
        raise BadInput(f"“{shown(text)}” is not a speed.", next_step="Write for example 40 MB/s, or cancel empty.")
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
        raise BadInput(
            f"“{shown(text)}” is not of the form FOLDER=KIND, with a folder inside the library.",
            next_step="Write for example Cache=cache.",
        )
    relative = os.path.relpath(inner, library)
    if os.path.isdir(library) and not os.path.isdir(inner):
        raise BadInput(
            f"There is no folder {shown(relative)} in {shown(library)}.",
            next_step="Write the folder as it is named there.",
        )
    return Part(name=relative, kind=kind_of(kind) or Kind.OTHER, path=relative)


def parts_of(text: str, library: str) -> tuple[Part, ...]:
    """Parts from a text with commas between them. Raises BadInput."""
    return tuple(part_of(word, library) for word in text.split(",") if word.strip())


def places_of(text: str, libraries: Iterable[Library]) -> tuple[str, ...]:
    """The paths of libraries from their names or paths with commas between them. Raises BadInput."""
    known = list(libraries)
    places = []
    for name in filter(None, (word.strip() for word in text.split(","))):
        meant = [library.path for library in known if name in (library.path, library.tether)]
        meant = meant or [library.path for library in known if library.name.casefold() == name.casefold()]
        if len(meant) != 1:
            wrong = "is the name of several libraries" if meant else "is not a library that the last survey knows"
            raise BadInput(f"“{shown(name)}” {wrong}.", next_step="Write its name as it is listed, or its path.")
        places.append(meant[0])
    return tuple(dict.fromkeys(places))


def card_with_options(card: Card, typed: Mapping[str, Any]) -> Card:
    """The card with what the options of a command say, those that are None left out: texts under the names of the
    card's fields, and yes or no for its flags. Raises BadInput, and Refused when a library that is named is not there.
    """
    read: dict[str, Callable[[Any], Any]] = {
        "name": name_of,
        "kind": kind_of,
        "opens_per_week": lambda number: opens_of(str(number)),
        "needs_read_bytes_per_s": speed_of,
        "keep_with": lambda paths: tuple(_other_place(path, card.path) for path in paths),
        "apart_from": lambda paths: tuple(_other_place(path, card.path) for path in paths),
        "collection": name_of,
        "falls_back_to": lambda path: _other_place(path, card.path) if path else None,
        "parts": lambda texts: tuple(part_of(text, card.path) for text in texts),
    }
    given = {field: value for field, value in typed.items() if value is not None}
    return replace(card, **{field: read[field](value) if field in read else value for field, value in given.items()})


def _other_place(path: str, this: str) -> str:
    """The place of another library than `this`. Raises Refused when nothing is there."""
    place = os.path.realpath(normalised(path))
    if place == this:
        raise NotNamed(f"{shown(place)} is that library itself.", next_step="Name another one.")
    if not os.path.isdir(place):
        raise NotNamed(f"There is no library at {shown(place)}.", next_step="Check the path.")
    return place


def card_with_form(card: Card, fields: Mapping[str, str], libraries: Iterable[Library] = (), **flags: bool) -> Card:
    """The card with what the fields of a form say: `name`, `kind`, `opens`, `needs`, `parts`, `with`, `apart`,
    `collection` and `fallback`; `flags` are fields of Card that are true or false. Raises BadInput.
    """
    known, given = list(libraries), dict[str, Any](flags)
    return replace(
        card,
        name=name_of(fields["name"]),
        kind=kind_of(fields["kind"]),
        opens_per_week=opens_of(fields["opens"]),
        needs_read_bytes_per_s=speed_of(fields["needs"]),
        parts=parts_of(fields["parts"], card.path),
        keep_with=places_of(fields["with"], known),
        apart_from=places_of(fields["apart"], known),
        collection=name_of(fields["collection"]),
        falls_back_to=_fallback_of(fields["fallback"], card.path, known),
        **given,
    )


def _fallback_of(text: str, this: str, libraries: Iterable[Library]) -> str | None:
    """The place of the library that a field names; None for an empty text. Raises BadInput."""
    places = places_of(text, libraries)
    if len(places) > 1 or this in places:
        raise BadInput(
            "A fallback is one other library." if len(places) > 1 else "A library is not its own fallback.",
            next_step="Name the smaller library that you use while this one is away.",
        )
    return places[0] if places else None
