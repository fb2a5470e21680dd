"""A new kind of tether needs one class: the machine may die at any operation of it, and it is taken back in full."""

from __future__ import annotations

import json
import os
from dataclasses import replace
from functools import partial
from pathlib import Path

import pytest

from conftest import MB, a_world, fill, leftovers, picture, put
from nuvik.core.carrying.aside_folders import held
from nuvik.core.carrying.renames import renamable
from nuvik.core.carrying.run import resume, undo
from nuvik.core.carrying.tethers import registry
from nuvik.core.carrying.tethers.base import (
    Tether,
    close_held_folder,
    flush_names,
    holds_original,
    open_held_folder,
    put_original_back,
)
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.world import WorldHost
from nuvik.core.model.errors import Refused, Stopped
from nuvik.core.model.journal import Move, State
from nuvik.core.model.leftover import Repair
from nuvik.core.model.progress import Event
from nuvik.core.model.surroundings import Surroundings
from nuvik.core.model.tether import TetherKind, TetherState
from nuvik.core.planning.placement.limits import why_cannot
from nuvik.core.views.draft_sentences import cursor_sentence, library_note
from nuvik.core.views.event_words import event_words
from refusals import shift
from test_promise import Dead, assert_promise, die_after


class NoteTether(Tether):
    """A text file beside the old place says where the library is now; programs are shown the new path."""

    def apply(self, work: Work, move: Move) -> None:
        if not holds_original(work.files, move):
            open_held_folder(work, move)
            with renamable(work.files, move.source):
                work.files.rename_to_free_name(move.source, held(move))
        work.files.write_small(note(move.source), move.target)
        flush_names(work, move)

    def undo(self, work: Work, move: Move) -> None:
        self.withdraw(work, move)
        put_original_back(work, move)
        close_held_folder(work, move)

    def withdraw(self, work: Work, move: Move) -> None:
        if work.files.exists(note(move.source)):
            work.files.remove(note(move.source))

    def leads_to(self, move: Move) -> str:
        return move.target


def note(path: str) -> str:
    return path + " moved.txt"


@pytest.mark.parametrize("on_trial", [False, True], ids=["released", "on trial"])
def test_a_tether_of_another_kind_survives_death_and_is_taken_back(tmp_path, monkeypatch, on_trial):
    monkeypatch.setitem(registry._TETHERS, TetherKind.LINK, NoteTether())
    life, died = 3, True
    while died:
        life += 7
        world = a_world(tmp_path / str(life), kestrel={}, heron={"medium": "hdd"})
        source, target = world.path("kestrel", "Games", "Ferry"), world.path("heron", "Games", "Ferry")
        fill(source, files=4)
        whole = picture(source)
        workspace = world.open()
        died = die_after(workspace, life, partial(shift, workspace, source, on_trial=on_trial))
        again = world.open()
        if died and not again.logbook.midway():
            continue
        assert_promise(source, target, whole, again)
        if died:
            resume(again.carry.work())
        assert picture(target) == whole and not os.path.lexists(source)
        with open(note(source), encoding="utf-8") as file:
            assert file.read() == target
        undo(again.carry.work(), "last")
        assert picture(source) == whole and not os.path.lexists(note(source)) and not os.path.exists(target)
        assert not leftovers(world.folder)
    assert life > 60


def shelf(folder, **paths) -> str:
    """A program's settings file with the places of its titles."""
    file = os.path.join(folder, "shelf.json")
    with open(file, "w", encoding="utf-8") as opened:
        json.dump({"titles": [{"name": name, "path": path} for name, path in paths.items()]}, opened, indent=1)
    return file


def places(file: str) -> dict[str, str]:
    with open(file, encoding="utf-8") as opened:
        return {title["name"]: title["path"] for title in json.load(opened)["titles"]}


def taught(folder, filesystem: str):
    """A world in which a program's setting holds the path of a library on a drive of this file system."""
    world = a_world(folder, kestrel={"filesystem": filesystem}, heron={"medium": "hdd"})
    source = world.path("kestrel", "Games", "Ferry")
    fill(source, files=4)
    file = shelf(world.folder, Other="/elsewhere", Ferry=source)
    workspace = world.surveyed()
    workspace.tethers.add(workspace.tethers.library(source), "setting", file)
    return world, source, file


