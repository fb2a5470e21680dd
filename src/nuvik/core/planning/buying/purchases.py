"""What to buy: candidates beside what is here, by price, by what really arrives, and by the seconds they would save.

What a candidate saves comes from the model that proposes: the best placement that moves lead to with it, beside the
best without it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.estimate import Estimate
from nuvik.core.model.library import Library
from nuvik.core.model.purchase import Candidate
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Wishes
from nuvik.core.planning.placement.waiting import change_of, waiting_s_per_week
from nuvik.core.planning.search.ideal import ideal_placement
from nuvik.core.planning.search.reach import reach


@dataclass(frozen=True, slots=True, kw_only=True)
class PurchaseVerdict:
    """What one candidate would do here."""

    candidate: Candidate
    saves_s_per_week: float
    """Waiting saved beyond what the best placement without it would save."""
    saves: Estimate
    """The same, with the doubt about the speeds."""
    libraries: tuple[str, ...]
    """The names of what would stand on it, most waiting saved first."""
    relieves: tuple[str, ...] = ()
    """The labels of the drives that would have their headroom, and do not without it."""
    frees_bytes: int = 0
    """By how much less headroom would be missed."""
    waiting_s_per_week: tuple[float, float] = (0.0, 0.0)
    """The waiting without it, and with it."""


@dataclass(frozen=True, slots=True)
class Best:
    """The best placement on some drives that moves lead to: what candidates are compared with."""

    snapshot: Snapshot
    places: dict[str, str]
    short_bytes: dict[str, int]
    """What is missing of the headroom then, by the id of the drive."""

    @classmethod
    def of(cls, snapshot: Snapshot, wishes: Wishes) -> Best:
        proposal = reach(snapshot, wishes, ideal_placement(snapshot, wishes)).proposal
        return cls(snapshot, proposal.places, proposal.short_bytes)

    @property
    def waiting_s_per_week(self) -> float:
        return sum(waiting_s_per_week(library, drive) for library, drive in self.placed())

    def placed(self) -> list[tuple[Library, Drive]]:
        drives = {drive.id: drive for drive in self.snapshot.drives}
        return [(library, drives[self.places.get(library.id, library.drive)]) for library in self.snapshot.libraries]


def verdicts_on(
    candidates: Sequence[Candidate], snapshot: Snapshot, wishes: Wishes | None = None
) -> list[PurchaseVerdict]:
    """What candidates would save; those that save most for the price first."""
    wishes = wishes or Wishes(whole=True)
    without = Best.of(snapshot, wishes)
    verdicts = [_judge(candidate, without, wishes) for candidate in candidates]
    return sorted(
        verdicts, key=lambda verdict: (-verdict.saves_s_per_week, verdict.candidate.price, verdict.candidate.label)
    )


def _judge(candidate: Candidate, without: Best, wishes: Wishes) -> PurchaseVerdict:
    there, snapshot = candidate.as_drive(), without.snapshot
    goal = candidate.upgrade_of
    if goal is None:
        drives = (*snapshot.drives, there)
        goal = there.id
    else:
        drives = tuple(_upgraded(drive, there) if drive.id == goal else drive for drive in snapshot.drives)
    best = Best.of(replace(snapshot, drives=drives), wishes)
    saves = change_of(without.placed(), best.placed())
    gains = {
        library.name: change_of([before], [(library, drive)]).likely
        for before, (library, drive) in zip(without.placed(), best.placed(), strict=True)
        if drive.id == goal
    }
    names = sorted((name for name, gain in gains.items() if gain > 0), key=lambda name: (-gains[name], name))
    return PurchaseVerdict(
        candidate=candidate,
        saves_s_per_week=max(0.0, saves.likely),
        saves=saves,
        libraries=tuple(names),
        relieves=tuple(
            drive.label for drive in drives if drive.id in without.short_bytes.keys() - best.short_bytes.keys()
        ),
        frees_bytes=max(0, sum(without.short_bytes.values()) - sum(best.short_bytes.values())),
        waiting_s_per_week=(without.waiting_s_per_week, best.waiting_s_per_week),
    )


def _upgraded(drive: Drive, there: Drive) -> Drive:
    """A drive with a quicker way to it: what lies on it stays."""
    return replace(
        drive,
        read_bytes_per_s=there.read_bytes_per_s,
        write_bytes_per_s=there.write_bytes_per_s,
        small_reads_per_s=there.small_reads_per_s,
        speed_source=there.speed_source,
    )
