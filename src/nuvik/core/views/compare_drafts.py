"""Two drafts beside each other: what they come to, and what one does otherwise than the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_duration, format_free
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.placement.costs import moving_s


@dataclass(frozen=True, slots=True)
class Row:
    """One figure of each draft, in words."""

    label: str
    figures: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Otherwise:
    """One library that the drafts put on different drives."""

    library: str
    bytes: int
    places: tuple[str, ...]
    """The label of its drive in each draft; “stays” where it does not move."""


def figures(drafts: Sequence[Draft]) -> list[Row]:
    """What the drafts come to, figure by figure."""

    def row(label: str, of: Sequence[str]) -> Row:
        return Row(label, tuple(of))

    rows = [
        row("waiting a week now", [one.waiting[0].in_words() for one in drafts]),
        row("waiting a week then", [one.waiting[1].in_words() for one in drafts]),
        row("moves", [str(len(one.loads)) for one in drafts]),
        row("moved", [format_bytes(sum(load.library.bytes for load in one.loads)) for one in drafts]),
        row(
            "takes about",
            [
                format_duration(sum(moving_s(load.library, load.source, load.target) for load in one.loads))
                for one in drafts
            ],
        ),
        row("still wrong", [str(len(one.breaches)) if one.breaches else "nothing" for one in drafts]),
    ]
    for drive in drafts[0].drives:
        if drive.attached:
            rows.append(
                row(
                    f"free on {shown(drive.label)}",
                    [
                        format_free(one.free_then_bytes(drive.id))
                        if one.free_then_bytes(drive.id) != drive.free_bytes
                        else "as now"
                        for one in drafts
                        if any(drive.id == other.id for other in one.drives)
                    ],
                )
            )
    return [one for one in rows if set(one.figures) != {"as now"}]


def otherwise(drafts: Sequence[Draft]) -> list[Otherwise]:
    """The libraries and parts that do not stand on the same drive in all drafts, largest first."""
    placed = [_places(draft) for draft in drafts]
    names = {path: found for one in placed for path, found in one.items()}
    different = []
    for path, (name, size, _) in names.items():
        places = tuple(one[path][2] if path in one else _of_whole(one, path) for one in placed)
        if len(set(places)) > 1:
            different.append(Otherwise(name, size, places))
    return sorted(different, key=lambda one: (-one.bytes, one.library))


def _places(draft: Draft) -> dict[str, tuple[str, int, str]]:
    """Name, bytes and the drive it goes to, by path."""
    return {
        one.path: (
            one.name,
            one.bytes,
            shown(draft.drive(draft.places[one.id]).label) if one.id in draft.places else "stays",
        )
        for one in draft.snapshot.libraries
    }


def _of_whole(places: dict[str, tuple[str, int, str]], path: str) -> str:
    """Where a part goes in a draft that leaves its library whole."""
    above = [known for known in places if path.startswith(known.rstrip("/") + "/")]
    return places[max(above, key=len)][2] if above else "is not there"