@pytest.mark.parametrize("filesystem", ["ext4", "exfat"], ids=["beside a link", "in place of a link"])
@pytest.mark.parametrize("then", ["resume", "undo"])
def test_a_setting_follows_its_library_whenever_the_machine_dies(tmp_path, filesystem, then):
    life, died = 2, True
    while died:
        life += 13
        world, source, file = taught(tmp_path / f"{life}", filesystem)
        target, whole = world.path("heron", "Games", "Ferry"), picture(source)
        workspace = world.open()
        died = die_after(workspace, life, partial(shift, workspace, source))
        again = world.open()
        if died and not again.logbook.midway():
            continue
        assert_promise(source, target, whole, again)
        assert places(file)["Ferry"] in (source, target) and places(file)["Other"] == "/elsewhere"
        if died and then == "undo":
            undo(again.carry.work(), "last")
            assert contents(source) == contents_of(whole) and places(file)["Ferry"] == source
            assert not os.path.exists(target)
            continue
        if died:
            resume(again.carry.work())
        assert places(file)["Ferry"] == target and picture(target) == whole
        assert os.path.islink(source) is (filesystem == "ext4") and os.path.lexists(source) is (filesystem == "ext4")
        died_back = die_after(again, life, partial(undo, again.carry.work(), "last"))
        last = world.open()
        if died_back:
            resume(last.carry.work())
        assert contents(source) == contents_of(whole) and places(file)["Ferry"] == source
        assert not os.path.exists(target) and not leftovers(world.folder)
    assert life > 60


def contents(root: str) -> dict:
    return contents_of(picture(root))


def contents_of(whole: dict) -> dict:
    """Without modes, which not every file system keeps."""
    return {name: (facts[0], *facts[2:]) for name, facts in whole.items()}


def test_what_stood_there_is_known_though_the_machine_died_as_it_was_changed(tmp_path, monkeypatch):
    world, source, file = taught(tmp_path / "world", "exfat")
    workspace = world.open()
    hook = workspace.computer.host.files.hook
    before = hook.before

    def dies(operation: str, path: str, count_bytes: int = 0) -> None:
        if (operation, path) == ("flush", file):
            raise Dead
        before(operation, path, count_bytes)

    monkeypatch.setattr(hook, "before", dies)
    with pytest.raises(Dead):
        shift(workspace, source)
    assert places(file)["Ferry"] == world.path("heron", "Games", "Ferry"), "changed, and not noted yet"
    again = world.open()
    resume(again.carry.work())
    undo(again.carry.work(), "last")
    assert places(file)["Ferry"] == source


def test_a_plan_file_names_settings_by_absolute_paths(tmp_path):
    world, source, _ = taught(tmp_path / "world", "exfat")
    workspace, path = world.open(), tmp_path / "p.nuvik-plan.json"
    workspace.plan.write(workspace.plan.make(workspace.plan.draft([(source, "heron")])), str(path))
    assert workspace.plan.read(str(path)).steps[0].tethers[0].key == "titles.1.path"
    plan = json.loads(path.read_text())
    for change in ({"file": "shelf.json"}, {"file": "/a\0b"}, {"kind": "glue"}):
        tethers = [{**plan["steps"][0]["tethers"][0], **change}]
        path.write_text(json.dumps({**plan, "steps": [{**plan["steps"][0], "tethers": tethers}]}))
        with pytest.raises(Refused):
            workspace.plan.read(str(path))
    path.write_text(json.dumps({**plan, "steps": [{**plan["steps"][0], "tethers": []}]}))
    with pytest.raises(Refused, match="would leave nothing where programs look"):
        workspace.plan.read(str(path))


def test_what_somebody_changed_since_is_told_and_left(tmp_path):
    world, source, file = taught(tmp_path / "world", "exfat")
    workspace = world.open()
    shift(workspace, source)
    target = world.path("heron", "Games", "Ferry")
    (kept,) = os.listdir(os.path.join(workspace.computer.state_folder, "settings"))
    assert places(os.path.join(workspace.computer.state_folder, "settings", kept))["Ferry"] == source
    shelf(world.folder, Other="/elsewhere", Ferry="/changed/by/its/program")
    (row,) = workspace.tethers.of(workspace.tethers.library(target))
    assert row.state is TetherState.BROKEN and "/changed/by/its/program" in row.trouble
    with pytest.raises(Refused, match="has been changed"):
        workspace.tethers.repair(workspace.tethers.library(target))
    (finding,) = workspace.logbook.leftovers()
    assert (finding.role, finding.repair) == ("setting", Repair.NONE) and "/changed/by" in finding.what
    shelf(world.folder, Other="/elsewhere", Ferry=source)  # its program wrote the old place again
    (finding,) = workspace.logbook.leftovers()
    assert finding.repair is Repair.SET_AGAIN
    assert workspace.logbook.mend([finding])[0].problem is None and not workspace.logbook.leftovers()
    shelf(world.folder, Other="/elsewhere", Ferry=source)
    assert workspace.tethers.repair(workspace.tethers.library(target)) == 1 and places(file)["Ferry"] == target
    os.makedirs(source)
    assert workspace.tethers.back_at_the_old_place(workspace.tethers.library(target)) == source
    os.rmdir(source)
    for on_trial in (False, True):  # copied back, and put back at once
        if on_trial:
            shelf(world.folder, Other="/elsewhere", Ferry=source)
            shift(workspace, source, on_trial=True)
        shelf(world.folder, Other="/elsewhere", Ferry="/changed/by/its/program")
        heard: list[Event] = []
        undo(workspace.carry.work(heard.append), "last")
        assert places(file)["Ferry"] == "/changed/by/its/program" and os.path.isdir(source)
        assert "has been changed" in workspace.logbook.moves()[-1 if on_trial else 0].problem
        assert ["has been changed" in event_words(event) for event in heard if event.event == "undone"] == [True]


