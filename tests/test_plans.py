"""Wishes that contradict each other, drafts put right, plans opened later, target paths, landings, and figures that
are not known for sure.
"""

from __future__ import annotations

import itertools
import json
from collections import Counter
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import GB, fill
from households import FAST, SLOW, drive, home, library
from judged import households
from nuvik.core.carrying.run import carry_plan
from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.library import Kind, Part
from nuvik.core.model.wishes import WEIGHTS, Style, Wishes
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.landing import propose_landings
from nuvik.core.planning.drafting.library_parts import in_pieces
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.planning.drafting.plan_vs_survey import StepState, draft_of, standings
from nuvik.core.planning.drafting.recommendation import recommend
from nuvik.core.planning.drafting.repair import repaired
from nuvik.core.planning.drafting.target_paths import clean_template, folder_for, usual_target
from nuvik.core.planning.placement.contradictions import contradictions
from nuvik.core.planning.placement.placement_model import Placement
from nuvik.core.planning.placement.waiting import OPENINGS, change_of, opening_s, waiting_of
from nuvik.core.planning.search.ideal import propose
from nuvik.core.views.recommendation_sentences import recommendation_sentences


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(household=households(most_libraries=4))
def test_what_contradicts_is_the_smallest_set_that_does(household):
    snapshot, wishes = household
    proposal = propose(snapshot, wishes)
    for contradiction in contradictions(snapshot, wishes, proposal, most=2):
        model = Placement(snapshot, wishes, relaxed=True)
        variables = model.wishes

        def can_be_had(words, model=model, variables=variables):
            model.program.rows.append((0.0, 0.0, [(variables[word], 1.0) for word in words]))
            solved = model.program.solve(0.0, 10.0, {})
            model.program.rows.pop()
            return bool(solved.values)

        together = (contradiction.wish, *contradiction.others)
        if not contradiction.proven:  # it can be had, and is not worth its price
            assert can_be_had(together)
            continue
        assert not can_be_had(together), "they do contradict each other"
        if contradiction.asked_bytes:
            assert contradiction.free_bytes < contradiction.asked_bytes
            continue
        others = [word for word in variables if word != contradiction.wish]
        for smaller in itertools.combinations(others, max(0, len(contradiction.others) - 1)):
            assert not contradiction.others or can_be_had((contradiction.wish, *smaller)), "and no smaller set does"


def test_a_drive_that_may_be_filled_is_room_for_what_is_on_others():
    full = drive("full", usable_bytes=40 * GB, used_bytes=40 * GB, headroom_bytes=10 * GB)
    snapshot = home([full, drive("spare", headroom_bytes=0)], [library("Kite", "full")])
    wishes = Wishes(pinned=frozenset(["Kite"]))
    (contradiction,) = contradictions(snapshot, wishes, propose(snapshot, wishes))
    assert contradiction.others == ("Kite stays on Full, where it is pinned",) and not contradiction.asked_bytes


def test_contradictions_are_told_in_the_words_of_the_wishes():
    """The working set must be quick, the only quick drive is to stay nearly empty, and its filler is pinned."""
    snapshot = home(
        [
            drive("fast", usable_bytes=110 * GB, used_bytes=70 * GB, headroom_bytes=30 * GB, **FAST),
            drive("slow", **SLOW),
        ],
        [library("Daily", "slow", working_set=True), library("Filler", "fast", 60)],
    )
    assert recommend(snapshot, Wishes()).draft.places == {"Daily": "fast", "Filler": "slow"}, "it can be had"
    offered = recommend(snapshot, Wishes(pinned=frozenset(["Filler"])))
    assert [wish.words for wish in offered.proposal.unmet] == [
        "Daily, which you really use, is on a rapid or brisk drive"
    ]
    words = recommendation_sentences(offered)
    assert "contradict each other" in words and "Filler stays on Fast, where it is pinned" in words
    assert "Fast keeps 30.0 GB free" in words
    more = recommend(snapshot, Wishes(free_more_bytes={"fast": 80 * GB}))
    assert "“Fast keeps 120 GB free” is impossible, whatever is moved." in recommendation_sentences(more)


