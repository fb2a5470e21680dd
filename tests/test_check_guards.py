"""Guards of the checks before a move, one condition after the other."""

from __future__ import annotations

import errno
import json
import os
from dataclasses import replace

import pytest

from nuvik.core.carrying.run import undo
from nuvik.core.checks import contents
from nuvik.core.checks.check_step import check_step
from nuvik.core.checks.contents import _problem_of, check_contents, check_each
from nuvik.core.checks.drives import check_drives
from nuvik.core.checks.findings import Findings
from nuvik.core.checks.marks import _Trial, check_marks
from nuvik.core.checks.places import _check_way, _why_no_place, check_places
from nuvik.core.checks.tethers import check_tethers
from nuvik.core.hosts.many_files import Inside
from nuvik.core.model.drive import Drive
from nuvik.core.model.filesystems import rules_of
from nuvik.core.model.tether import Tether, TetherKind
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.rehearsal.calibration_samples import as_step
from nuvik.core.survey.walk.take_inventory import take_inventory
from refusals import move_of, shift


@pytest.fixture
def taken_back(world, ferry):
    shift(world.open(), ferry, on_trial=True)
    undo(world.open().carry.work(), "1")
    return world


@pytest.mark.parametrize("mounted_below", [True, False])
def test_neither_a_library_nor_its_target_lies_in_the_other(taken_back, ferry, mounted_below):
    """As with a drive that is mounted in a folder of another."""
    workspace, move = taken_back.open(), move_of(taken_back)
    step, findings = as_step(move), None
    target = str(ferry / "data" / "Ferry") if mounted_below else str(ferry.parent)
    findings = Findings(replace(step, target_path=target))
    kestrel, heron = workspace.drives.find("kestrel"), workspace.drives.find("heron")
    check_places(findings, workspace.computer.host, workspace.computer.state_folder, kestrel, heron, ())
    words = "is inside" if mounted_below else "is inside the target"
    assert any(words in violation.problem for violation in findings.violations)


def test_a_library_in_a_folder_that_you_may_not_change_stays(taken_back, ferry, monkeypatch):
    workspace, plain = taken_back.open(), os.access
    monkeypatch.setattr(os, "access", lambda path, mode: path != str(ferry.parent) and plain(path, mode))
    findings = Findings(as_step(move_of(taken_back)))
    kestrel, heron = workspace.drives.find("kestrel"), workspace.drives.find("heron")
    check_places(findings, workspace.computer.host, workspace.computer.state_folder, kestrel, heron, ())
    assert [violation.problem for violation in findings.violations] == [
        f"You may not change {ferry.parent}, where {ferry} is."
    ]


def test_what_cannot_be_looked_at_is_refused_by_its_path(taken_back, ferry, monkeypatch):
    workspace = taken_back.open()
    host = workspace.computer.host
    monkeypatch.setattr(host, "room_needed", lambda *_: (_ for _ in ()).throw(OSError(errno.EIO, "Input/output error")))
    findings = check_step(host, workspace.drives.all(), as_step(move_of(taken_back)), workspace.computer.state_folder)
    (violation,) = findings.violations
    assert violation.problem == f"{ferry} cannot be looked at: input/output error."


def test_nothing_goes_onto_a_drive_that_was_mounted_for_another_user(taken_back, monkeypatch):
    workspace = taken_back.open()
    heron = replace(workspace.drives.find("heron"), filesystem="exfat")
    monkeypatch.setattr(os, "geteuid", lambda: 4711)
    findings = Findings(as_step(move_of(taken_back)))
    _check_way(findings, workspace.computer.host, move_of(taken_back).target, heron)
    (violation,) = findings.violations
    assert "mounted for another user" in violation.problem and violation.drive == heron.id
    monkeypatch.setattr(os, "geteuid", lambda: os.stat(heron.path).st_uid or 1)
    os.chown(heron.path, os.geteuid(), -1)
    findings = Findings(as_step(move_of(taken_back)))
    _check_way(findings, workspace.computer.host, move_of(taken_back).target, heron)
    assert not findings.violations, "it is mounted for this user"


