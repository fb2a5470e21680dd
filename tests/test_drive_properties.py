"""Properties of everything about drives: parsers under mutation, the book over a drive's life, charts at any width."""

from __future__ import annotations

import copy
import json
import plistlib
import shutil
import tempfile
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule
from rich.cells import cell_len

import samples
from conftest import GB, MB, SystemOf, a_drive, a_world
from households import step
from nuvik.core.hosts.linux import parse_linux
from nuvik.core.hosts.linux_sysfs import SysDisk
from nuvik.core.hosts.local import LocalHost
from nuvik.core.hosts.macos import parse_macos
from nuvik.core.hosts.volumes import Listing, Volume, identifier_for
from nuvik.core.hosts.windows import parse_windows
from nuvik.core.model import filesystems, media, units
from nuvik.core.model.drive import Drive, Tier, felt_load_s, tier_of
from nuvik.core.model.filesystems import SYSTEMS
from nuvik.core.model.links import LINKS
from nuvik.core.model.plan import Plan
from nuvik.core.model.purchase import Candidate
from nuvik.core.model.survey_document import DriveDocument
from nuvik.core.planning.buying.filesystem_advice import Needs, weigh
from nuvik.core.rehearsal.scene import Scene
from nuvik.core.rehearsal.simulate import simulate
from nuvik.core.stages.workspace import Workspace
from nuvik.core.store.database import Database
from nuvik.core.store.drive_book import DriveNotes
from nuvik.core.store.json_codec import from_json, to_json
from nuvik.core.survey.drives.drive_findings import drive_findings
from nuvik.core.survey.drives.gauge import budget_for
from nuvik.core.views.drive_page import drive_page
from nuvik.core.views.speeds_headline import speeds_headline
from nuvik.drawing.palette import NIGHT
from nuvik.tui.widgets.speed_chart import _bar, _Scale
from nuvik.tui.widgets.traffic import curve

# -- parsers -----------------------------------------------------------------------------------------------

JUNK = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-(2**70), 2**70),
    st.floats(),
    st.text(max_size=8),
    st.just([]),
    st.just({}),
    st.just([None]),
    st.just({"a": 1}),
)


def places_in(value: object, path: tuple = ()) -> Iterator[tuple]:
    """The way to every value inside a document."""
    inner = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, below in inner:
        yield (*path, key)
        yield from places_in(below, (*path, key))


def mutated(document: object, data: st.DataObject) -> object:
    """The document with a few of its values replaced by junk, or taken away."""
    document = copy.deepcopy(document)
    for _ in range(data.draw(st.integers(1, 4))):
        places = list(places_in(document))
        if not places:
            break
        *way, last = data.draw(st.sampled_from(places))
        holder = document
        for key in way:
            holder = holder[key]
        if data.draw(st.booleans()):
            holder[last] = copy.deepcopy(data.draw(JUNK))
        else:
            del holder[last]
    return document


def is_sound(listing: Listing) -> bool:
    for volume in listing.volumes:
        sizes = [volume.bytes, volume.free_bytes, volume.cluster_bytes, *(disk.bytes for disk in volume.disks)]
        assert all(size is None or (isinstance(size, int) and size >= 0) for size in sizes)
        assert all(isinstance(point, str) for point in volume.mount_points)
        assert isinstance(volume.filesystem, str) and isinstance(volume.label, str)
    return True


@settings(max_examples=150, deadline=None)
@given(st.data())
def test_any_field_may_be_junk_and_the_parsers_stand(data):
    assert is_sound(parse_windows(json.dumps(mutated(json.loads(samples.WINDOWS), data))))
    lsblk = json.dumps(mutated(json.loads(samples.LSBLK), data))
    assert is_sound(parse_linux(lsblk, samples.MOUNTINFO, {"sda": SysDisk(sata_speed="?", usb_mbit_per_s="x")}, {}))
    profile = json.dumps(mutated(json.loads(samples.MAC_PROFILE), data))
    infos = {}
    for name, text in samples.MAC_INFOS.items():
        try:
            infos[name] = plistlib.dumps(mutated(plistlib.loads(text), data))
        except (TypeError, OverflowError, ValueError):
            infos[name] = text  # no property list can hold this junk
    assert is_sound(parse_macos(samples.MAC_LIST, infos, profile))
    try:
        listed = plistlib.dumps(mutated(plistlib.loads(samples.MAC_LIST), data))
    except (TypeError, OverflowError, ValueError):
        return
    assert is_sound(parse_macos(listed, samples.MAC_INFOS, samples.MAC_PROFILE))