def test_backups_part_from_what_they_back_up_and_reasons_say_so():
    project = library(
        "Mosaic",
        "fast",
        40,
        kind=Kind.PROJECT,
        parts=(
            Part(name="Backups", kind=Kind.BACKUP, path="Backups", bytes=9 * GB, on_disk_bytes=9 * GB, files=1),
            Part(name="Plug-ins", kind=Kind.PROGRAM, path="Plug-ins", bytes=2 * GB, on_disk_bytes=2 * GB, stays=True),
        ),
    )
    copy = library("Copy", "fast", 5, kind=Kind.BACKUP, apart_from=("/fast/Games/Album",), opens_per_week=0)
    snapshot = home(
        [drive("fast", **FAST), drive("twin", disk="fast", **FAST), drive("slow", **SLOW)],
        [project, library("Album", "fast", 5), copy],
    )
    offered = recommend(snapshot, Wishes())
    assert offered.draft.places == {"Mosaic/Backups": "slow", "Copy": "slow"}, "not on Twin, which is the same disk"
    reasons = offered.reasons
    assert "a backup on the same disk is no backup" in reasons["Mosaic/Backups"]
    assert reasons["Copy"].startswith("Copy is on another disk than Album; ")
    plan = make_plan(offered.draft, offered)
    assert {step.target_path for step in plan.steps} == {"/slow/Backups/Mosaic Backups", "/slow/Backups/Copy"}
    assert recommend(snapshot, Wishes(whole=True)).draft.places == {"Copy": "slow"}
    careless = Wishes(weights=replace(WEIGHTS[Style.BALANCED], backup_beside_s=0), pinned=frozenset(["Copy"]))
    assert recommend(snapshot, careless).draft.places == {"Album": "slow"}, "then the original goes"


def test_a_draft_is_put_right_with_the_fewest_moves_and_its_own_kept():
    snapshot = home(
        [drive("fast", usable_bytes=120 * GB, used_bytes=70 * GB, **FAST), drive("slow", **SLOW)],
        [library("A", "fast", 30), library("B", "fast", 35), library("Big", "slow", 70)],
    )
    draft = Draft(snapshot).put_down("Big", "fast")
    assert draft.breaches[0].drive == "fast" and draft.breaches[0].by_edit
    right = repaired(draft)
    assert right.places == {"Big": "fast", "B": "slow"} or right.places == {"Big": "fast", "A": "slow"}
    assert not right.breaches
    with pytest.raises(Refused, match="has no problems"):
        repaired(right)
    with pytest.raises(Refused, match="No set of moves fixes this"):
        repaired(draft.with_headroom({"fast": 119 * GB}))


@settings(max_examples=40, deadline=None)
@given(st.data())
def test_mending_takes_the_fewest_moves_and_then_the_fewest_bytes(data):
    """As all placements show, tried one by one."""
    drives = [
        drive("fast", usable_bytes=100 * GB, used_bytes=0, headroom_bytes=10 * GB, **FAST),
        drive("slow", usable_bytes=200 * GB, used_bytes=0, headroom_bytes=10 * GB, **SLOW),
        drive("third", usable_bytes=150 * GB, used_bytes=0, headroom_bytes=10 * GB, **SLOW),
    ]
    sizes = data.draw(st.lists(st.integers(2, 40), min_size=3, max_size=6))
    libraries = [library(f"L{n}", data.draw(st.sampled_from(["fast", "slow"])), size) for n, size in enumerate(sizes)]
    used = Counter({each.id: 0 for each in drives})
    for each in libraries:
        used[each.drive] += each.on_disk_bytes
    other = data.draw(st.integers(0, 60)) * GB
    drives = [replace(each, used_bytes=min(98 * GB, used[each.id] + other * (each.id == "fast"))) for each in drives]
    draft = Draft(home(drives, libraries))
    best = None
    for places in itertools.product(("fast", "slow", "third"), repeat=len(libraries)):
        then = draft
        for each, place in zip(libraries, places, strict=True):
            then = then.put_down(each.id, place)
        if not then.breaches and not then.arranged_quickly.stuck:
            size = sum(load.library.on_disk_bytes for load in then.loads)
            best = min(best or (99, 0), (len(then.loads), size))
    if not draft.breaches:
        return
    if best is None:
        with pytest.raises(Refused):
            repaired(draft)
        return
    right = repaired(draft)
    assert not right.breaches
    assert (len(right.loads), sum(load.library.on_disk_bytes for load in right.loads)) <= best


