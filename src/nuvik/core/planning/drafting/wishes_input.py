"""What a user asks of a proposal, as typed, parsed into wishes; every mistake is reported."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes_apart, parse_bytes
from nuvik.core.model.wishes import WEIGHTS, Style, Weights, Wishes

_MOST = 10_000.0


def style_of(text: str) -> Style:
    """A style by its name or first letter; balanced for an empty text. Raises BadInput."""
    wanted = text.strip().casefold() or Style.BALANCED
    for style in Style:
        if wanted in (style, style[0]):
            return style
    raise BadInput(f"“{shown(text)}” is not a style.", next_step=f"Choose one of: {', '.join(Style)}.")


def number_of(text: str, what: str) -> float | None:
    """A number above 0; None for an empty text. Raises BadInput, with `what` it was for."""
    if not text.strip():
        return None
    try:
        number = float(text.strip().replace(",", "."))
    except ValueError:
        number = 0.0
    if not 0 < number <= _MOST:
        raise BadInput(f"{what}: “{shown(text.strip())}” is out of range.", next_step="Use a number above 0.")
    return number


def count_of(text: str, what: str) -> int | None:
    """A whole number of at least 1; None for an empty text. Raises BadInput, with `what` it was for."""
    number = number_of(text, what)
    if number is not None and number != int(number):
        raise BadInput(f"{what}: “{shown(text.strip())}” is not a whole number.", next_step="Use a number such as 5.")
    return None if number is None else int(number)


def weights_of(style: Style, changed: Iterable[str]) -> Weights:
    """The weights of a style, with some changed as `name=seconds` says. Raises BadInput."""
    weights = WEIGHTS[style]
    names = {name for name, _, _ in weights.in_words()}
    for text in changed:
        name, _, number = text.partition("=")
        try:
            seconds = float(number)
        except ValueError:
            seconds = -1.0
        if name not in names or not 0 <= seconds <= 1e9:
            raise BadInput(
                f"“{shown(text)}” is not a weight.",
                next_step=f"Write NAME=SECONDS with one of these names: {', '.join(sorted(names))}.",
            )
        weights = replace(weights, **{name: seconds})
    return weights


def check_sizes(drives: Iterable[Drive], headroom_bytes: Mapping[str, int], free_more_bytes: Mapping[str, int]) -> None:
    """Raises BadInput when more is to be free on a drive than it can hold in all."""
    for drive in drives:
        for asked, bytes_ in (
            ("to be kept free", headroom_bytes.get(drive.id, 0)),
            ("more to become free", free_more_bytes.get(drive.id, 0)),
        ):
            most = drive.usable_bytes - (drive.free_bytes if asked.startswith("more") else 0)
            if bytes_ > most:
                what, room = format_bytes_apart(bytes_, most)
                raise BadInput(
                    f"{what} {asked} on {shown(drive.label)} is more than there can be.",
                    next_step=f"Ask for at most {room}.",
                )


def wishes_as_typed(
    drive: Drive | None, fields: Mapping[str, str], room_to_grow: Callable[[float], dict[str, int]], **flags: bool
) -> Wishes:
    """The wishes that the fields of a form say: `style`, `free` (more to become free on `drive`), `moves`, `hours`,
    `weeks`, and `grow`, the weeks of growth for which `room_to_grow` tells the headroom by drive id; `flags` are fields
    of Wishes that are true or false. Raises BadInput.
    """
    hours, grow = number_of(fields["hours"], "hours"), number_of(fields["grow"], "weeks of growth")
    free = {}
    if drive is not None and fields["free"].strip():
        free[drive.id] = parse_bytes(fields["free"].strip())
        check_sizes([drive], {}, free)
    wishes = Wishes(
        style=style_of(fields["style"]),
        free_more_bytes=free,
        most_moves=count_of(fields["moves"], "moves"),
        most_moving_s=None if hours is None else 3600 * hours,
        weeks=number_of(fields["weeks"], "weeks") or Wishes().weeks,
        headroom_bytes=room_to_grow(grow) if grow else {},
    )
    switched: dict[str, Any] = dict(flags)
    return replace(wishes, **switched)