def test_a_setting_is_set_back_though_the_target_is_away(tmp_path):
    world, source, file = taught(tmp_path / "world", "exfat")
    whole = picture(source)
    shift(world.open(), source, on_trial=True)
    assert places(file)["Ferry"] == world.path("heron", "Games", "Ferry")
    world.attach("heron", False)
    undo(world.open().carry.work(), "last")
    assert picture(source) == whole and places(file)["Ferry"] == source


def test_a_tether_of_a_part_leads_nobody_to_the_library(tmp_path):
    world, source, _ = taught(tmp_path / "world", "exfat")
    workspace = world.open()
    card = workspace.survey.card(source)
    workspace.survey.keep_cards([replace(card, tethers=(replace(card.tethers[0], part="data"),))])
    with pytest.raises(Refused, match="cannot hold the link"):
        shift(workspace, source)
    (ferry,) = workspace.survey.latest().libraries
    drives = {drive.id: drive for drive in workspace.drives.all()}
    assert "holds no links" in (why_cannot(ferry, drives["heron"], drives["kestrel"]) or "")


def test_a_setting_that_still_says_an_older_path_follows_from_there(tmp_path):
    world, source, file = taught(tmp_path / "world", "ext4")
    world.drive("wren")
    world.write()
    workspace = world.open()
    workspace.tethers.remove(workspace.tethers.library(source), 1)
    shift(workspace, source)  # only a link leads there
    moved = world.path("heron", "Games", "Ferry")
    assert places(file)["Ferry"] == source
    tether = workspace.tethers.add(workspace.tethers.library(moved), "setting", file, "titles.1.path")
    assert tether.key == "titles.1.path"
    shift(workspace, moved, drive="wren")
    assert places(file)["Ferry"] == world.path("wren", "Games", "Ferry")
    undo(workspace.carry.work(), "last")
    assert places(file)["Ferry"] == source and os.path.isdir(places(file)["Ferry"])


def test_a_file_that_cannot_be_changed_is_refused_before_and_stops_safely_midway(tmp_path, monkeypatch):
    world, source, file = taught(tmp_path / "world", "exfat")
    workspace, whole = world.open(), picture(source)
    os.rename(file, f"{file}.away")
    with pytest.raises(Refused, match="cannot be read"):
        shift(workspace, source)
    assert picture(source) == whole and not workspace.logbook.midway()
    os.rename(f"{file}.away", file)
    inside = shelf(source, Ferry=source)
    card = workspace.survey.card(source)
    own = replace(card.tethers[0], file=inside, key="titles.0.path")
    workspace.survey.keep_cards([replace(card, tethers=(own,))])
    with pytest.raises(Refused, match="lies in Ferry itself"):
        shift(workspace, source)
    workspace.survey.keep_cards([card])
    os.remove(inside)
    whole = picture(source)

    def busy(event):
        if event.event == "switched":
            os.rename(file, f"{file}.away")

    draft = workspace.plan.draft([(source, "heron")])
    with pytest.raises(Stopped, match="programs are not led there yet"):
        workspace.carry.carry(workspace.plan.make(draft), report=busy)
    (midway,) = workspace.logbook.midway()
    assert midway.state is State.SWITCHED and picture(held(midway)) == whole == picture(midway.target)
    os.rename(f"{file}.away", file)
    resume(workspace.carry.work())
    assert places(file)["Ferry"] == world.path("heron", "Games", "Ferry") and not leftovers(world.folder)