def test_swapping_and_going_back_are_each_others_inverse():
    snapshot = home(
        [drive("fast", **FAST), drive("slow", **SLOW)],
        [library("A", "fast"), library("B", "fast"), library("C", "slow")],
    )
    draft = Draft(snapshot).swapped(["A", "B"], ["C"])
    assert draft.places == {"A": "slow", "B": "slow", "C": "fast"}
    assert draft.swapped(["A", "B"], ["C"]).places == {}
    for ones, others in ((["A"], ["B"]), ([], ["C"])):
        with pytest.raises(Refused):
            Draft(snapshot).swapped(ones, others)


@settings(max_examples=200, deadline=None)
@given(factors=st.lists(st.floats(0, 1), min_size=3, max_size=3), data=st.data())
def test_the_truth_lies_within_the_bounds_whatever_the_drives_really_do(factors, data):
    """Each drive may be off by its doubt, all its reading alike: no total and no saving is outside what was said."""
    sources = ["typical", "measured", "declared"]
    drives = [drive(f"d{n}", speed_source=sources[n], speed_spread=0.4, **(FAST, SLOW, FAST)[n]) for n in range(3)]
    real = []
    for place, factor in zip(drives, factors, strict=True):
        pace = place.read_doubt ** (2 * factor - 1)
        real.append(
            replace(
                place, read_bytes_per_s=place.read_bytes_per_s * pace, small_reads_per_s=place.small_reads_per_s * pace
            )
        )
    libraries = [library(f"l{n}", "d0", 5 + n, opens_per_week=n) for n in range(4)]
    places = st.lists(st.integers(0, 2), min_size=4, max_size=4)
    now, then = data.draw(places), data.draw(places)
    before, after = ([(library, drives[n]) for library, n in zip(libraries, ns, strict=True)] for ns in (now, then))
    truth = [
        sum(opening_s(library, real[n]) * library.opens_per_week for library, n in zip(libraries, ns, strict=True))
        for ns in (now, then)
    ]
    for words, really in zip((waiting_of(before), waiting_of(after)), truth, strict=True):
        assert words.low - 1e-6 <= really <= words.high + 1e-6 and words.low <= words.likely <= words.high
    saved = change_of(before, after)
    assert saved.low - 1e-6 <= truth[0] - truth[1] <= saved.high + 1e-6


@given(sizes=st.lists(st.integers(1, 9), min_size=1, max_size=3), size=st.integers(30, 90))
def test_a_library_in_pieces_is_as_large_and_opens_as_quickly(sizes, size):
    kinds = (Kind.CACHE, Kind.BACKUP, Kind.VIDEO)
    parts = tuple(
        Part(name=kind, kind=kind, path=kind, bytes=count * GB, on_disk_bytes=count * GB, files=1, sizes=((count, 1),))
        for kind, count in zip(kinds, sizes, strict=False)
    )
    whole = library("W", "slow", size, parts=parts, sizes=((1, 5), (2, 5), (9, 9)), files=19)
    pieces = in_pieces(whole)
    place = drive("slow", **SLOW)
    assert len(pieces) == len(parts) + 1 and sum(library.bytes for library in pieces) == whole.bytes
    assert sum(library.files for library in pieces) == whole.files
    assert sum(opening_s(library, place) for library in pieces) == pytest.approx(opening_s(whole, place))
    one_by_one = in_pieces(whole, [parts[0].path])
    again = {library.id: library for piece in one_by_one for library in in_pieces(piece)}
    assert again.keys() == {library.id for library in pieces}, "parted one after the other it is the same"
    assert all(
        again[library.id].bytes == library.bytes and again[library.id].piece.reads == pytest.approx(library.piece.reads)
        for library in pieces
    )