@pytest.mark.parametrize(
    ("place", "says"),
    [
        ("lost+found/Ferry", "is kept for the file system itself"),
        (".nuvik-held-9-0123abcd/Ferry", "is kept for moves of Nuvik"),
        ("Games/Ferry", ""),
    ],
)
def test_nothing_is_put_where_the_file_system_or_nuvik_keeps_its_own(taken_back, place, says):
    workspace, findings = taken_back.open(), Findings(as_step(move_of(taken_back)))
    heron = workspace.drives.find("heron")
    _check_way(findings, workspace.computer.host, os.path.join(heron.path, place), heron)
    assert [says in violation.problem for violation in findings.violations] == ([True] if says else [])
    below = replace(heron, path="/mnt/lost+found/heron")
    assert _why_no_place(workspace.computer.host, "/mnt/lost+found/heron/Games/Ferry", below) is None


def test_marks_that_a_drive_does_not_keep_are_refused_or_noted(world, ferry, monkeypatch):
    workspace = world.open()
    host, heron = workspace.computer.host, workspace.drives.find("heron")
    inventory = take_inventory(host.files, str(ferry))
    step = make_plan(workspace.plan.draft([(str(ferry), "heron")])).steps[0]
    monkeypatch.setattr(type(host.files), "read_xattrs", lambda self, path: {"user.note": b"mine"})
    kept: set[tuple[str, int]] = set()
    monkeypatch.setattr(_Trial, "refused_attributes", lambda self, sets, on_folder: kept)

    def refused(target: Drive, *paths: str, without: bool = False) -> Findings:
        findings = Findings(step)
        check_marks(findings, host, inventory, paths, target, without)
        return findings

    plain = replace(heron, filesystem="exfat")
    assert not refused(heron, "start.bin").violations and not refused(plain).violations
    kept.add(("user.note", 4))
    for target in (heron, plain):
        (violation,) = refused(target, "start.bin").violations
        assert "the extended attribute user.note of start.bin" in violation.problem
        noted = refused(target, "start.bin", without=True)
        assert not noted.violations and "Nuvik remembers them" in noted.notes[0]
    monkeypatch.setattr(type(host.files), "read_xattrs", lambda self, path: {"user.note": b"x" * 9})
    kept.clear()
    findings = check_step(host, (*workspace.drives.all(),), step, workspace.computer.state_folder)
    assert not findings.violations
    os.utime(ferry / "start.bin", ns=(0, -(2**62)))
    monkeypatch.setattr(_Trial, "refused_times", lambda self, entries, step_ns: entries)
    (violation,) = check_step(host, workspace.drives.all(), step, workspace.computer.state_folder).violations
    assert "the time of start.bin" in violation.problem


def test_attributes_that_a_library_has_on_one_file_are_tried_out_together(world):
    """As on a file system with little room for those of a file."""
    kept: dict[str, bytes] = {}

    class Narrow:
        def mark_xattr(self, path: str, name: str, value: bytes) -> None:
            if sum(map(len, kept.values())) + len(value) > 100:
                raise OSError(errno.ENOSPC, "No space left on device")
            kept[name] = value

        def read_xattrs(self, path: str) -> dict[str, bytes]:
            return dict(kept)

        def remove_xattr(self, path: str, name: str) -> None:
            del kept[name]

    trial = _Trial(Narrow(), world.open().drives.find("heron"))  # type: ignore[arg-type]
    trial._there = True
    first, second = {"user.first": b"1" * 60}, {"user.second": b"2" * 60}
    assert trial.refused_attributes([first, second], on_folder=False) == set()
    assert trial.refused_attributes([{**first, **second}], on_folder=True) == {("user.second", 60)}
    trial._there = False
    assert trial.refused_attributes([{**first, **second}], on_folder=True) == set(), "nothing is known"


def test_what_becomes_of_permissions_and_of_links_that_lead_out_is_noted(taken_back, ferry):
    (ferry.parent / "beside.txt").write_text("beside")
    (ferry / "way").symlink_to("../beside.txt")
    for filesystem, notes in (("ext4", ["1 link of"]), ("exfat", ["exFAT does not store permissions", "1 link of"])):
        findings = Findings(as_step(move_of(taken_back)))
        inventory = take_inventory(taken_back.open().computer.host.files, str(ferry))
        check_contents(findings, inventory, rules_of(filesystem))
        assert [note.startswith(words) for note, words in zip(findings.notes, notes, strict=True)] == [True] * len(
            notes
        )


