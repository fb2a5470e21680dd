"""What-ifs: each changes a scene a little, and tells what that comes to. They combine freely, in any order.

A what-if is a value: switched off, the scene is the one before, and so is its timeline.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.plan import Role
from nuvik.core.model.purchase import Candidate
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.timeline import Effect, Timeline
from nuvik.core.model.units import format_bytes, format_count, format_duration, instead_of
from nuvik.core.planning.buying.purchases import verdicts_on
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.landing import landing_so_far
from nuvik.core.planning.placement.waiting import opening_s, waiting_of
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate

_NAMED = 4
_CRUMB_BYTES = 100_000
"""Assumed: files on a drive full of small ones are of a hundred kilobytes."""


class WhatIf:
    """The plain one changes nothing."""

    @property
    def name(self) -> str:
        """What is supposed, such as “Wren is unplugged”: it follows an “if”."""
        raise NotImplementedError

    def change(self, scene: Scene) -> Scene:
        """The scene as it is then."""
        return scene

    def effect(self, plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> tuple[str, bool]:
        """What it comes to, in words, and whether that is bad. `plain` and `before` are without this one."""
        raise NotImplementedError

    def names(self, changed: Scene) -> str:
        """Which libraries it is about, in sentences of their own, where that takes many words."""
        return ""


def supposed(scene: Scene, what_ifs: Sequence[WhatIf]) -> Scene:
    """The scene with all of these."""
    for what_if in what_ifs:
        scene = what_if.change(scene)
    return scene


def effects(what_ifs: Sequence[WhatIf], scene: Scene, changed: Scene, after: Timeline) -> tuple[Effect, ...]:
    """What each comes to, beside the same without it; `scene` is the one without any, `after` the timeline with all."""
    results = []
    for number, what_if in enumerate(what_ifs):
        rest = supposed(scene, [*what_ifs[:number], *what_ifs[number + 1 :]])
        words, bad = what_if.effect(rest, changed, simulate(rest), after)
        results.append(Effect(what=what_if.name, words=words, bad=bad, names=what_if.names(changed)))
    return tuple(results)


def named(libraries: Sequence[Library]) -> str:
    """The first few, by name."""
    names = ", ".join(shown(library.name) for library in libraries[:_NAMED])
    return names + (" …" if len(libraries) > _NAMED else "")


def by_use(libraries: Sequence[Library]) -> list[Library]:
    """What is opened most first."""
    return sorted(libraries, key=lambda library: (-library.opens_per_week, -library.on_disk_bytes, library.name))


@dataclass(frozen=True)
class Slower(WhatIf):
    """A drive does so many times less than it should: an old cable, a worn drive, another program at work."""

    drive: Drive
    factor: float = 2.0

    @property
    def name(self) -> str:
        return f"{shown(self.drive.label)} is {self.factor:g} times slower"

    def change(self, scene: Scene) -> Scene:
        drive = scene.by_id[self.drive.id]
        lasting = drive.sustained_write_bytes_per_s
        return scene.with_drive(
            replace(
                drive,
                read_bytes_per_s=drive.read_bytes_per_s / self.factor,
                write_bytes_per_s=drive.write_bytes_per_s / self.factor,
                small_reads_per_s=drive.small_reads_per_s / self.factor,
                sustained_write_bytes_per_s=lasting / self.factor if lasting else lasting,
            )
        )

    def effect(self, plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> tuple[str, bool]:
        return _longer(plain, changed, before, after), after.total_s > 1.5 * max(1.0, before.total_s)


def _longer(plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> str:
    words = f"carrying takes {instead_of(format_duration(after.total_s), format_duration(before.total_s))}"
    if changed.stands:
        waits = [
            waiting_of((drive, scene.by_id[place]) for drive, place in scene.stands).likely
            for scene in (plain, changed)
        ]
        waits_then = instead_of(f"{format_duration(waits[1])} a week", f"{format_duration(waits[0])} a week")
        words += f"; you would wait {waits_then}"
    return words


@dataclass(frozen=True)
class Crumbs(WhatIf):
    """What comes from a drive lies in small files."""

    drive: Drive

    @property
    def name(self) -> str:
        return f"{shown(self.drive.label)} is full of small files"

    def change(self, scene: Scene) -> Scene:
        steps = tuple(
            replace(step, files=max(step.files, step.bytes // _CRUMB_BYTES))
            if step.from_drive == self.drive.id
            else step
            for step in scene.plan.steps
        )
        return replace(scene, plan=replace(scene.plan, steps=steps))

    def effect(self, plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> tuple[str, bool]:
        files = sum(step.files for step in changed.plan.steps)
        words = f"{files:,} files to carry: {format_duration(after.total_s)} instead of "
        return words + format_duration(before.total_s), after.total_s > 1.5 * max(1.0, before.total_s)


@dataclass(frozen=True)
class New(WhatIf):
    """Something new of a kind arrives on the drive where new content of that kind goes."""

    kind: Kind
    bytes: int

    @property
    def name(self) -> str:
        return f"a new {self.kind} of {format_bytes(self.bytes)} arrives"

    def _lands_on(self, scene: Scene) -> Drive | None:
        planned = next((landing.drive for landing in scene.plan.landings if landing.kind is self.kind), None)
        if planned is None and scene.draft is not None:
            so_far = landing_so_far(scene.draft, self.kind)
            planned = so_far.drive if so_far else None
        drive = scene.by_id.get(planned or "")
        return drive if drive is not None and drive.attached else None

    def effect(self, plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> tuple[str, bool]:
        drive = self._lands_on(changed)
        if drive is None:
            return f"it is not known where a new {self.kind} would go", True
        free = after.free_after_bytes.get(drive.id, drive.free_bytes) - self.bytes
        now = drive.free_bytes - self.bytes
        floor = changed.floor_bytes(drive)
        where = shown(drive.label)
        if free < floor:
            short = (
                f"{format_bytes(floor - free)} short of its headroom"
                if free >= 0
                else f"{format_bytes(-free)} too large"
            )
            return f"it would go to {where}: {short}, even after this plan", True
        like = Library(
            id="",
            name="",
            kind=self.kind,
            path="",
            drive=drive.id,
            bytes=self.bytes,
            on_disk_bytes=self.bytes,
            files=1,
            largest_file_bytes=0,
            last_used=None,
        )
        words = (
            f"fits on {where}, leaves {format_bytes(free)} free and opens in {format_duration(opening_s(like, drive))}"
        )
        return words + ("; without this plan it would not fit" if now < floor else ""), False


@dataclass(frozen=True)
class Grown(WhatIf):
    """The drives go on growing as the surveys tell, for so many weeks."""

    weeks: float
    per_week: tuple[tuple[str, float], ...]
    """Bytes a week by drive id."""

    @property
    def name(self) -> str:
        return f"{self.weeks:g} weeks have passed"

    def effect(self, plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> tuple[str, bool]:
        if not self.per_week:
            return "how fast the drives fill is not known yet; that takes three surveys over a week", False
        under, words = [], []
        for drive_id, rate in self.per_week:
            drive = changed.by_id.get(drive_id)
            if drive is None or not drive.attached:
                continue
            then = after.free_after_bytes.get(drive_id, drive.free_bytes) - round(rate * self.weeks)
            short = changed.floor_bytes(drive) - then
            if short > 0:
                under.append(f"{shown(drive.label)} {format_bytes(short)} short of its headroom")
            else:
                words.append(f"{shown(drive.label)} {format_bytes(then)} free")
        return ", ".join(under or words) or "no drive grows", bool(under)


@dataclass(frozen=True)
class StopAfter(WhatIf):
    """The carrying ends after a step, and goes on another day or never."""

    n: int

    @property
    def name(self) -> str:
        return f"you stop after step {self.n}"

    def change(self, scene: Scene) -> Scene:
        return scene.stopped_after(self.n)

    def effect(self, plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> tuple[str, bool]:
        left = [step for step in plain.plan.steps if step.n > self.n]
        waiting = [
            step
            for step in changed.plan.steps
            if step.role is Role.TO_STAGING and not any(other.path == step.target_path for other in changed.plan.steps)
        ]
        short = [
            f"{shown(drive.label)} {format_bytes(changed.floor_bytes(drive) - free)} short of its headroom"
            for drive in changed.drives
            if (free := after.free_after_bytes.get(drive.id)) is not None and free < changed.floor_bytes(drive)
        ]
        are = "is" if len(left) == 1 else "are"
        done = f"{format_duration(after.total_s)}, then {format_count(len(left), 'move')} {are} left"
        if left:
            names = ", ".join(shown(step.library) for step in left[:_NAMED]) + (" …" if len(left) > _NAMED else "")
            done += f" ({names})"
        waits = [step.waiting_after_s_per_week for step in after.steps]
        if waits and waits[-1] is not None:
            done += f", waiting {format_duration(waits[-1])} a week"
        if waiting:
            return f"{done}; {shown(waiting[0].library)} then waits on a drive that is not its destination", True
        if short:
            return f"{done}; {', '.join(short)}", True
        return f"{done}; a good place to stop: everything opens and every drive keeps its headroom", False


@dataclass(frozen=True)
class Bought(WhatIf):
    """A drive that could be bought is here."""

    candidate: Candidate

    @property
    def name(self) -> str:
        return f"you buy {shown(self.candidate.label)}"

    def effect(self, plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> tuple[str, bool]:
        if changed.draft is None:
            return "survey first", True
        (verdict,) = verdicts_on([self.candidate], _carried(changed.draft, changed, after))
        if verdict.saves_s_per_week < 1:
            return "nothing would open noticeably faster with it than now", False
        some = f"{format_count(len(verdict.libraries), 'library', 'libraries')} on it"
        return f"after this plan it would save {verdict.saves.in_words()} more a week, with {some}", False


def _carried(draft: Draft, scene: Scene, after: Timeline) -> Snapshot:
    """The drives and libraries as they are once the plan is carried, pieces as libraries of their own."""
    free = after.free_after_bytes
    drives = tuple(
        replace(drive, used_bytes=drive.usable_bytes - max(0, free.get(drive.id, drive.free_bytes)))
        for drive in scene.drives
    )
    libraries = tuple(replace(library, drive=draft.place_of(library)) for library in draft.snapshot.libraries)
    return replace(draft.snapshot, drives=drives, libraries=libraries)


@dataclass(frozen=True)
class SideBySide(WhatIf):
    """Moves that share no disk go on at once."""

    @property
    def name(self) -> str:
        return "moves go side by side"

    def change(self, scene: Scene) -> Scene:
        return replace(scene, side_by_side=True)

    def effect(self, plain: Scene, changed: Scene, before: Timeline, after: Timeline) -> tuple[str, bool]:
        won = before.total_s - after.total_s
        if won < 0.02 * max(1.0, before.total_s):
            return "would not help: the moves use the same disks", False
        return (
            f"would take {instead_of(format_duration(after.total_s), format_duration(before.total_s))}: "
            "“nuvik carry --side-by-side” does that, or b in Rehearse"
        ), False