def test_a_part_keeps_its_own_setting_and_staging_sets_it_twice(tmp_path):
    world, source, file = taught(tmp_path / "world", "ext4")
    world.drive("wren")
    world.cards = [{"path": "kestrel/Games/Ferry", "part": [{"name": "Media", "kind": "video", "path": "Media"}]}]
    world.write()
    put(os.path.join(source, "Media", "sky.mov"), 30 * MB)
    shelf(world.folder, Ferry=source, Media=f"{source}/Media/", Gone="/elsewhere")
    workspace = world.surveyed()
    ferry = workspace.tethers.library(source)
    workspace.tethers.remove(ferry, 1)
    for key in ("titles.0.path", "titles.1.path"):
        workspace.tethers.add(ferry, "setting", file, key)
    assert [row.tether.part for row in workspace.tethers.of(ferry)] == ["", "Media"]
    draft = workspace.plan.empty_draft(workspace.survey.latest()).parted(ferry.id)
    draft = draft.put_down(f"{ferry.id}/Media", "wren").put_down(ferry.id, "heron")
    plan = workspace.plan.make(draft)
    assert len(list(workspace.tethers.changes(plan))) == 2
    body = draft.library(ferry.id)
    assert library_note(draft, None, body, "kestrel") == "→ Heron (a link and 1 setting)"
    assert "Programs find it by a link and 1 setting." in cursor_sentence(draft, None, body)
    workspace.carry.carry(plan)
    assert places(file)["Ferry"] == workspace.logbook.moves()[-1].target
    assert places(file)["Media"].startswith(world.path("wren")) and os.path.isdir(places(file)["Media"])
    workspace.logbook.undo_plan()
    assert places(file) == {"Ferry": source, "Media": f"{source}/Media/", "Gone": "/elsewhere"}


@pytest.mark.parametrize("kind", [kind for kind in TetherKind if kind is not TetherKind.CHECK])
def test_every_kind_is_applied_checked_broken_repaired_and_undone(tmp_path, monkeypatch, kind):
    """On real files, from a drive that holds links and from one that holds none."""
    for filesystem in ("ext4",) if kind is TetherKind.LINK else ("ext4", "exfat"):
        home = tmp_path / filesystem / "home"
        (home / ".config").mkdir(parents=True)
        world, source, file = taught(tmp_path / filesystem / "world", filesystem)
        dirs = home / ".config" / "user-dirs.dirs"
        dirs.write_text(f'XDG_VIDEOS_DIR="{source}"\n')
        entry = home / "ferry.desktop"
        entry.write_text(f'[Desktop Entry]\nExec="{source}/run" %U\n')
        monkeypatch.setattr(WorldHost, "surroundings", lambda host, home=home: Surroundings(home=str(home)))
        monkeypatch.delenv("XDG_CONFIG_HOME", raising=False)
        workspace, target, whole = world.open(), world.path("heron", "Games", "Ferry"), contents(source)
        ferry = workspace.tethers.library(source)
        workspace.tethers.remove(ferry, 1)
        if kind is TetherKind.SETTING:
            workspace.tethers.add(ferry, kind, file, "titles.1.path")
        elif kind is TetherKind.SHORTCUT:
            workspace.tethers.add(ferry, kind, str(entry), "Desktop Entry.Exec")
        elif kind is not TetherKind.LINK:
            workspace.tethers.add(ferry, kind, words="choose its folder" if kind is TetherKind.BY_HAND else "")
        written = {place: place.read_text() for place in (dirs, entry, Path(file))}
        shift(workspace, source)
        move = workspace.logbook.moves()[-1]
        assert contents(target) == whole and not workspace.logbook.broken_tethers()
        by_hand = kind is TetherKind.BY_HAND
        due = by_hand and filesystem == "exfat"
        assert move.state is (State.ON_TRIAL if due else State.RELEASED)
        assert workspace.tethers.done_by_hand(move) == by_hand
        rows = workspace.tethers.of_move(move)
        assert {row.state for row in rows} <= {TetherState.OK} and os.path.islink(source) == (
            filesystem == "ext4" and kind is not TetherKind.NONE
        )
        if kind is TetherKind.LINK:
            os.unlink(source)
        for place, text in written.items():
            place.write_text(text)
        broken = workspace.logbook.broken_tethers()
        assert len(broken) == (kind is TetherKind.LINK or kind.changes_a_file)
        if broken:
            assert TetherState.BROKEN in {row.state for row in workspace.tethers.of_move(move)}
            assert workspace.logbook.mend(broken)[0].problem is None and not workspace.logbook.broken_tethers()
        undo(workspace.carry.work(), "last")
        assert contents(source) == whole and not os.path.exists(target) and not leftovers(world.folder)
        assert {place: place.read_text() for place in written} == written
