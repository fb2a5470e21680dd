"""Proposals on drives that are nearly full: how much of what is proposed can be carried, and how good it is.

Households are made up by how full their drives are. Every proposal is carried on paper, step by step, by rules written
down here a second time; and it is compared with what an independent search by chance finds for the same household.
"""

from __future__ import annotations

import math
import random
import statistics
import time
from collections.abc import Iterator
from dataclasses import dataclass, replace

from conftest import GB, MB, a_drive
from nuvik.core.model.drive import Drive, Tier
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.planning.drafting.recommendation import recommend
from nuvik.core.planning.placement.costs import placement_cost_s

_SPEEDS = (
    # MB/s read and written, small reads a second, GB, portable
    (3_000, 2_000, 48_000, 500, False),
    (150, 130, 90, 4_000, False),
    (540, 480, 9_000, 1_000, False),
    (980, 800, 6_500, 1_000, True),
    (180, 160, 95, 3_000, False),
    (7_000, 5_000, 90_000, 1_000, False),
    (120, 110, 80, 2_000, True),
    (520, 470, 8_000, 2_000, False),
    (2_000, 1_500, 40_000, 1_000, False),
    (160, 150, 100, 4_000, False),
    (900, 700, 6_000, 2_000, True),
    (200, 180, 110, 6_000, False),
)
_OPENS = (0, 0, 0, 0.1, 0.25, 0.5, 1, 2, 5, 10)
_IN_TIME = ((45, 6, 1.0, None), (500, 8, 5.0, None), (1_000, 8, 15.0, None), (2_000, 12, 30.0, 0.01))
"""Libraries, drives, seconds, and how far from the bound at most."""
FILLS = (0.6, 0.7, 0.8, 0.85, 0.9, 0.93, 0.95, 0.97)


def nearly_full(count: int, drives: int, fill: float, seed: int) -> Snapshot:
    """A household of so many libraries on drives that are filled to about this share, each a little otherwise."""
    chance = random.Random(seed * 1_000_003 + count * 101 + drives)
    speeds = _SPEEDS[:drives]
    held = [0] * drives
    libraries = []
    usable = [round(size * GB * chance.uniform(0.9, 1.1)) for *_, size, _ in speeds]
    fills = [min(0.995, fill + chance.uniform(-0.08, 0.06)) for _ in speeds]
    weights = [chance.lognormvariate(0, 1.3) for _ in range(count)]
    room = [int(size * full * chance.uniform(0.7, 0.95)) for size, full in zip(usable, fills, strict=True)]
    scale = sum(room) / sum(weights)
    for number, weight in enumerate(sorted(weights, reverse=True)):
        size = max(10 * MB, int(weight * scale))
        place = max(range(drives), key=lambda n: (room[n] - held[n]) * chance.uniform(0.3, 1.0))
        size = min(size, room[place] - held[place])
        if size < 10 * MB:
            continue
        held[place] += size
        libraries.append(
            Library(
                id=f"l{number}",
                name=f"L{number}",
                kind=chance.choice(list(Kind)),
                path=f"/d{place}/Shelf {number}/{number}",
                drive=f"d{place}",
                bytes=size,
                on_disk_bytes=size,
                files=chance.choice([1, 20, 400, 9_000]),
                largest_file_bytes=GB,
                last_used=None,
                opens_per_week=chance.choice(_OPENS),
            )
        )
    made = tuple(
        a_drive(
            id=f"d{n}",
            label=f"D{n}",
            path=f"/d{n}",
            disk=f"s{n}",
            portable=portable,
            used_bytes=round(usable[n] * fills[n]),
            usable_bytes=usable[n],
            capacity_bytes=usable[n],
            headroom_bytes=usable[n] // 10,
            read_bytes_per_s=read * MB,
            write_bytes_per_s=written * MB,
            small_reads_per_s=small,
        )
        for n, (read, written, small, _, portable) in enumerate(speeds)
    )
    return Snapshot(taken_at="2026-01-01T00:00:00+00:00", host="bench", drives=made, libraries=tuple(libraries))


@dataclass(slots=True)
class _Household:
    """What an independent search needs to know: rules and costs written down here a second time."""

    snapshot: Snapshot
    wishes: Wishes

    def cost_s(self, at: dict[str, str]) -> float:
        """What a placement costs, as `docs/plan.md` says; infinite where it leaves a drive worse than it is."""
        drives = {drive.id: drive for drive in self.snapshot.drives}
        weights = self.wishes.weighed
        free = {drive.id: drive.free_bytes for drive in self.snapshot.drives}
        cost = 0.0
        for library in self.snapshot.libraries:
            here, there = drives[library.drive], drives[at[library.id]]
            cost += placement_cost_s(library, there, here, self.wishes)
            if there is not here:
                free[here.id] += library.on_disk_bytes
                free[there.id] -= library.room_on(there)
        for drive in drives.values():
            if free[drive.id] < min(drive.free_bytes, drive.headroom_bytes):
                return math.inf
            missing = max(0, drive.headroom_bytes - free[drive.id]) / drive.headroom_bytes
            for share, times in ((0.05, 0.2), (0.15, 1.0), (0.8, 4.0)):
                cost += weights.headroom_s * times * min(missing, share)
                missing = max(0.0, missing - share)
            if drive.tier is Tier.RAPID:
                cost += weights.fast_room_s * max(0, 3 * drive.headroom_bytes - free[drive.id]) / GB
        return cost

    def by_chance(self, seed: int, steps: int) -> float:
        """The cheapest placement that annealing finds among those that a sequence of moves leads to."""
        chance = random.Random(seed)
        drives = list(self.snapshot.drives)
        floors = {
            drive.id: drive.free_bytes if drive.free_bytes < drive.headroom_bytes else least_free(drive)
            for drive in drives
        }
        by_id = {library.id: library for library in self.snapshot.libraries}
        sequence: list[tuple[str, str]] = []
        cost = best = self.cost_s({library.id: library.drive for library in by_id.values()})
        for step in range(steps):
            heat = 3_000 * (1 - step / steps) ** 2 + 1
            trial = list(sequence)
            for _ in range(chance.choice((1, 1, 2, 3))):
                if trial and chance.random() < 0.4:
                    trial.pop(chance.randrange(len(trial)))
                else:
                    library = chance.choice(list(by_id.values()))
                    trial = [move for move in trial if move[0] != library.id]
                    trial.insert(chance.randint(0, len(trial)), (library.id, chance.choice(drives).id))
            trial = [(library_id, goal) for library_id, goal in trial if goal != by_id[library_id].drive]
            if not works(trial, by_id, drives, floors):
                continue
            at = {library.id: library.drive for library in by_id.values()} | dict(trial)
            new = self.cost_s(at)
            if new <= cost or (new < math.inf and chance.random() < math.exp((cost - new) / heat)):
                sequence, cost = trial, new
                best = min(best, cost)
        return best


