"""Two drafts beside each other: what they come to, and what one does otherwise than the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.names import shown
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.units import format_bytes, format_free
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.views.rehearsal_sentences import takes


@dataclass(frozen=True, slots=True)
class Row:
    """A figure of each draft, in words."""

    label: str
    figures: tuple[str, ...]
    """In the order of the drafts."""


@dataclass(frozen=True, slots=True)
class Otherwise:
    """A library that the drafts put on different drives."""

    library: str
    bytes: int
    places: tuple[str, ...]
    """The label of its drive in each draft; “stays” where it does not move."""


def figures(drafts: Sequence[Draft], timelines: Sequence[Timeline | None]) -> list[Row]:
    """What the drafts come to, figure by figure, with what carrying each would do on paper (None: nothing moves)."""

    def row(label: str, of: Sequence[str]) -> Row:
        return Row(label, tuple(of))

    rows = [
        row("waiting per week now", [draft.waiting[0].in_words() for draft in drafts]),
        row("waiting per week then", [draft.waiting[1].in_words() for draft in drafts]),
        row("moves", [str(len(draft.loads)) for draft in drafts]),
        row("moved", [format_bytes(sum(load.library.on_disk_bytes for load in draft.loads)) for draft in drafts]),
        row("takes", [takes(timeline) if timeline else "no time" for timeline in timelines]),
        row("problems left", [str(len(draft.breaches)) if draft.breaches else "nothing" for draft in drafts]),
    ]
    for drive in drafts[0].drives:
        if drive.attached:
            rows.append(
                row(
                    f"free on {shown(drive.label)}",
                    [
                        format_free(draft.free_then_bytes(drive.id))
                        if draft.free_then_bytes(drive.id) != drive.free_bytes
                        else "as now"
                        for draft in drafts
                        if any(drive.id == other.id for other in draft.drives)
                    ],
                )
            )
    return [row for row in rows if set(row.figures) != {"as now"}]


def otherwise(drafts: Sequence[Draft]) -> list[Otherwise]:
    """The libraries and parts that do not stand on the same drive in all drafts, largest first."""
    placed = [_places(draft) for draft in drafts]
    names = {path: rows for placement in placed for path, rows in placement.items()}
    different = []
    for path, (name, size, _) in names.items():
        places = tuple(placement[path][2] if path in placement else _of_whole(placement, path) for placement in placed)
        if len(set(places)) > 1:
            different.append(Otherwise(name, size, places))
    return sorted(different, key=lambda row: (-row.bytes, row.library))


def _places(draft: Draft) -> dict[str, tuple[str, int, str]]:
    """Name, bytes and the drive it goes to, by path."""
    return {
        library.path: (
            library.name,
            library.on_disk_bytes,
            shown(draft.drive(draft.places[library.id]).label) if library.id in draft.places else "stays",
        )
        for library in draft.snapshot.libraries
    }


def _of_whole(places: dict[str, tuple[str, int, str]], path: str) -> str:
    """Where a part goes in a draft that leaves its library whole."""
    above = [known for known in places if path.startswith(known.rstrip("/") + "/")]
    return places[max(above, key=len)][2] if above else "not there"
