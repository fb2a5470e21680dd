"""What to buy: candidates beside what is here, by price, by what really arrives, and by the seconds they would save."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.purchase import Candidate
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.units import format_duration
from nuvik.core.planning.waiting import opening_s, waiting_s_per_week

TELLING = 5
"""How many libraries show what speed means here."""


def telling_libraries(libraries: Sequence[Library], most: int = TELLING) -> list[Library]:
    """The libraries that best show what speed means to this user: the largest of those that are opened often."""
    opened = [one for one in libraries if one.opens_per_week >= 1]
    opened = opened or [one for one in libraries if one.opens_per_week > 0] or list(libraries)
    return sorted(opened, key=lambda one: (-one.bytes, one.name))[:most]


@dataclass(frozen=True, slots=True, kw_only=True)
class Verdict:
    """What one candidate would do here."""

    candidate: Candidate
    saves_s_per_week: float
    """Waiting saved if what gains most were moved there, as far as it fits and keeps its headroom."""
    libraries: tuple[str, ...]
    """The names of what would move, most gain first."""

    def in_words(self) -> str:
        """One line: what it is held back by, and what it would save."""
        said = f"{shown(self.candidate.label)}: held back by {self.candidate.held_back_by}"
        if not self.libraries:
            return f"{said}; nothing that you have would open quicker from it"
        first = shown(self.libraries[0])
        more = f" and {len(self.libraries) - 1} more" if len(self.libraries) > 1 else ""
        return f"{said}; with {first}{more} on it you would wait {format_duration(self.saves_s_per_week)} less a week"


def judge(candidate: Candidate, snapshot: Snapshot) -> Verdict:
    """What a candidate would save. Filled greedily by seconds saved for each byte, which is close to the best; the
    figure is a lower bound, since nothing else is rearranged.
    """
    drives = {drive.id: drive for drive in snapshot.drives}
    there = candidate.as_drive()
    gains: list[tuple[float, Library]] = []
    for library in snapshot.libraries:
        here = drives.get(library.drive)
        if here is None or not here.attached:
            continue
        if candidate.upgrade_of is not None and library.drive != candidate.upgrade_of:
            continue  # what lies elsewhere stays: only the way to this drive changes
        if candidate.upgrade_of is None and not library.movable:
            continue
        gain = waiting_s_per_week(library, here) - waiting_s_per_week(library, there)
        if gain > 0:
            gains.append((gain, library))
    room = there.usable_bytes - there.headroom_bytes
    if candidate.upgrade_of is not None:
        room = there.usable_bytes  # it all lies there already
    saved, taken = 0.0, []
    for gain, library in sorted(gains, key=lambda pair: (-pair[0] / max(1, pair[1].bytes), pair[1].name)):
        if library.bytes <= room:
            room -= library.bytes
            saved += gain
            taken.append((gain, library.name))
    names = tuple(name for _, name in sorted(taken, key=lambda pair: (-pair[0], pair[1])))
    return Verdict(candidate=candidate, saves_s_per_week=saved, libraries=names)


def opening_times(library: Library, drives: Sequence[Drive]) -> dict[str, float]:
    """Seconds to open a library from each drive, by drive id."""
    return {drive.id: opening_s(library, drive) for drive in drives}