def works(
    sequence: list[tuple[str, str]], by_id: dict[str, Library], drives: list[Drive], floors: dict[str, int]
) -> bool:
    """Whether each move of a sequence has room when its turn comes."""
    free = {drive.id: drive.free_bytes for drive in drives}
    known = {drive.id: drive for drive in drives}
    at = {library.id: library.drive for library in by_id.values()}
    for library_id, goal in sequence:
        library = by_id[library_id]
        free[goal] -= library.room_on(known[goal])
        if free[goal] < floors[goal]:
            return False
        here = at[library_id]
        free[here] += library.on_disk_bytes if here == library.drive else library.room_on(known[here])
        at[library_id] = goal
    return True


def least_free(drive: Drive) -> int:
    """What must be free at every moment on a drive that has its headroom."""
    reserve = max(drive.usable_bytes // 50, min(2 * GB, drive.usable_bytes // 20))
    return min(drive.headroom_bytes, reserve * (2 if drive.system else 1))


def proposing_on_full_drives() -> Iterator[tuple[str, str, str, str, bool | None]]:
    """By how full the drives are: whether all that is offered can be carried, and how good it is."""
    for fill in FILLS:
        stuck = offered = 0
        over_chance, over_bound, kept_over_bound = [], [], []
        for seed, (count, drives) in enumerate(((20, 3), (20, 4), (60, 5), (60, 6)) * 2):
            snapshot, wishes = nearly_full(count, drives, fill, seed), Wishes(every_move=True)
            recommendation = recommend(snapshot, wishes)
            if recommendation.draft.places:
                steps = make_plan(recommendation.draft, recommendation).steps
                moves = [(f"{step.library.lower()}", step.to_drive) for step in steps]
                by_id = {library.id: library for library in snapshot.libraries}
                floors = {
                    drive.id: drive.free_bytes if drive.free_bytes < drive.headroom_bytes else least_free(drive)
                    for drive in snapshot.drives
                }
                offered += len(moves)
                stuck += 0 if works(moves, by_id, list(snapshot.drives), floors) else len(moves)
            cost = recommendation.proposal.cost_s
            over_bound.append(cost / recommendation.proposal.bound_s - 1)
            kept = recommend(snapshot, replace(wishes, keep_headroom=True)).proposal.cost_s
            kept_over_bound.append(kept / recommendation.proposal.bound_s - 1)
            if count == 20:
                over_chance.append(cost / _Household(snapshot, wishes).by_chance(seed, 30_000) - 1)
        worst = max(over_chance)
        yield (
            f"proposing with drives {fill:.0%} full",
            f"an independent search: {statistics.median(over_chance):+.1%}, at worst {worst:+.1%}",
            f"{offered} moves, {stuck} of them stuck; {statistics.median(over_bound):.1%} above the bound, "
            f"{statistics.median(kept_over_bound):.1%} with headroom kept",
            "none stuck, at most 1 % worse than the search",
            stuck == 0 and worst <= 0.01,
        )


def proposing_in_time() -> Iterator[tuple[str, str, str, str, bool | None]]:
    """How long a proposal takes by the size of the household, in processor time, on drives that are more or less full;
    the middle counts.
    """
    for count, drives, limit_s, most_gap in _IN_TIME:
        seconds, gaps = [], []
        for fill in (0.6, 0.8, 0.9, 0.93, 0.95):
            for seed in (1, 2) if count < 1_000 else (1,):
                snapshot = nearly_full(count, drives, fill, seed)
                began = time.process_time()
                recommendation = recommend(snapshot, Wishes())
                seconds.append(time.process_time() - began)
                gaps.append(recommendation.reachable.proposal.gap)  # the last moves, which are left out, count
        middle, gap = statistics.median(seconds), statistics.median(gaps)
        yield (
            f"propose for {count} libraries on {drives} drives, 60 to 95 % full",
            f"at most {max(seconds):.1f} s",
            f"{middle:.2f} s in the middle, {gap:.2%} above the bound",
            f"within {limit_s:.0f} s" + ("" if most_gap is None else f", at most {most_gap:.0%} above the bound"),
            middle <= limit_s and (most_gap is None or gap <= most_gap),
        )
