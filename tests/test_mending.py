"""What Nuvik left on real drives is found and brought to its end, with the journal, a damaged one, or none."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
from dataclasses import replace
from functools import partial
from itertools import count
from pathlib import Path

import pytest

from conftest import fill, leftovers, picture
from nuvik.__main__ import run
from nuvik.core.carrying.aside_folders import held, held_folder
from nuvik.core.carrying.run import release, resume, undo
from nuvik.core.hosts.files import Files
from nuvik.core.model.errors import Refused
from nuvik.core.model.journal import State
from nuvik.core.model.leftover import Repair
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.stages.workspace import Workspace, open_workspace
from nuvik.core.store.database import DATABASE_NAME
from refusals import shift
from screens import press, running, words
from test_promise import die_after
from volumes import unmount


def nuvik(capsys, code: int, *words: str):
    assert run(list(words)) == code
    return capsys.readouterr()


def lose(state: Path) -> None:
    shutil.rmtree(state)


def damage(state: Path) -> None:
    """Junk over the pages in the middle, as a failing drive leaves it."""
    database = state / DATABASE_NAME
    with open(database, "r+b") as file:
        file.seek(database.stat().st_size // 3)
        file.write(os.urandom(database.stat().st_size // 3))


def damage_beginning(state: Path) -> None:
    with open(state / DATABASE_NAME, "r+b") as file:
        file.write(bytes(8192))


@pytest.mark.slow
@pytest.mark.parametrize("on_trial", [True, False], ids=["on trial", "released"])
@pytest.mark.parametrize("journal", [lose, damage, damage_beginning], ids=lambda way: way.__name__)
def test_whenever_the_machine_dies_and_whatever_becomes_of_the_journal_mending_ends_it(
    real_drives, tmp_path, journal, on_trial
):
    small, large = (
        real_drives.up("small", "60M", "ext4"),
        real_drives.up("large", "300M", "btrfs" if on_trial else "xfs"),
    )
    stride = 11 if journal is lose else 29
    for life in count(5, stride):
        library, state = fill(small / "Games" / "Library", files=8, odd=True), tmp_path / f"state {life}"
        whole, workspace = picture(library), open_workspace(state=str(state))
        died = die_after(workspace, life, partial(shift, workspace, library, large, on_trial))
        journal(state)
        again = open_workspace(state=str(state))
        again.logbook.mend(again.logbook.leftovers([str(small), str(large)]))
        if again.logbook.midway():
            resume(again.carry.work())
        target = next((place for place in large.rglob("Library") if place.is_dir()), None)
        at_home = library.is_dir() and not library.is_symlink()
        assert picture(library if at_home else target) == whole, f"life {life}"
        assert at_home or os.path.samefile(library, target), f"life {life}: the old path opens it"
        on_trial_now = [move for move in again.logbook.moves() if move.state is State.ON_TRIAL]
        for move in on_trial_now:
            assert picture(held(move)) == whole
            undo(again.carry.work(), str(move.id))
            assert picture(library) == whole and not library.is_symlink()
        assert not leftovers(small) and not leftovers(large), f"life {life}"
        for drive in (small, large):
            for path in drive.iterdir():
                if path.name != "lost+found":
                    shutil.rmtree(path)
        if not died:
            break
    assert life > 60


@pytest.fixture
def on_trial(real_drives, tmp_path):
    """A library moved on trial; its two drives; the workspace."""
    small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
    library, workspace = fill(small / "Games" / "Library"), open_workspace(state=str(tmp_path / "first"))
    shift(workspace, library, large, on_trial=True)
    return library, large, workspace


def real_places(workspace: Workspace) -> list[str]:
    """Where the small drives of a test are mounted: the whole machine need not be looked through."""
    return [drive.path for drive in workspace.drives.all() if drive.attached and "nuvik-drives" in drive.path]


def the_only(workspace: Workspace, repair: Repair) -> str:
    """What is said of the only leftover, which is to be of this kind; then it is mended."""
    (leftover,) = workspace.logbook.leftovers(real_places(workspace))
    assert leftover.repair is repair, leftover
    workspace.logbook.mend([leftover])
    return f"{leftover.what} {leftover.right}"


def test_an_original_goes_back_only_when_its_copy_is_gone_and_its_name_is_free(on_trial, tmp_path):
    library, large, workspace = on_trial
    held_at = Path(held(workspace.logbook.moves()[0]))
    whole = picture(held_at)
    (kept_on_trial,) = workspace.logbook.leftovers(real_places(workspace))
    assert "kept while move 1 is on trial" in kept_on_trial.what
    shutil.rmtree(next(large.rglob("Library")))
    library.unlink()
    library.write_text("something of the user's")
    again = open_workspace(state=str(tmp_path / "second"))
    assert f"something else is at {library}" in the_only(again, Repair.NONE) and picture(held_at) == whole
    library.unlink()
    kept = (held_at / "file-0000.bin").read_bytes()
    (held_at / "file-0000.bin").unlink()
    assert "What is left of the original" in the_only(again, Repair.NONE), "it is not taken for the whole"
    (held_at / "file-0000.bin").write_bytes(kept)
    assert "It can go back" in the_only(again, Repair.PUT_BACK)
    assert picture(library, times=False) == {path: (*facts[:-1], None) for path, facts in whole.items()}


def test_what_a_sidecar_says_counts_only_where_its_folder_bears_it_out(on_trial, tmp_path):
    """A stick from anybody must not be able to put a folder where its sidecar would have it."""
    library, _, workspace = on_trial
    about = Path(held_folder(workspace.logbook.moves()[0])) / "about.json"
    data = json.loads(about.read_text())
    hostile = (f"{data['move']['source_place']}/../../elsewhere", "/etc/Library", "relative", "/a\0b", "/" + "x" * 300)
    for end, place in [("source_place", place) for place in hostile] + [
        ("target_place", place) for place in hostile[2:]
    ]:
        about.write_text(json.dumps({**data, "move": {**data["move"], end: place}}))
        again = open_workspace(state=str(tmp_path / f"state {place!r:.3}"))
        (leftover,) = again.logbook.leftovers([str(library.parent)])
        assert leftover.repair is Repair.NONE and not again.logbook.mend([leftover])
    newer = json.dumps({**data, "format": "nuvik-aside/3"})
    for junk in ("", "{}", "[]", "[" * 90_000, '{"format": "nuvik-aside/2"}', newer, "x" * 2_000_000):
        about.write_text(junk)
        assert "does not say which library" in the_only(again, Repair.NONE)
    about.unlink()
    os.mkfifo(about)
    assert "does not say which library" in the_only(again, Repair.NONE)


def test_a_copy_in_which_somebody_worked_is_not_removed(on_trial, tmp_path):
    workspace = on_trial[2]
    undone = die_after(workspace, 31, lambda: undo(workspace.carry.work(), "1"))
    again = open_workspace(state=str(tmp_path / "second"))
    leftover = next(
        leftover for leftover in again.logbook.leftovers(real_places(again)) if leftover.repair is Repair.REMOVE_COPY
    )
    assert undone and leftover.move.visible
    newer = Path(leftover.path) / "content" / "file-0000.bin"
    newer.write_bytes(b"newer work")
    (mended,) = again.logbook.mend([leftover])
    assert mended.problem and "file-0000.bin" in mended.problem.what and newer.read_bytes() == b"newer work"


def test_a_copy_that_was_in_use_goes_when_the_original_has_all_of_it(on_trial, tmp_path):
    library, large, workspace = on_trial
    whole = picture(Path(held(workspace.logbook.moves()[0])))
    die_after(workspace, 31, lambda: undo(workspace.carry.work(), "1"))
    again = open_workspace(state=str(tmp_path / "second"))
    results = again.logbook.mend(again.logbook.leftovers(real_places(again)))
    assert [mended.problem for mended in results] == [None]
    assert picture(library) == whole and not leftovers(library.parent) and not leftovers(large)


def test_what_is_on_a_drive_that_is_away_waits_for_it(real_drives, on_trial, tmp_path):
    library, large, workspace = on_trial
    whole = picture(Path(held(workspace.logbook.moves()[0])))
    unmount(large)
    again = open_workspace(state=str(tmp_path / "second"))
    assert "which was moved to large; that drive is away. Attach large" in the_only(again, Repair.NONE)
    real_drives.mount("large")
    the_only(again, Repair.RECORD)
    undo(again.carry.work(), "last")
    assert picture(library) == whole


def test_an_unfinished_copy_waits_for_the_drive_of_its_original(real_drives, tmp_path):
    small, large = real_drives.up("small", "60M", "ext4"), real_drives.up("large", "60M", "ext4")
    library, workspace = fill(small / "Library", files=5), open_workspace(state=str(tmp_path / "first"))
    die_after(workspace, 25, partial(shift, workspace, library, large))
    unmount(small)
    again = open_workspace(state=str(tmp_path / "second"))
    assert "Its original is on small, which is away" in the_only(again, Repair.NONE)
    real_drives.mount("small")
    shutil.move(library, small / "Elsewhere")
    assert "this may be all there is of it" in the_only(again, Repair.NONE)
    shutil.move(small / "Elsewhere", library)
    the_only(again, Repair.REMOVE_COPY)
    assert library.is_dir() and not leftovers(large) and sorted(os.listdir(large)) == ["lost+found"]


def test_links_lead_to_where_a_drive_is_mounted_now(real_drives, on_trial):
    library, _, workspace = on_trial
    release(workspace.carry.work(), "all")
    point = real_drives.elsewhere("large", "another place")
    assert not library.exists()
    assert "leads to where its drive was mounted before" in the_only(workspace, Repair.LEAD_ANEW)
    assert library.exists() and str(library.resolve()).startswith(str(point))
    library.unlink()
    assert "is gone, so programs do not find" in the_only(workspace, Repair.LEAD_ANEW) and library.exists()
    assert not workspace.logbook.leftovers(real_places(workspace))
    copy = Path(os.readlink(library))
    copy.rename(copy.with_name("Moved by hand"))
    assert "is not at" in the_only(workspace, Repair.NONE) and library.is_symlink()
    library.unlink()
    assert not workspace.logbook.leftovers(real_places(workspace)), "both were removed"


def test_nothing_is_carried_before_it_is_known_what_a_damaged_journal_left(on_trial, tmp_path, capsys):
    library, large, workspace = on_trial
    state = Path(workspace.computer.state_folder)
    damage_beginning(state)
    again = open_workspace(state=str(state))
    other = fill(library.parent / "Other game")
    with pytest.raises(Refused, match=f"kept as {state}/nuvik-damaged-"):
        again.carry.carry(make_plan(again.plan.draft([(str(other), str(large))])))
    assert "was damaged" in nuvik(capsys, 0, "drives", "--state", str(state)).err
    shown_now = nuvik(capsys, 5, "mend", "--state", str(state)).out
    assert "There is no folder" in nuvik(capsys, 2, "mend", str(tmp_path / "nowhere"), "--state", str(state)).err
    assert "The original of" in shown_now and "released or taken back" in shown_now
    nuvik(capsys, 0, "mend", "--fix", "--json", "--state", str(state))
    again.carry.carry(make_plan(again.plan.draft([(str(other), str(large))])))
    undo(again.carry.work(), "1")
    assert library.is_dir() and not library.is_symlink()


async def test_the_screen_shows_what_is_left_and_puts_right_what_is_safe(world, ferry):
    workspace = world.open()
    shift(workspace, ferry, "heron", on_trial=True)
    os.rename(workspace.computer.state_folder, world.path("lost"))
    async with running(world, (120, 40)) as (app, pilot):
        await press(pilot, "6", "m")
        assert "1 can be put right safely" in words(app, "#lines") and "The original of" in words(app, "#lines")
        await press(pilot, "f")
        assert "is move 1 now, on trial" in words(app, "#lines")
        await press(pilot, "escape", "u")
        await press(pilot, "y")
    assert ferry.is_dir() and not ferry.is_symlink() and not leftovers(world.folder)


def test_what_may_not_be_removed_is_no_fault_and_holds_up_nothing(on_trial):
    _, large, workspace = on_trial
    stuck, free = large / "box" / ".nuvik-held-7-0123abcd", large / ".nuvik-incoming-8-0123abcd"
    stuck.mkdir(parents=True)
    free.mkdir()
    subprocess.run(["chattr", "+i", str(stuck.parent)], check=True)
    try:
        results = workspace.logbook.mend(workspace.logbook.leftovers(real_places(workspace)))
        assert [bool(mended.problem) for mended in results] == [False, True] and not free.exists() and stuck.exists()
        assert "It cannot be removed: operation not permitted" in results[1].problem.what
    finally:
        subprocess.run(["chattr", "-i", str(stuck.parent)], check=True)


def test_a_move_that_its_drive_does_not_show_holds_up_nothing(on_trial):
    _, large, workspace = on_trial
    journal = workspace.carry.work().journal
    release(workspace.carry.work(), "all")
    journal.keep(replace(journal.move(1), target_place="", target="/nowhere at all"))
    (large / ".nuvik-incoming-8-0123abcd").mkdir()
    assert "An empty folder" in the_only(workspace, Repair.CLOSE)


def test_a_folder_of_another_user_is_said_to_be_one(on_trial, monkeypatch):
    _, large, workspace = on_trial
    release(workspace.carry.work(), "all")
    theirs = large / ".nuvik-held-8-0123abcd"
    theirs.mkdir()
    plain = Files.names_at

    def names_at(files, path: str) -> list[str]:
        if path == str(theirs):
            raise PermissionError(13, "Permission denied", path)
        return plain(files, path)

    monkeypatch.setattr(Files, "names_at", names_at)
    assert "it belongs to another user" in the_only(workspace, Repair.NONE) and theirs.exists()
