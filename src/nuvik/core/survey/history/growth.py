"""Growth: what changed between two snapshots, and how long a drive lasts at the rate so far."""

from __future__ import annotations

import statistics
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations

from nuvik.core.model.clock import moment_of
from nuvik.core.model.drive import Drive
from nuvik.core.model.history import Sighting
from nuvik.core.model.snapshot import LOOSE_LISTED, Snapshot

_WEEK_S = 7 * 86_400
_FEWEST_SIGHTINGS = 3
_MOST_SIGHTINGS = 120
_SHORTEST_DAYS = 6.0
FAR_WEEKS = 520.0
"""Beyond ten years a forecast says nothing."""
_LOOSE_CHANGE_BYTES = 10**6
"""Assumed: smaller changes outside libraries interest nobody."""
SMALL_THINGS = "small things"


class Change(StrEnum):
    """What became of a library, or of data in none, between two snapshots."""

    NEW = "new"
    GREW = "grew"
    SHRANK = "shrank"
    MOVED = "moved"
    WENT = "went"


@dataclass(frozen=True, slots=True)
class Difference:
    """A library, or a folder of data in none, that is not as it was."""

    change: Change
    name: str
    drive: str
    path: str
    before_bytes: int
    now_bytes: int
    loose: bool = False
    """It is in no library."""

    @property
    def bytes(self) -> int:
        """More (or, below zero, less) on its drive now."""
        return self.now_bytes - self.before_bytes


def differences(before: Snapshot, now: Snapshot) -> list[Difference]:
    """What changed, the largest change first. What an away drive holds is not compared."""
    away = {drive.id for drive in (*before.drives, *now.drives) if not drive.attached}
    then = {library.id: library for library in before.libraries if library.drive not in away}
    here = {library.id: library for library in now.libraries if library.drive not in away}
    differences = []
    for key in then.keys() | here.keys():
        old, new = then.get(key), here.get(key)
        library = new or old
        assert library is not None
        sizes = (old.on_disk_bytes if old else 0, new.on_disk_bytes if new else 0)
        if old is None:
            change = Change.MOVED if library.tether is not None else Change.NEW
        elif new is None:
            change = Change.WENT
        elif sizes[0] == sizes[1]:
            continue
        else:
            change = Change.GREW if sizes[1] > sizes[0] else Change.SHRANK
        differences.append(Difference(change, library.name, library.drive, library.path, *sizes))
    for loose in _loose_differences(before, now):
        if loose.drive not in away:
            differences.append(loose)
    return sorted(differences, key=lambda difference: (-abs(difference.bytes), difference.path))


def _loose_differences(before: Snapshot, now: Snapshot) -> Iterator[Difference]:
    """What changed outside the libraries. A snapshot lists only the largest folders: of one that only the other lists,
    no more is known than that it was smaller than all that are listed.
    """
    sizes = [
        {(folder.drive, folder.path): folder for folder in shot.loose if not folder.small} for shot in (before, now)
    ]
    listed_from = [shot.loose[-1].bytes if len(shot.loose) >= LOOSE_LISTED else 0 for shot in (before, now)]
    for key in sizes[0].keys() | sizes[1].keys():
        then, here = (
            of_shot[key].bytes if key in of_shot else least for of_shot, least in zip(sizes, listed_from, strict=True)
        )
        if abs(here - then) < _LOOSE_CHANGE_BYTES:
            continue
        if key not in sizes[0] and not listed_from[0]:
            change = Change.NEW
        elif key not in sizes[1] and not listed_from[1]:
            change = Change.WENT
        else:
            change = Change.GREW if here > then else Change.SHRANK
        yield Difference(change, key[1], *key, then, here, loose=True)
    small = [{things.drive: things.bytes for things in shot.small_things} for shot in (before, now)]
    for drive in small[0].keys() | small[1].keys():
        then, here = small[0].get(drive, 0), small[1].get(drive, 0)
        if abs(here - then) >= _LOOSE_CHANGE_BYTES:
            change = Change.GREW if here > then else Change.SHRANK
            yield Difference(change, SMALL_THINGS, drive, "", then, here, loose=True)


@dataclass(frozen=True, slots=True)
class Growth:
    """How fast a drive fills, in bytes a week."""

    bytes_per_week: float
    """The middle of what pairs of surveys say."""
    least_bytes_per_week: float
    most_bytes_per_week: float
    """The middle half of what pairs of surveys say: half of them lie between."""
    surveys: int
    days: float


def growth(history: Sequence[Sighting]) -> Growth | None:
    """The rate over these sightings, oldest first: the median slope of all pairs (Theil and Sen), which a single large
    download or clean-up does not upset. None where they are too few or too close together.
    """
    history = history[-_MOST_SIGHTINGS:]
    if len(history) < _FEWEST_SIGHTINGS:
        return None
    at_s = [moment_of(result.taken_at).timestamp() for result in history]
    days = (at_s[-1] - at_s[0]) / 86_400
    if days < _SHORTEST_DAYS:
        return None
    slopes = [
        (other.bytes - earlier.bytes) / (there - here) * _WEEK_S
        for (here, earlier), (there, other) in combinations(zip(at_s, history, strict=True), 2)
        if there - here > 3_600
    ]
    if len(slopes) < 2:
        return None
    least, _, most = statistics.quantiles(slopes, n=4, method="inclusive")
    return Growth(statistics.median(slopes), least, most, len(history), days)


def weeks_left(drive: Drive, rate: Growth) -> tuple[float, float] | None:
    """Weeks until the drive goes under its headroom: at the quick and at the slow end. None when it does not grow."""
    room = drive.free_bytes - drive.headroom_bytes
    if rate.bytes_per_week <= 0 or room <= 0:
        return None
    soonest = room / max(rate.most_bytes_per_week, rate.bytes_per_week)
    latest = room / rate.least_bytes_per_week if rate.least_bytes_per_week > 0 else FAR_WEEKS
    return (soonest, min(latest, FAR_WEEKS)) if soonest < FAR_WEEKS else None