@given(st.lists(st.text(max_size=12), max_size=12))
def test_short_names_never_clash(labels):
    taken: set[str] = set()
    for label in labels:
        name = identifier_for(label, taken)
        assert name not in taken and name and name == name.lower() and " " not in name
        taken.add(name)


# -- the drive book ----------------------------------------------------------------------------------------


class Shelf(RuleBasedStateMachine):
    """Four volumes come and go under changing labels and letters. A volume keeps its id and what was said of it."""

    def __init__(self) -> None:
        super().__init__()
        self.place = tempfile.mkdtemp(prefix="nuvik-shelf-")
        self.system = SystemOf()
        self.open()
        self.attached: dict[str, Volume] = {}
        self.ids: dict[str, str] = {}
        self.notes: dict[str, DriveNotes] = {}

    def open(self) -> None:
        database = Database(f"{self.place}/state")
        self.workspace = Workspace(LocalHost(self.system), database)

    def teardown(self) -> None:
        shutil.rmtree(self.place)

    @rule(number=st.integers(0, 3), label=st.sampled_from(["Field", "field", "", "Other"]), device=st.integers(0, 9))
    def attach(self, number: int, label: str, device: int) -> None:
        self.attached[f"u{number}"] = Volume(
            device=f"sd{device}x{number}",
            filesystem="ext4",
            label=label,
            uuid=f"u{number}",
            mount_points=(self.place,),
            bytes=GB,
        )

    @rule(number=st.integers(0, 3))
    def detach(self, number: int) -> None:
        self.attached.pop(f"u{number}", None)

    @rule(number=st.integers(0, 3), name=st.sampled_from(["Kestrel", "Wren"]), headroom=st.integers(0, GB))
    def tell(self, number: int, name: str, headroom: int) -> None:
        uuid = f"u{number}"
        if uuid in self.ids:
            notes = DriveNotes(label=name, headroom_bytes=headroom)
            drive = next(drive for drive in self.workspace.drives.all() if drive.id == self.ids[uuid])
            self.workspace.computer.book.keep_notes(drive, notes)
            self.notes[uuid] = notes

    @rule()
    def restart(self) -> None:
        self.open()

    @invariant()
    def each_is_what_it_was(self) -> None:
        self.system.volumes = tuple(self.attached.values())
        self.workspace.drives.note_sightings()
        drives = {drive.identity.removeprefix("ext4:"): drive for drive in self.workspace.drives.all()}
        assert len({drive.id for drive in drives.values()}) == len(drives)
        assert len({drive.label.casefold() for drive in drives.values()}) == len(drives)
        for uuid, drive in drives.items():
            assert self.ids.setdefault(uuid, drive.id) == drive.id
            assert drive.attached is (uuid in self.attached)
            if uuid in self.notes:
                assert drive.label.startswith(self.notes[uuid].label or "")
                assert drive.headroom_bytes == self.notes[uuid].headroom_bytes
        assert set(drives) == set(self.ids), "a drive that was seen is never forgotten by itself"


Shelf.TestCase.settings = settings(
    max_examples=25, stateful_step_count=14, deadline=None, suppress_health_check=list(HealthCheck)
)
TestShelf = Shelf.TestCase


# -- values ------------------------------------------------------------------------------------------------

