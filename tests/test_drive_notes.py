"""A drive tells another computer what is on it; the other one trusts nothing of that."""

from __future__ import annotations

import json
import os
from dataclasses import replace
from pathlib import Path

import jsonschema
import pytest

from conftest import MB, fill, picture, put
from nuvik.__main__ import run
from nuvik.core.model.drive_note import NotedState
from nuvik.core.model.errors import Refused
from nuvik.core.model.opening import ReadPattern
from nuvik.core.stages.workspace import open_workspace
from nuvik.core.user_files.drive_note import NOTE_FILE
from test_documents import shipped, strict


@pytest.fixture
def stick(real_drives) -> Path:
    return real_drives.up("stick", "200M", "exfat")


@pytest.fixture
def noted(stick, tmp_path, monkeypatch, capsys) -> Path:
    """A stick with two libraries that this computer knows well, and a note of them."""
    fill(stick / "Games" / "Kite", files=9)
    put(stick / "Games" / "Kite" / "Films" / "a.bin", 9 * MB)
    put(stick / "Films" / "Old Ferry" / "ferry.mkv", 30 * MB)
    state = ["--state", str(tmp_path / "one")]
    workspace = open_workspace(None, str(tmp_path / "one"))
    workspace.survey.take((str(stick),))
    kite = str(stick / "Games" / "Kite")
    assert run(["card", kite, "--kind", "game", "--opens-per-week", "4", "--part", "Films=video", *state]) == 0
    card = replace(workspace.survey.card(kite), pattern=ReadPattern(bytes=9 * MB, runs=70))
    workspace.survey.keep_cards([card])
    workspace.survey.take((str(stick),))
    assert run(["note", str(stick), *state]) == 0 and not (stick / NOTE_FILE).exists()
    assert run(["note", str(stick), "--checksums", "--yes", *state]) == 0
    capsys.readouterr()
    jsonschema.validate(json.loads((stick / NOTE_FILE).read_text()), strict(shipped("nuvik-drive-note/1")))
    monkeypatch.setenv("HOME", str(tmp_path / "another-home"))
    return stick


def test_another_computer_takes_over_what_a_drive_says_of_itself(noted, real_drives, tmp_path, capsys):
    before = picture(noted / "Games")
    moved, state = real_drives.elsewhere("stick", "elsewhere"), ["--state", str(tmp_path / "two")]
    assert run(["adopt", str(moved), "--check", "--json", *state]) == 0
    document = json.loads(capsys.readouterr().out)
    jsonschema.validate(document, strict(shipped("nuvik-adopt/1")))
    assert all(row["checked"] and row["state"] == "as noted" for row in document["libraries"])
    other = open_workspace(None, str(tmp_path / "two"))
    kite = str(moved / "Games" / "Kite")
    assert other.survey.card(kite).opens_per_week is None, "nothing is taken over without --yes"
    assert run(["card", kite, "--opens-per-week", "9", *state]) == 0
    assert run(["adopt", str(moved), "Kite", "--yes", *state]) == 0
    card = other.survey.card(kite)
    assert (card.kind, card.opens_per_week, card.pattern.runs) == ("game", 9.0, 70), "what is known here stays"
    assert [part.path for part in card.parts] == ["Films"]
    assert other.survey.card(str(moved / "Films" / "Old Ferry")).kind is None
    other.survey.take((str(moved),))
    assert other.plan.library_at(kite).pattern.bytes == 9 * MB
    assert picture(moved / "Games") == before, "nothing on the drive was touched"
    (moved / "Films" / "Old Ferry" / "ferry.mkv").write_bytes(b"x" * 30 * MB)
    (moved / "Games" / "Kite" / "more.bin").write_bytes(b"x")
    assert run(["adopt", str(moved), "--check", *state]) == 5
    printed = capsys.readouterr().out
    assert "its contents are not those noted" in printed and "not as they should be" in printed
    assert run(["adopt", str(moved), "Nothing", *state]) == 2


@pytest.mark.parametrize(
    ("forge", "words"),
    [
        (lambda note: note["libraries"][0].update(path="../../etc"), "relative path"),
        (lambda note: note["libraries"][0].update(path="/etc"), "relative path"),
        (lambda note: note["libraries"][0].update(checksum="zz"), "pattern"),
        (lambda note: note["libraries"][0].update(opens_per_week=1e9), "less than"),
        (lambda note: note["libraries"][0].update(command="rm -rf"), "not permitted"),
        (lambda note: note.update(format="nuvik-drive-note/9"), "input should be"),
        (lambda note: note["libraries"].extend(note["libraries"] * 20_000), "at most"),
    ],
)
def test_a_forged_note_is_refused(noted, tmp_path, capsys, forge, words):
    note = json.loads((noted / NOTE_FILE).read_text())
    forge(note)
    (noted / NOTE_FILE).write_text(json.dumps(note))
    assert run(["adopt", str(noted), "--yes", "--state", str(tmp_path / "two")]) == 3
    printed = capsys.readouterr()
    assert "cannot be read as a note" in printed.err and words in printed.err and "Traceback" not in printed.err


def test_what_a_note_names_must_lie_on_its_drive(world, tmp_path):
    workspace = world.open()
    fill(world.path("wren", "Games", "Kite"))
    os.symlink(tmp_path, world.path("wren", "Games", "Outside"))
    workspace.survey.take()
    wren = workspace.drives.find("wren")
    note = workspace.notes.make(wren)
    (kite,) = (library for library in note.libraries)
    forged = replace(
        note, libraries=tuple(replace(kite, path=path) for path in ("Games/Outside", "Games/Nowhere", ".", kite.path))
    )
    rows = workspace.notes.compare(wren, forged)
    assert [row.state for row in rows] == [
        NotedState.LEADS_OUT,
        NotedState.MISSING,
        NotedState.LEADS_OUT,
        NotedState.SAME,
    ]
    assert workspace.notes.adopt(wren, rows) == 1
    path = Path(workspace.notes.place_of(wren))
    for contents in (b"", b"\xff\xfe", b"[]", b"{", b'{"format": 3}'):
        path.write_bytes(contents)
        with pytest.raises(Refused, match="cannot be read as a note"):
            workspace.notes.read(wren)
    os.truncate(path, 17 * MB)
    with pytest.raises(Refused, match="no file that Nuvik writes"):
        workspace.notes.read(wren)
    path.unlink()
    os.mkfifo(path)
    with pytest.raises(Refused, match="no file that Nuvik writes"):
        workspace.notes.read(wren)
    path.unlink()
    path.symlink_to("/dev/zero")
    with pytest.raises(Refused, match="cannot be read as a note"):
        workspace.notes.read(wren)
    path.unlink()
    with pytest.raises(Refused, match="There is no note on this drive"):
        workspace.notes.read(wren)
    with pytest.raises(Refused, match="holds the system"):
        workspace.notes.make(workspace.drives.find("kestrel"))
