"""What-ifs of a drive that is not there: unplugged, or failed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.timeline import Timeline
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.whatifs import WhatIf, by_use, named


@dataclass(frozen=True)
class Away(WhatIf):
    """A drive is unplugged once the plan is carried: take the laptop without it."""

    drive: Drive

    @property
    def name(self) -> str:
        return f"{shown(self.drive.label)} is unplugged"

    def effect(self, plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> tuple[str, bool]:
        gone, by_new_path, stays = self._parted(changed)
        if not gone and not by_new_path:
            return "everything still opens", False
        words = f"{format_count(len(gone), 'library', 'libraries')} will not open"
        words = words if gone else "every library still opens"
        if stays and gone:
            words += f", {len(stays)} still will"
        if instead := _fallbacks(gone, stays, changed):
            words += f", {format_count(len(instead), 'fallback')} among them"
        if by_new_path:
            words += f"; {len(by_new_path)} only by the new path, because the old path is on that drive"
        used = [step.n for step in changed.plan.steps if self.drive.id in (step.from_drive, step.to_drive)]
        if used:
            words += f"; it must be attached until {'step' if len(used) == 1 else 'steps'} {_numbers(used)} are done"
        return words, bool(gone)

    def names(self, changed: Scene) -> str:
        gone, by_new_path, stays = self._parted(changed)
        instead = _fallbacks(gone, stays, changed)
        rows = (
            ("Will not open", gone),
            ("Open in their place", instead),
            ("Only by the new path", by_new_path),
            ("Still will", stays if gone else ()),
        )
        return ". ".join(f"{label}: {named(by_use(libraries))}" for label, libraries in rows if libraries).replace(
            "…. ", "… "
        )

    def _parted(self, changed: Scene) -> tuple[list[Library], list[Library], list[Library]]:
        """What will not open without the drive, what opens only by its new path, and what still opens."""
        gone = list(changed.not_opening_without(self.drive.id))
        closed = {library.id for library in gone}
        opens = [
            (standing, place)
            for standing, place in changed.stands
            if standing.id not in closed and (standing.piece is None or standing.piece.body)
        ]
        by_new_path = [
            standing for standing, place in opens if standing.drive == self.drive.id and place != self.drive.id
        ]
        stays = [standing for standing, _ in opens if standing not in by_new_path]
        return gone, by_new_path, stays


def _fallbacks(gone: Sequence[Library], stays: Sequence[Library], scene: Scene) -> list[Library]:
    """What opens and is used in place of something that does not."""
    if scene.snapshot is None:
        return []
    used = {other.id for library in gone if (other := scene.snapshot.fallback_of(library)) is not None}
    return [library for library in stays if library.id in used]


def _numbers(numbers: Sequence[int]) -> str:
    return ", ".join(map(str, numbers[:6])) + (" …" if len(numbers) > 6 else "")


@dataclass(frozen=True)
class Fails(WhatIf):
    """A drive fails for good once the plan is carried; with it every volume of its disk."""

    drive: Drive

    @property
    def name(self) -> str:
        return f"{shown(self.drive.label)} fails"

    def effect(self, plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> tuple[str, bool]:
        dead = {drive.id for drive in changed.drives if drive.shares_disk_with(self.drive)}
        lost, copied = list[Library](), list[Library]()
        for standing, place in changed.stands:
            if place in dead:
                kept = changed.on_trial and standing.drive not in dead and place != standing.drive
                (copied if kept or _has_copy(standing, dead, changed) else lost).append(standing)
        if not lost and not copied:
            return "nothing of yours is on it", False
        size = format_bytes(sum(library.on_disk_bytes for library in lost))
        words = f"{format_count(len(lost), 'library', 'libraries')} lost ({size}): {named(by_use(lost))}"
        if not lost:
            words = "nothing is lost"
        if copied:
            words += f"; {named(copied)} would survive as a copy elsewhere"
        return words + ("; no other copy is known" if lost else ""), bool(lost)


def _has_copy(library: Library, dead: set[str], scene: Scene) -> bool:
    """Whether a backup of it, by a card, stands on a disk that lives."""
    return any(library.path in other.apart_from and place not in dead for other, place in scene.stands)