def test_target_paths_follow_the_drives_template(world, capsys):
    game, here = library("Kite: Two", "fast", path="/fast/Games/Kite"), drive("fast")
    ours = drive("slow", target_template="Libraries/{from}/{kind}/{name}")
    assert usual_target(game, ours, here) == "/slow/Libraries/Fast/Games/Kite"
    assert folder_for(Kind.GAME, ours) == "/slow/Libraries" and folder_for(Kind.GAME, here) == "/fast/Games"
    assert clean_template(" {kind}/{name} ", ours) == "" and clean_template("X/{name}", ours) == "X/{name}"
    for bad in ("{kind}", "../{name}", "a//{name}", "{owner}/{name}", "{name}/x", "{na", "a\0/{name}"):
        with pytest.raises(BadInput):
            clean_template(bad, ours)
    fill(world.path("kestrel", "Games", "Kite"))
    assert world.run("drive", "heron", "--template", "{wrong}/{name}") == 2
    assert world.run("drive", "heron", "--template", "From {from}/{name}") == 0
    capsys.readouterr()
    assert world.run("shift", world.path("kestrel", "Games", "Kite"), "heron", "--yes") == 0
    assert (world.folder / "heron" / "From Kestrel" / "Kite" / "data").is_dir()


def test_plans_opened_later_are_checked_step_by_step(world, tmp_path):
    for number, name in enumerate(("Kite", "Loom", "Moor", "Nail")):
        fill(world.path("kestrel", "Games", name), seed=number + 1)
    workspace = world.surveyed()
    moves = [(world.path("kestrel", "Games", name), "heron") for name in ("Kite", "Loom", "Moor", "Nail")]
    plan, file = workspace.plan.make(workspace.plan.draft(moves)), str(tmp_path / "p.nuvik-plan.json")
    assert world.run("draft", *itertools.chain(*moves), "-o", file) == 0
    assert "Nothing this plan depends on has changed" in world.prints("plan", file)
    carry_plan(workspace.carry.work(), replace(plan, steps=plan.steps[:1]))
    (world.folder / "kestrel" / "Games" / "Loom" / "more.bin").write_bytes(b"x" * 500)
    (world.folder / "kestrel" / "Games" / "Moor").rename(tmp_path / "Moor")
    workspace.survey.take()
    printed = json.loads(world.prints("plan", file, "--json", code=5))["steps"]
    assert [row["state"] for row in printed] == [StepState.DONE, StepState.CHANGED, StepState.DOUBTFUL, StepState.HOLDS]
    assert "500 B larger" in printed[1]["words"] and "1 file more" in printed[1]["words"]
    renewed = str(tmp_path / "q.nuvik-plan.json")
    printed = world.prints("plan", file, "--beside", file, "--renew", renewed)
    assert "Left out: step 3, Moor" in printed and "waiting per week then" in printed
    assert world.run("plan", renewed) == 0 and world.run("rehearse", renewed) == 0
    assert draft_of(plan, workspace.survey.latest())[0].places.keys() == {"kestrel:Games/Loom", "kestrel:Games/Nail"}
    world.attach("heron", False)
    assert {standing.state for standing in standings(plan, world.open().survey.latest())} == {StepState.DOUBTFUL}


def test_only_the_steps_that_need_what_changed_are_in_doubt():
    """Step 2 needs the room that step 1 makes; step 3 needs nothing of it."""
    drives = [drive("fast", usable_bytes=100 * GB, used_bytes=85 * GB, **FAST), drive("slow", **SLOW), drive("more")]
    libraries = [library("Out", "fast", 40), library("In", "slow", 30), library("Aside", "slow", 5)]
    draft = Draft(home(drives, libraries)).put_down("Out", "slow").put_down("In", "fast").put_down("Aside", "more")
    plan = make_plan(draft)
    assert [step.library for step in plan.steps] == ["Out", "In", "Aside"]
    offered = standings(plan, home(drives, libraries[1:]))
    assert [standing.state for standing in offered] == [StepState.DOUBTFUL, StepState.DOUBTFUL, StepState.HOLDS]
    assert "step 1, which makes room there, is in doubt" in offered[1].words


