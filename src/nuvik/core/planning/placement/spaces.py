"""What free space there is, what is to be left of it in the end, and how low it may go while things are moved.

Headroom is an aim for the end, with a price that grows the more of it is missing: for a hundredth nobody moves files
all night, while a drive without any of it soon stops what is at work on it. Below it lies a reserve that no drive is
brought under. All figures are assumed.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes
from nuvik.core.model.wishes import Wishes

GB = 1e9
_RESERVE_SHARE, _LEAST_RESERVE_BYTES, _MOST_LEAST_SHARE = 0.02, 2_000_000_000, 0.05
"""The reserve is a fiftieth of a drive, or 2 GB where that is more, but no more than a twentieth of a small drive."""
_SYSTEM_TIMES = 2
"""The system's own drive keeps so many times as much: what runs there writes at any moment."""
PRICE_STEPS = ((0.05, 0.2), (0.20, 1.0), (1.0, 4.0))
"""Up to which share of the headroom missing, and how many times `Weights.headroom_s` its price is, per share."""
ROOMY_TIMES = 3.0
"""With so many times its headroom free, room on a rapid drive is worth nothing in itself."""


@dataclass(slots=True)
class Space:
    """Free space that one drive has, or the volumes of one container share."""

    drives: list[Drive]
    headroom_bytes: int
    """What is to be free in the end."""
    asked: bool
    """Whether that was asked for in so many words, for this very proposal."""
    keeps_headroom: bool
    """Whether it may not be touched while things are moved either."""

    @property
    def id(self) -> str:
        return self.drives[0].id

    @property
    def keeps_words(self) -> str:
        """The wish that it keeps its headroom, in words."""
        labels = " and ".join(shown(drive.label) for drive in self.drives)
        keeps = "keep" if len(self.drives) > 1 else "keeps"
        return f"{labels} {keeps} {format_bytes(self.headroom_bytes)} free"

    @property
    def free_bytes(self) -> int:
        return self.drives[0].free_bytes

    @property
    def short_bytes(self) -> int:
        """How much of the headroom is missing now."""
        return max(0, self.headroom_bytes - self.free_bytes)

    @property
    def reserve_bytes(self) -> int:
        """What should never be used up."""
        return min(self.headroom_bytes, max(map(reserve_bytes, self.drives)))

    @property
    def least_bytes(self) -> int:
        """What must be free in the end: the reserve, or what is left of it now."""
        return min(self.free_bytes, self.reserve_bytes)

    @property
    def floor_bytes(self) -> int:
        """What must be free at every moment: of a drive that is short already, what is free now; else the reserve."""
        if self.keeps_headroom:
            return self.headroom_bytes
        return self.free_bytes if self.short_bytes else self.reserve_bytes


def reserve_bytes(drive: Drive) -> int:
    """What should never be used up on a drive, in bytes."""
    least = min(_LEAST_RESERVE_BYTES, _MOST_LEAST_SHARE * drive.usable_bytes)
    reserve = max(_RESERVE_SHARE * drive.usable_bytes, least)
    return int(reserve * (_SYSTEM_TIMES if drive.system else 1))


def headroom_wanted(drive: Drive, wishes: Wishes) -> int:
    """What is to be free on a drive."""
    wanted = wishes.headroom_bytes.get(drive.id, drive.headroom_bytes)
    more = wishes.free_more_bytes.get(drive.id)
    return wanted if more is None else max(wanted, drive.free_bytes + more)


def spaces_of(drives: Iterable[Drive], wishes: Wishes) -> list[Space]:
    """The attached drives by the free space they take from, with what is to be left of it."""
    spaces: list[Space] = []
    for drive in drives:
        if not drive.attached:
            continue
        headroom = headroom_wanted(drive, wishes)
        asked = drive.id in wishes.headroom_bytes or drive.id in wishes.free_more_bytes
        for space in spaces:
            if space.drives[0].shares_space_with(drive):
                space.drives.append(drive)
                space.headroom_bytes = max(space.headroom_bytes, headroom)
                space.asked = space.asked or asked
                break
        else:
            spaces.append(Space([drive], headroom, asked, wishes.keep_headroom))
    return spaces
