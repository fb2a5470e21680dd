"""Proposals are the best there is, keep every rule, and come in an order in which no drive goes under its floor."""

from __future__ import annotations

import itertools
import json
import os
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import GB, MB, a_drive, fill, put
from households import made_up_household
from nuvik.__main__ import run
from nuvik.core.model.drive import Tier
from nuvik.core.model.library import Kind, Library, Part
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.model.wishes import Style, Wishes
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.library_parts import split
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.planning.drafting.recommendation import recommend
from nuvik.core.planning.placement.costs import moving_s, placement_cost_s
from nuvik.core.planning.placement.limits import may_stand
from nuvik.core.planning.placement.solver import IntegerProgram, Solved
from nuvik.core.planning.placement.waiting import waiting_s_per_week
from nuvik.core.planning.search.ideal import ideal_placement, propose
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate
from nuvik.core.store.plan_file import read_plan
from nuvik.core.store.snapshots import keep_snapshot
from nuvik.core.views.draft_sentences import totals
from nuvik.core.views.recommendation_sentences import recommendation_sentences


@st.composite
def households(draw, most_libraries=5, most_drives=3, parts=True):
    """Small households, some of them tight or short of headroom, some of their wishes not met or impossible."""
    drives = []
    for number in range(draw(st.integers(2, most_drives))):
        drives.append(
            a_drive(
                id=f"d{number}",
                label=f"D{number}",
                path=f"/d{number}",
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
            Library(
                id=f"l{number}",
                name=f"L{number}",
                kind=draw(st.sampled_from([Kind.GAME, Kind.PHOTO, Kind.CACHE])),
                path=f"/c/l{number}",
                drive=draw(st.sampled_from(drives)).id,
                bytes=size,
                on_disk_bytes=size,
                files=9,
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
    for drive in drives:
        used = sum(library.bytes for library in libraries if library.drive == drive.id)
        filled.append(
            replace(drive, used_bytes=used, usable_bytes=used + draw(st.integers(0, 200)) * GB, capacity_bytes=10**13)
        )
    wishes = Wishes(
        style=draw(st.sampled_from(Style)),
        weeks=draw(st.sampled_from([1.0, 26.0])),
        most_moves=draw(st.sampled_from([None, None, 1])),
        pinned=frozenset(draw(st.sets(st.sampled_from(["l0", "l1"])))),
    )
    snapshot = Snapshot(taken_at="", host="h", drives=tuple(filled), libraries=tuple(libraries))
    return split(snapshot, {library.id for library in libraries}), wishes


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


@settings(max_examples=300, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(household=households())
def test_never_worse_than_trying_everything_and_no_rule_is_broken(household):
    snapshot, wishes = household
    offered = propose(snapshot, wishes)
    assert offered == propose(snapshot, wishes), "the same input, the same proposal"
    mine = Judged(snapshot, offered.places, wishes)
    assert mine.allowed and offered.in_time
    best = min(judged.cost for judged in options(snapshot, wishes))
    assert mine.cost <= best * 1.001 + 0.6
    assert offered.cost_s == pytest.approx(mine.cost, rel=1e-4, abs=0.5) and offered.bound_s <= mine.cost + 0.5
    assert sum(offered.short_bytes.values()) == pytest.approx(mine.short, abs=0.01 * GB)
    assert len(offered.unmet) == len(mine.unmet())


@settings(max_examples=300, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(household=households(parts=False))
def test_what_is_offered_can_be_carried_and_no_order_leads_to_better(household):
    snapshot, wishes = household
    wishes = replace(wishes, every_move=True)
    offered = recommend(snapshot, wishes)
    best = min(judged.cost for judged in options(snapshot, wishes) if judged.can_be_carried())
    assert offered.proposal.cost_s <= best * 1.001 + 1
    assert offered.proposal.bound_s <= offered.proposal.cost_s + 0.5
    if not offered.draft.places:
        return
    assert not offered.draft.arranged.stuck
    mine = Judged(snapshot, offered.draft.places, wishes)
    assert mine.allowed and (mine.can_be_carried() or offered.draft.staged)
    assert simulate(Scene(make_plan(offered.draft, offered), snapshot.drives)).feasible


def test_a_proposal_by_commands_says_why_and_can_be_carried(world, capsys):
    fill(world.path("heron", "Games", "Kite"))
    for name, size in (("Old Films", 120), ("Loom", 40)):
        fill(world.path("kestrel", name))
        put(world.path("kestrel", name, "big.bin"), size * MB)
    world.cards = [{"path": "heron/Games/Kite", "opens_per_week": 20}, {"path": "kestrel/Loom", "opens_per_week": 9}]
    world.write()
    at = ["--world", str(world.folder)]
    assert run(["propose", *at]) == 3, "before the first survey"
    assert run(["survey", *at]) == 0
    plan = str(world.folder / "best.nuvik-plan.json")
    capsys.readouterr()
    assert run(["propose", "-o", plan, "--headroom", "kestrel=100M", *at]) == 0
    printed = capsys.readouterr().out
    assert "Kite" in printed and "20 times a week" in printed and "nothing better exists" in printed
    assert run(["rehearse", plan, *at]) == 0 and run(["carry", plan, "--yes", *at]) == 0
    capsys.readouterr()
    assert run(["survey", *at]) == 0
    capsys.readouterr()
    pins = ["--pin", world.path("kestrel", "Loom"), "--pin", os.path.realpath(world.path("heron", "Games", "Kite"))]
    assert run(["propose", "--json", "--free", "kestrel=40M", *pins, *at]) == 5, "more than can be freed"
    data = json.loads(capsys.readouterr().out)
    assert data["format"] == "nuvik-proposal/1" and data["short_bytes"]["kestrel"] > 0
    assert {step["to"] for step in data["steps"]}.isdisjoint({"kestrel"}), "nothing comes where space is wanted"
    for words in (["--style", "odd"], ["--weeks", "-1"], ["--most-moves", "0"]):
        assert run(["propose", *words, *at]) == 2
    assert run(["propose", "--pin", "/nowhere", *at]) == 2


def test_what_is_in_use_is_not_proposed_but_may_be_moved_by_hand(world, capsys):
    fill(world.path("kestrel", "Busy"))
    fill(world.path("kestrel", "Idle"), seed=2)
    for name in ("Busy", "Idle"):
        put(world.path("kestrel", name, "big.bin"), 70 * MB)
    os.utime(world.path("kestrel", "Busy", "big.bin"))
    at, plan = ["--world", str(world.folder)], str(world.folder / "p.nuvik-plan.json")
    assert run(["survey", *at]) == 0 and run(["propose", "--free", "kestrel=100M", "-o", plan, "--json", *at]) == 5
    capsys.readouterr()
    made = read_plan(plan)
    assert [step.library for step in made.steps] == ["Idle"]
    kept = {left.library: left.reason for left in made.kept}
    assert kept["Busy"].startswith("not now: something in it changed")
    assert "how often it is opened is not known" in made.steps[0].reason
    draft = world.open().plan.draft([(world.path("kestrel", "Busy"), "heron")])
    assert [load.library.name for load in draft.loads] == ["Busy"]


def test_every_stay_has_a_reason_and_nothing_is_claimed_that_was_not_proven(monkeypatch):
    fast = a_drive(
        id="fast",
        label="Fast",
        path="/f",
        disk="f",
        portable=False,
        read_bytes_per_s=3000 * MB,
        small_reads_per_s=40_000,
        usable_bytes=300 * GB,
        used_bytes=280 * GB,
        headroom_bytes=10 * GB,
    )
    slow = a_drive(
        id="slow",
        label="Slow",
        path="/s",
        disk="s",
        portable=False,
        read_bytes_per_s=100 * MB,
        small_reads_per_s=80,
        usable_bytes=4000 * GB,
        used_bytes=900 * GB,
        headroom_bytes=10 * GB,
    )
    plain = {"kind": Kind.GAME, "files": 9, "largest_file_bytes": GB, "last_used": None, "drive": "slow"}
    libraries = tuple(
        Library(
            id=f"l{n}",
            name=f"L{n}",
            path=f"/s/{n}",
            bytes=size * GB,
            on_disk_bytes=size * GB,
            opens_per_week=opens,
            **plain,
        )
        for n, (size, opens) in enumerate([(200, 5), (5, 0)])
    )
    snapshot = Snapshot(taken_at="", host="h", drives=(fast, slow), libraries=libraries)
    offered = recommend(snapshot, Wishes())
    assert not offered.draft.places
    assert offered.kept["l0"].reason.startswith("Fast would save") and "190 GB more" in offered.kept["l0"].reason
    assert offered.kept["l1"].reason == "it would not open noticeably faster anywhere else"
    assert moving_s(libraries[0], slow, fast) > 2000
    for solved, words in (
        (Solved((), 0.0, 0.0, False), "Nothing moves: no better placement was found."),
        (Solved((0.0, 1.0, 1.0, *[0.0] * 20), 900.0, 450.0, False), "this is within"),
    ):

        def solve(*_, solved=solved, without=(), **__):
            return replace(solved, cost=1_000.0) if without else solved  # any other placement costs more

        monkeypatch.setattr(IntegerProgram, "solve", solve)
        assert words in recommendation_sentences(recommend(snapshot, Wishes()))


def two_that_swap(third_gb=0):
    """Two libraries want each other's place, and neither drive has room for both at once; perhaps a third has."""
    speeds = {"fast": (3000 * MB, 40_000), "slow": (100 * MB, 80), "third": (90 * MB, 70)}
    drives = tuple(
        a_drive(
            id=speed,
            label=speed.capitalize(),
            path=f"/{speed}",
            disk=speed,
            portable=False,
            read_bytes_per_s=read,
            small_reads_per_s=small,
            usable_bytes=110 * GB,
            headroom_bytes=5 * GB,
            used_bytes=(105 - third_gb if speed == "third" else 100) * GB,
        )
        for speed, (read, small) in speeds.items()
    )
    libraries = tuple(
        Library(
            id=name,
            name=name,
            kind=Kind.GAME,
            path=f"/{drive}/{name}",
            drive=drive,
            bytes=size * GB,
            on_disk_bytes=size * GB,
            files=9,
            largest_file_bytes=GB,
            last_used=None,
            opens_per_week=opens,
        )
        for name, drive, opens, size in (("often", "slow", 40, 100), ("never", "fast", 0, 98))
    )
    return Snapshot(taken_at="", host="h", drives=drives, libraries=libraries)


def test_what_no_order_allows_is_left_out_and_told():
    offered = recommend(two_that_swap(), Wishes())
    assert len(offered.ideal.places) == 2 and not offered.draft.places
    assert set(offered.unplaced) == {"often", "never"}
    assert recommendation_sentences(offered).startswith(
        "Nothing moves: 90.2 GB more free on Slow would be needed to make room along the way, for up to 34 min"
    )


def test_a_knot_is_untied_through_a_third_drive():
    offered = recommend(two_that_swap(third_gb=96), Wishes())  # it may wait there, and not stay
    plan = make_plan(offered.draft, offered)
    assert [(step.library, step.from_drive, step.to_drive, step.via) for step in plan.steps] == [
        ("never", "fast", "third", "third"),
        ("often", "slow", "fast", None),
        ("never", "third", "slow", "third"),
    ], "the smaller one waits"
    assert plan.steps[2].path == plan.steps[0].target_path and "to make room for often" in plan.steps[0].reason
    assert "98.0 GB go via a third drive" in recommendation_sentences(offered) and not offered.draft.arranged.stuck
    assert simulate(Scene(plan, offered.draft.drives)).feasible
    kept_off = frozenset((name, "third") for name in ("often", "never"))
    kept_off = recommend(two_that_swap(third_gb=96), Wishes(forbidden=kept_off))
    assert not kept_off.draft.arranged.staged_bytes, "nor do they wait where they must not go"


def test_room_to_grow_is_what_the_surveys_say(world):
    """Ten weeks at 3 MB a week leave 30 MB more on the drive that grows; the others keep their headroom."""
    fill(world.path("kestrel", "Diary"))
    fill(world.path("kestrel", "Old Films"), seed=2)
    put(world.path("kestrel", "Old Films", "big.bin"), 150 * MB)
    workspace = world.open()
    snapshot = workspace.survey.take()
    now = datetime.now(UTC)
    for week in range(6, 0, -1):
        drives = tuple(
            replace(drive, used_bytes=drive.used_bytes - (3 * MB * week if drive.id == "kestrel" else 0))
            for drive in snapshot.drives
        )
        taken = (now - timedelta(weeks=week)).isoformat()
        keep_snapshot(workspace.computer.database, replace(snapshot, taken_at=taken, drives=drives))
    keep_snapshot(workspace.computer.database, replace(snapshot, taken_at=now.isoformat()))
    room = workspace.survey.room_to_grow(10)
    assert set(room) == {"kestrel"} and room["kestrel"] == pytest.approx(50 * MB, rel=0.02)
    assert not workspace.plan.recommend(Wishes()).draft.places
    offered = workspace.plan.recommend(Wishes(headroom_bytes=room))
    assert offered.draft.free_then_bytes("kestrel") >= room["kestrel"] and len(offered.draft.places) == 1
    assert run(["propose", "--room-to-grow", "10", "--world", str(world.folder)]) == 0
    assert run(["propose", "--room-to-grow", "0", "--world", str(world.folder)]) == 2


def test_totals_that_rest_on_typical_speeds_say_so():
    drives = tuple(
        a_drive(id=name, label=name.capitalize(), path=f"/{name}", disk=name, speed_source=source)
        for name, source in (("wren", "measured"), ("dunlin", "typical"))
    )
    library = Library(
        id="l",
        name="L",
        kind=Kind.GAME,
        path="/wren/l",
        drive="wren",
        bytes=GB,
        on_disk_bytes=GB,
        files=40,
        largest_file_bytes=GB,
        last_used=None,
        opens_per_week=1,
    )
    draft = Draft(Snapshot(taken_at="", host="h", drives=drives, libraries=(library,)))
    assert "measured" not in totals(draft)
    assert " to " in totals(draft.put_down("l", "dunlin")) and "(Dunlin never measured)" in totals(
        draft.put_down("l", "dunlin")
    )


def test_among_many_libraries_no_way_from_a_drive_to_another_is_left_out():
    """Only some choices are looked at there; by price alone, tiny libraries would be most of them."""
    ideal, ways = ideal_placement(made_up_household(200, 6), Wishes()), dict[tuple[str, str], list[bool]]()
    for choice in ideal.model.choices.values():
        for drive, variable in choice.variables:
            if drive is not choice.source:
                ways.setdefault((choice.source.id, drive.id), []).append(variable not in ideal.without)
    assert ideal.without and len(ways) == 30 and all(any(way) for way in ways.values())