def test_where_nothing_can_be_tried_out_nothing_is_refused(world, ferry, monkeypatch):
    workspace = world.open()
    files, heron = workspace.computer.host.files, workspace.drives.find("heron")
    entries = list(take_inventory(files, str(ferry)).entries.values())
    monkeypatch.setattr(files, "create", lambda path: (_ for _ in ()).throw(OSError(errno.ENOSPC, "full", path)))
    with _Trial(files, heron) as trial:
        assert trial.refused_times(entries, step_ns=1) == []
        assert trial.refused_attributes([{"user.note": b"x"}], on_folder=False) == set()


def test_a_setting_is_looked_at_before_a_library_leaves_its_own_drive_and_not_on_from_staging(taken_back, ferry):
    workspace = taken_back.open()
    tether = Tether(kind=TetherKind.SETTING, file=str(ferry / "titles.json"), key="path", format="json")
    step = replace(as_step(move_of(taken_back)), tethers=(tether,))
    for via, refused in ((None, True), (step.from_drive, False)):
        findings = Findings(replace(step, via=via))
        check_tethers(findings, workspace.computer.host)
        assert bool(findings.violations) is refused


def test_a_setting_that_does_not_say_the_old_place_is_refused(taken_back, ferry):
    workspace, file = taken_back.open(), ferry.parent / "titles.json"
    tether = Tether(kind=TetherKind.SETTING, file=str(file), key="path", format="json")
    step = replace(as_step(move_of(taken_back)), tethers=(tether,))
    for says, refused in ((str(ferry), False), ("/elsewhere", True)):
        file.write_text(json.dumps({"path": says}))
        (ferry / ".nuvik-held-9-0123abcd").mkdir(exist_ok=refused)
        computer = workspace.computer
        findings = check_step(computer.host, workspace.drives.all(), step, computer.state_folder)
        problems = " ".join(violation.problem for violation in findings.violations)
        assert ("titles.json" in problems) is refused
        assert ("being kept for another move" in problems) is not refused, "all of it is looked through only then"


def test_what_opening_a_file_tells_is_said_in_words():
    assert _problem_of(Inside("immutable", False, False)) == (
        "is marked as immutable, so it cannot be removed later",
        "Take that mark away with “chattr”.",
    )
    assert (
        "is open for writing" in str(_problem_of(Inside("", True, False)))
        and _problem_of(Inside("", None, True)) is None
    )


def test_what_opening_the_entries_of_a_library_tells_is_refused_once_of_each_kind(taken_back, ferry, monkeypatch):
    workspace = taken_back.open()
    seen = {
        "start.bin": Inside("immutable", False, False),
        "data/one.bin": Inside("immutable", False, True),
        "data/two.bin": PermissionError(13, "Permission denied"),
        "data": FileNotFoundError(2, "gone"),
        "": Inside("", True, True),
    }
    monkeypatch.setattr(contents, "look_inside", lambda files, inventory: seen)
    findings = Findings(as_step(move_of(taken_back)))
    host = workspace.computer.host
    asked = check_each(findings, host, take_inventory(host.files, str(ferry)))
    fixed, unreadable, written = (violation.problem for violation in findings.violations)
    assert fixed.startswith(f"{ferry / 'start.bin'} is marked as immutable")
    assert "two.bin may not be read by you" in unreadable and written.startswith(f"{ferry} is open for writing")
    assert asked == ["data/one.bin", ""]


def test_drives_that_share_their_space_or_their_disk(taken_back):
    """Two volumes of one container have one free space; two of one disk fail together."""
    workspace = taken_back.open()
    kestrel, heron = workspace.drives.find("kestrel"), workspace.drives.find("heron")
    step = as_step(move_of(taken_back))
    for facts, refused, noted in (
        ({"pool": "one"}, True, False),
        ({"pool": "", "disk": "one"}, False, True),
        ({"pool": "", "disk": ""}, False, False),
        ({"pool": "", "disk": "", "copy_of": "another"}, True, False),
    ):
        findings = Findings(step)
        check_drives(findings, (replace(kestrel, **facts), replace(heron, **facts)))
        assert (bool(findings.violations), bool(findings.notes)) == (refused, noted)