speeds = st.floats(1e5, 2e10)
drives = st.builds(
    a_drive,
    medium=st.sampled_from(list(media.MEDIA)),
    link=st.sampled_from([*LINKS, "unknown"]),
    filesystem=st.sampled_from(filesystems.known()),
    read_bytes_per_s=speeds,
    write_bytes_per_s=speeds,
    small_reads_per_s=st.floats(1, 1e6),
    attached=st.booleans(),
    portable=st.booleans(),
    read_only=st.booleans(),
    speed_source=st.sampled_from(["measured", "declared", "typical"]),
    used_bytes=st.integers(0, 850 * GB),
    label=st.sampled_from(["Wren", "[bold]Wr\x1b[31m", "ünï\udcff"]),
    best_link=st.sampled_from([*LINKS, "unknown"]),
)


@given(drives, st.lists(drives, max_size=3))
def test_whatever_a_drive_is_it_is_told_in_plain_words(drive, others):
    findings = drive_findings(drive, [drive, *others], [])
    lines = drive_page(drive, 10 * GB, findings)
    sentences = [speeds_headline([drive, *others], defaultdict(list)), *findings, *(words for _, words in lines)]
    assert all("\x1b" not in words and words == words.strip() and words for words in sentences)
    assert not any("None" in words or "nan" in words for words in sentences)
    assert {"what it is", "capacity", "reads", "writes", "feels like", "file system"} <= {name for name, _ in lines}
    back = from_json(Drive, to_json(drive), "A drive")
    assert back == drive
    json.dumps(to_json(DriveDocument.of(drive)))


@given(drives)
def test_figures_are_never_of_two_kinds_of_units(drive):
    units.prefer(units.Base.BINARY)
    try:
        words = " ".join(
            text for name, text in drive_page(drive, 10 * GB, []) if name not in ("capacity", "feels like")
        )
    finally:
        units.prefer(units.Base.DECIMAL)
    assert not any(f" {unit}" in words for unit in ("kB", "MB", "GB", "TB"))


@given(speeds, st.floats(1, 1e6))
def test_tiers_follow_the_felt_load(read, small):
    load = felt_load_s(read, small)
    assert load > 0
    bounds = {Tier.RAPID: (0, 1), Tier.BRISK: (1, 5), Tier.STEADY: (5, 25.000001), Tier.SLOW: (25, float("inf"))}
    low, high = bounds[tier_of(load)]
    assert low <= load < high


@given(own=speeds, case=st.sampled_from([None, *LINKS.values()]), port=st.sampled_from([None, *LINKS.values()]))
def test_a_candidate_is_as_fast_as_its_slowest_part(own, case, port):
    candidate = Candidate(
        label="Plover",
        capacity_bytes=10**12,
        price=50,
        currency="EUR",
        medium="ssd",
        case=case,
        port=port,
        own_read_bytes_per_s=own,
        own_write_bytes_per_s=own,
        small_reads_per_s=5_000,
    )
    limits = [own, *(link.payload_bytes_per_s for link in (case, port) if link is not None)]
    assert candidate.read_bytes_per_s == candidate.write_bytes_per_s == min(limits)
    assert ("the drive itself" in candidate.held_back_by) is (min(limits) == own) is not candidate.is_held_back
    assert candidate.as_drive().read_bytes_per_s == candidate.read_bytes_per_s


@given(st.sets(st.sampled_from(list(SYSTEMS)), min_size=1), st.integers(0, 2**50), st.booleans())
def test_what_fits_comes_first_and_really_fits(systems, largest, links):
    weighed = weigh(Needs(written_by=tuple(systems), largest_file_bytes=largest, links=links), 10**12)
    assert len(weighed) == len({weighted.filesystem for weighted in weighed}) == 5
    fitting = [not weighted.lacks for weighted in weighed]
    assert fitting == sorted(fitting, reverse=True)
    for weighted in weighed:
        rules = filesystems.rules_of(weighted.filesystem)
        fits = systems <= set(rules.written_by) and (rules.symlinks or not links)
        fits = fits and (rules.largest_file_bytes is None or largest <= rules.largest_file_bytes)
        assert (not weighted.lacks) is fits


# -- drives that share -------------------------------------------------------------------------------------


