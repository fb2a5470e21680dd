"""Small households of any kind, and a judge of placements that knows nothing of how Nuvik finds them."""

from __future__ import annotations

import itertools
from dataclasses import replace

from hypothesis import strategies as st

from conftest import GB, MB
from households import drive as plain_drive
from households import home
from households import library as plain_library
from nuvik.core.model.drive import Tier
from nuvik.core.model.library import Kind, Part
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.planning.drafting.library_parts import split
from nuvik.core.planning.placement.costs import placement_cost_s
from nuvik.core.planning.placement.limits import may_stand
from nuvik.core.planning.placement.waiting import waiting_s_per_week


@st.composite
def households(draw, most_libraries=5, most_drives=3, parts=True):
    """Small households, some of them tight or short of headroom, some of their wishes not met or impossible."""
    drives = []
    for number in range(draw(st.integers(2, most_drives))):
        drives.append(
            plain_drive(
                f"d{number}",
                base_path="/c",
                disk=f"s{draw(st.sampled_from([number, 0]))}",
                read_bytes_per_s=draw(st.sampled_from([90, 500, 3000])) * MB,
                write_bytes_per_s=300 * MB,
                small_reads_per_s=draw(st.sampled_from([80, 6_000, 40_000])),
                portable=draw(st.booleans()),
                filesystem=draw(st.sampled_from(["ext4", "ext4", "fat32"])),
                attached=draw(st.integers(0, 9)) > 0,
                welcomes=draw(st.sampled_from([(), (), ("game", "photo")])),
                usable_bytes=0,
                used_bytes=0,
                headroom_bytes=draw(st.integers(0, 40)) * GB,
            )
        )
    libraries, rarely = [], st.sampled_from([False, False, False, True])
    for number in range(draw(st.integers(1, most_libraries))):
        size, others = draw(st.integers(4, 120)) * GB, [f"/c/l{other}" for other in range(number)]
        separable = ()
        if parts and number == 0 and draw(st.booleans()):
            kinds = draw(st.lists(st.sampled_from([Kind.CACHE, Kind.BACKUP]), min_size=1, max_size=2, unique=True))
            separable = tuple(
                Part(name=kind, kind=kind, path=kind, bytes=size // 4, on_disk_bytes=size // 4, files=2)
                for kind in kinds
            )
        libraries.append(
            plain_library(
                f"l{number}",
                name=f"L{number}",
                kind=draw(st.sampled_from([Kind.GAME, Kind.PHOTO, Kind.CACHE])),
                path=f"/c/l{number}",
                at=draw(st.sampled_from(drives)).id,
                bytes=size,
                largest_file_bytes=draw(st.sampled_from([GB, 5 * GB])),
                last_used=None,
                parts=separable,
                opens_per_week=draw(st.sampled_from([0, 0.5, 3, 900])),
                movable=draw(st.integers(0, 5)) > 0,
                needs_read_bytes_per_s=draw(st.sampled_from([None, None, 200 * MB])),
                working_set=draw(rarely),
                always_attached=draw(rarely),
                collection=draw(st.sampled_from([None, "series"])),
                keep_with=tuple(name for name in others if draw(rarely)),
                apart_from=tuple(name for name in others if draw(rarely)),
            )
        )
    filled = []
    for each in drives:
        used = sum(library.bytes for library in libraries if library.drive == each.id)
        filled.append(
            replace(each, used_bytes=used, usable_bytes=used + draw(st.integers(0, 200)) * GB, capacity_bytes=10**13)
        )
    wishes = Wishes(
        style=draw(st.sampled_from(Style)),
        weeks=draw(st.sampled_from([1.0, 26.0])),
        most_moves=draw(st.sampled_from([None, None, 1])),
        pinned=frozenset(draw(st.sets(st.sampled_from(["l0", "l1"])))),
    )
    return split(home(filled, libraries), {library.id for library in libraries}), wishes


class Judged:
    """A placement by the plain meaning of the rules, worked out with no solver: what is asked first comes first."""

    def __init__(self, snapshot, places, wishes):
        self.drives = {drive.id: drive for drive in snapshot.drives}
        self.libraries = {library.id: library for library in snapshot.libraries}
        self.at = {library.id: places.get(library.id, library.drive) for library in snapshot.libraries}
        self.now = {library.id: library.drive for library in snapshot.libraries}
        self.snapshot, self.wishes, weights = snapshot, wishes, wishes.weighed
        bodies = {
            library.piece.whole: library for library in snapshot.libraries if library.piece and library.piece.body
        }
        parts = [
            (library, bodies[library.piece.whole])
            for library in snapshot.libraries
            if library.piece and not library.piece.body
        ]
        apart = [(part, body) for part, body in parts if self.at[part.id] != self.at[body.id]]
        moves = sum(
            self.at[library.id] != library.drive
            for library in snapshot.libraries
            if not library.piece or library.piece.body
        )
        self.allowed = (
            all(
                may_stand(library, self.drives[self.at[library.id]], self.drives[library.drive], wishes)
                for library in snapshot.libraries
            )
            and all(self.at[body.id] == body.drive or self.at[part.id] != part.drive for part, body in parts)
            and all(self.drives[self.at[body.id]].rules.symlinks or self.at[body.id] == body.drive for _, body in apart)
            and (wishes.most_moves is None or moves + len(apart) <= wishes.most_moves)
            and not self.unmet() - self.unmet(self.now)
            and self.fits()
        )
        self.cost = sum(
            placement_cost_s(library, self.drives[self.at[library.id]], self.drives[library.drive], wishes)
            for library in snapshot.libraries
        )
        self.cost += len(apart) * (weights.apart_part_s + weights.move_s)
        self.cost += weights.backup_beside_s * sum(
            self.shares(self.at[part.id], self.at[body.id]) for part, body in parts if part.kind is Kind.BACKUP
        )
        lies_on = [self.at[library.id] for library in snapshot.libraries if library.collection]
        if len(lies_on) > 1:
            self.cost += weights.scattered_s * (len(set(lies_on)) - 1)
        self.cost += weights.unmet_s * len(self.unmet())
        attached = [drive for drive in snapshot.drives if drive.attached]
        self.short = sum(max(0, drive.headroom_bytes - self.free(drive)) for drive in attached)
        for drive in attached:
            missing = max(0, drive.headroom_bytes - self.free(drive)) / max(1, drive.headroom_bytes)
            for share, times in ((0.05, 0.2), (0.15, 1.0), (0.8, 4.0)):
                self.cost += weights.headroom_s * times * min(missing, share)
                missing = max(0.0, missing - share)
            if drive.tier is Tier.RAPID:
                self.cost += weights.fast_room_s * max(0, 3 * drive.headroom_bytes - self.free(drive)) / GB
        calm = not self.unmet(self.now) and all(drive.free_bytes >= drive.headroom_bytes for drive in attached)
        if wishes.style is Style.FASTEST and calm:
            waits = [
                sum(waiting_s_per_week(library, self.drives[at[library.id]]) for library in snapshot.libraries)
                for at in (self.now, self.at)
            ]
            self.allowed = self.allowed and waits[1] <= waits[0] + 1e-6

    def shares(self, first, other):
        return self.drives[first].disk == self.drives[other].disk

    def unmet(self, at=None):
        """Which demands are not met, each as what it is about."""
        at, offered = at or self.at, set()
        by_path = {library.path: library.id for library in self.snapshot.libraries}
        for library in self.snapshot.libraries:
            drive = self.drives[at[library.id]]
            wrong = [("with", path) for path in library.keep_with if at[by_path[path]] != at[library.id]]
            wrong += [("apart", path) for path in library.apart_from if self.shares(at[by_path[path]], at[library.id])]
            wrong += [
                name
                for name, is_so in (
                    ("away", library.always_attached and drive.portable),
                    ("quick", library.working_set and drive.tier not in (Tier.RAPID, Tier.BRISK)),
                    ("needs", (library.needs_read_bytes_per_s or 0) > drive.read_bytes_per_s),
                )
                if is_so
            ]
            offered |= {(library.id, what) for what in wrong}
        return offered

    def free(self, drive):
        free = drive.free_bytes
        for library in self.snapshot.libraries:
            free += library.on_disk_bytes if library.drive == drive.id != self.at[library.id] else 0
            free -= library.room_on(drive) if self.at[library.id] == drive.id != library.drive else 0
        return free

    def fits(self):
        """No drive ends worse than it is now: it keeps its headroom, or what it has of it."""
        return all(
            self.free(drive) >= min(drive.free_bytes, max(drive.headroom_bytes, reserve_of(drive)))
            for drive in self.drives.values()
            if drive.attached
        )

    def can_be_carried(self):
        """Whether some order of the moves, each direct, never takes a drive under what it must have at every moment."""
        moving = [library for library in self.snapshot.libraries if self.at[library.id] != library.drive]
        floors = {
            drive.id: drive.free_bytes if drive.free_bytes < drive.headroom_bytes else reserve_of(drive)
            for drive in self.drives.values()
            if drive.attached
        }
        states = [(frozenset(), {drive.id: drive.free_bytes for drive in self.drives.values() if drive.attached})]
        seen = {frozenset()}
        while states:
            done, free = states.pop()
            if len(done) == len(moving):
                return True
            for library in moving:
                goal, after = self.at[library.id], done | {library.id}
                left = free[goal] - library.room_on(self.drives[goal])
                if library.id not in done and after not in seen and left >= floors[goal]:
                    seen.add(after)
                    states.append(
                        (after, {**free, goal: left, library.drive: free[library.drive] + library.on_disk_bytes})
                    )
        return False


def reserve_of(drive):
    """Never used up: a fiftieth or 2 GB, twice that on the system's drive, and no more than the headroom."""
    reserve = max(drive.usable_bytes // 50, min(2 * GB, drive.usable_bytes // 20))
    return min(drive.headroom_bytes, reserve * (2 if drive.system else 1))


def options(snapshot, wishes):
    """All placements that the rules allow, judged."""
    drives = {drive.id: drive for drive in snapshot.drives}
    places = [
        [drive.id for drive in snapshot.drives if may_stand(library, drive, drives[library.drive], wishes)]
        for library in snapshot.libraries
    ]
    for combination in itertools.product(*places):
        moved = {
            library.id: drive
            for library, drive in zip(snapshot.libraries, combination, strict=True)
            if drive != library.drive
        }
        judged = Judged(snapshot, moved, wishes)
        if judged.allowed:
            yield judged