def test_landings_are_proposed_chosen_and_kept(world):
    full = drive("fast", usable_bytes=100 * GB, used_bytes=60 * GB, **FAST)
    snapshot = home([full, drive("slow", **SLOW)], [library("A", "fast", 20), library("B", "slow", 20, last_used=None)])
    landing = propose_landings(Draft(snapshot))[Kind.GAME]
    assert (landing.drive, landing.before, landing.path) == ("slow", "fast", "/slow/Games")
    assert "no room for 3 more" in landing.reason
    plan = recommend(snapshot, Wishes()).draft.landings
    assert plan[Kind.GAME].drive == "slow"
    fill(world.path("kestrel", "Games", "Kite"))
    assert world.run("survey") == 0 and "the newest, Kite, is there" in world.prints("landing", "game")
    assert world.run("landing", "game", "heron") == 0
    printed = json.loads(world.prints("landing", "--json", "game"))["landings"]
    assert [(row["kind"], row["path"]) for row in printed] == [("game", world.path("heron", "Games"))]
    for words, code in ((["cheese", "heron"], 2), (["game", "emu"], 2), (["game", "/etc"], 2), (["--forget"], 2)):
        assert world.run("landing", *words) == code
    workspace = world.open()
    plan = workspace.plan.make(workspace.plan.draft([(world.path("kestrel", "Games", "Kite"), "wren")]))
    assert [(landing.kind, landing.drive) for landing in plan.landings] == [(Kind.GAME, "heron")], (
        "chosen before, it still holds"
    )
    assert "kestrel" in world.prints("landing", "game", "--forget")


@pytest.mark.parametrize(
    ("before", "why"),
    [
        ({"portable": True}, "is portable"),
        ({"attached": False}, "is away"),
        ({"read_only": True}, "takes nothing new"),
        ({"welcomes": (Kind.GAME,)}, "is meant for other kinds"),
        ({"read_bytes_per_s": 1}, "is too slow for it"),
        ({"filesystem": "vfat"}, "cannot hold files that large"),
        ({"used_bytes": 990 * GB}, "has no room for 3 more"),
    ],
)
def test_a_landing_says_why_it_is_not_where_new_content_went_so_far(before, why):
    newest = library("A", "before", 20, kind=Kind.VIDEO, largest_file_bytes=5 * GB)
    snapshot = home([drive("before", **{**FAST, **before}), drive("other", **SLOW)], [newest])
    landing = propose_landings(Draft(snapshot))[Kind.VIDEO]
    assert landing.drive == "other" and f"; Before, where A was stored, {why}" in landing.reason


def test_weights_are_shown_and_can_be_changed(world):
    fill(world.path("kestrel", "Games", "Kite"))
    assert world.run("survey") == 0
    printed = world.prints("propose", "--weigh", "all")
    assert all(name in printed and words in printed for name, _, words in WEIGHTS[Style.BALANCED].in_words())
    assert json.loads(world.prints("propose", "--weigh", "move_s=1", "--json"))["weights"]["move_s"] == 1
    for bad in ("cheese=1", "move_s=x", "move_s=-1"):
        assert world.run("propose", "--weigh", bad) == 2


def test_the_page_on_planning_has_the_figures_that_are_reckoned_with():
    page = (Path(__file__).parent.parent / "docs" / "plan.md").read_text()
    for kind, opening in OPENINGS.items():
        streams = "–" if opening.streams_bytes_per_s is None else f"{opening.streams_bytes_per_s / 1e6:g}"
        assert (
            f"| {kind} | {opening.cpu_s:g} | {100 * opening.share_read:g} % | {opening.most_read_bytes / 1e6:.0f} | "
            f"{opening.small_reads} | {streams} |"
        ) in page, kind
    for name, seconds, _ in WEIGHTS[Style.BALANCED].in_words():
        others = [getattr(WEIGHTS[style], name) for style in (Style.CAUTIOUS, Style.FASTEST)]
        assert f"| {name} | " + " | ".join(f"{name:g}" for name in (seconds, *others)) + " |" in page, name


def test_a_card_names_other_libraries_wherever_their_drive_is_mounted(world):
    album, copy = fill(world.path("wren", "Album")), fill(world.path("heron", "Copy"), seed=2)
    assert world.run("card", str(copy), "--apart-from", str(album), "--with", str(copy)) == 2, "itself"
    assert world.run("card", str(copy), "--apart-from", str(album)) == 0
    (world.folder / "wren").rename(world.folder / "elsewhere")
    world.data["drive"][2]["folder"] = "elsewhere"
    world.write()
    assert world.open().survey.card(str(copy)).apart_from == (world.path("elsewhere", "Album"),)