@given(st.lists(st.tuples(st.integers(0, 2), st.integers(0, 2), st.integers(1, 10**9)), max_size=8), st.booleans())
def test_volumes_of_one_container_have_one_free_space(moves, on_trial):
    three = tuple(
        a_drive(id=name, label=name, pool="box" if name != "c" else "", disk=name, headroom_bytes=0) for name in "abc"
    )
    steps = tuple(
        step(number, "abc"[source], "abc"[other], f"l{number}", size)
        for number, (source, other, size) in enumerate(moves, start=1)
        if source != other
    )
    plan = Plan(made_at="", host="", snapshot_taken_at="", steps=steps)
    timeline = simulate(Scene(plan, three, on_trial=on_trial))
    for each in timeline.steps:
        assert each.free_after_bytes["a"] == each.free_after_bytes["b"]
        assert all(each.lowest_free_bytes[drive] <= each.free_after_bytes[drive] + each.bytes for drive in "abc")
    if not on_trial:
        before, after = timeline.free_before_bytes, timeline.free_after_bytes
        assert before["a"] + before["c"] == after["a"] + after["c"], "what leaves one place arrives in the other"


# -- gauging -----------------------------------------------------------------------------------------------


@settings(max_examples=12, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    read=st.integers(5 * MB, 9 * GB),
    write=st.integers(5 * MB, 9 * GB),
    small=st.integers(30, 90_000),
    quick=st.booleans(),
    room=st.integers(1, 400),
)
def test_whatever_is_declared_is_measured_within_the_budget(read, write, small, quick, room):
    with tempfile.TemporaryDirectory() as place:
        room_facts = {"capacity_bytes": room * GB, "usable_bytes": room * GB, "headroom_bytes": 0}
        speed_facts = {"read_bytes_per_s": read, "write_bytes_per_s": write, "small_reads_per_s": small}
        workspace = a_world(Path(place), any={**room_facts, **speed_facts}).open()
        budget = budget_for(workspace.drives.find("any"), quick)
        gauged = workspace.drives.gauge([budget])[0].result
        assert gauged.read.bytes_per_s == pytest.approx(read, rel=0.01)
        assert gauged.write.bytes_per_s == pytest.approx(write, rel=0.01)
        assert gauged.small_reads.reads_per_s == pytest.approx(small, rel=0.01)
        assert gauged.written_bytes <= budget.write_bytes
        # A pass ends with the block, or the twenty small reads, that were under way when its time was up.
        slowest_block_s = 8 * 2**20 / min(read, write) + 20 / small
        assert gauged.took_s <= budget.time_s + 2 * budget.passes * slowest_block_s + 1


# -- charts ------------------------------------------------------------------------------------------------


@given(st.lists(speeds, min_size=1, max_size=8), st.integers(4, 120), st.one_of(st.none(), speeds), st.data())
def test_a_bar_fills_its_cells_and_keeps_the_order(values, cells, ceiling, data):
    scale = _Scale.over([*values, *([ceiling] if ceiling else [])], cells)
    places = [scale.cell(value) for value in sorted(values)]
    assert places == sorted(places) and places[0] >= 0 and places[-1] < cells
    source = data.draw(st.sampled_from(["measured", "declared", "typical", "?"]))
    segments = _bar(values[0], scale, source, ceiling, NIGHT)
    assert sum(cell_len(segment.text) for segment in segments) == cells


@given(st.lists(st.floats(0, 1e10), max_size=40), st.floats(1, 1e10), st.integers(1, 40))
def test_a_curve_fills_its_cells_and_shows_the_newest(values, full, cells):
    row = curve(values, full, cells)
    assert len(row) == cells
    if values and values[-1] >= full:
        assert row[-1] == "█"
    if values and values[-1] == 0:
        assert row[-1] == "▁"


def test_a_drive_is_plain_data():
    drive = a_drive()
    assert replace(drive, used_bytes=0).free_bytes == drive.usable_bytes
    assert drive.holds("/wren/x") == "/wren" and drive.holds("/wrench") is None
    both = replace(drive, also_at=("/wren/inner", "/elsewhere"))
    assert both.holds("/wren/inner/x") == "/wren/inner" and both.holds("/elsewhere/x") == "/elsewhere"
