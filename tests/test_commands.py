"""The commands: exit codes, one JSON document on stdout, messages on stderr, never a traceback."""

from __future__ import annotations

import errno
import json
import os
import re
import shlex
import signal
import subprocess
import sys
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest

from conftest import MB, fill, leftovers, picture, put
from nuvik.__main__ import run
from nuvik.core.stages.config import read_config
from nuvik.core.survey.walk import walk_slice
from nuvik.tui.app import NuvikApp

ROOT = Path(__file__).parent.parent


def nuvik(*words: str, code: int = 0, **settings) -> subprocess.CompletedProcess:
    done = subprocess.run([sys.executable, "-m", "nuvik", *words], capture_output=True, text=True, **settings)
    assert done.returncode == code, done.stderr
    assert "Traceback" not in done.stderr
    return done


@pytest.fixture
def house(world):
    fill(world.path("kestrel", "Games", "Ferrymoss"))
    fill(world.path("kestrel", "Games", "Lantern [b]"), seed=2)
    return world


def test_the_whole_job_by_commands(house, tmp_path):
    at, game = ["--world", str(house.folder)], house.path("kestrel", "Games", "Ferrymoss")
    whole = picture(game)
    drives = json.loads(nuvik("drives", *at, "--json").stdout)
    assert drives["format"] == "nuvik-drives/1"
    assert {"id", "free_bytes", "headroom_bytes", "speed_source", "felt_load_s", "tier"} <= drives["drives"][0].keys()
    survey = json.loads(nuvik("survey", *at, "--json").stdout)
    assert {library["name"] for library in survey["libraries"]} == {"Ferrymoss", "Lantern [b]"}
    plan = str(tmp_path / "p.nuvik-plan.json")
    nuvik("draft", game, "heron", house.path("kestrel", "Games", "Lantern [b]"), "wren", "-o", plan, *at)
    rehearsal = json.loads(nuvik("rehearse", plan, *at, "--json").stdout)
    assert rehearsal["feasible"] and len(rehearsal["steps"]) == 2
    assert rehearsal["away"] == {"wren": ["Lantern [b]"]}
    assert "Add --yes" in nuvik("carry", plan, *at).stderr
    assert not os.path.islink(game)
    lines = [json.loads(line) for line in nuvik("carry", plan, "--yes", "--json", *at).stdout.splitlines()]
    names = [line["event"] for line in lines if line["event"] != "progress"]
    assert names == ["step-started", "copied", "proven", "switched", "released"] * 2 + ["done"]
    assert lines[-1]["freed_bytes"] == lines[-1]["expected_freed_bytes"] != {}
    assert all(line["format"] == "nuvik-event/1" for line in lines)
    assert picture(game) == whole
    assert "Move 1:" in nuvik("undo", "1", *at).stdout
    nuvik("undo", "1", "--yes", *at)
    logbook = json.loads(nuvik("logbook", *at, "--json").stdout)["moves"]
    assert [(move["id"], move["state"]) for move in logbook] == [(3, "released"), (2, "released"), (1, "undone")]
    assert picture(game) == whole
    assert not os.path.islink(game)
    nuvik("shift", game, "heron", "--yes", "--on-trial", *at)
    assert leftovers(house.folder)
    assert "on trial" in nuvik("logbook", *at).stdout
    nuvik("release", "all", "--yes", *at, code=2)
    nuvik("release", "all", *at)
    assert not leftovers(house.folder)


def calls_in_the_docs() -> list[tuple[str, int, str]]:
    rows = re.findall(r"^\| `nuvik (.*?)` \| (\d) \| (.*?) ?\|$", (ROOT / "docs" / "commands.md").read_text(), re.M)
    return [(words, int(code), expected) for words, code, expected in rows]


def test_the_table_of_exit_codes_is_true(house, tmp_path, capsys, monkeypatch):
    monkeypatch.chdir(tmp_path)
    monkeypatch.delenv("NUVIK_STATE", raising=False)
    Path("broken.json").write_text("{")
    put("taken/file")
    at = ["--world", str(house.folder)]
    assert house.run("survey") == 0
    rows = calls_in_the_docs()
    assert len(rows) > 30
    for text, code, says in rows:
        words = shlex.split(text)
        capsys.readouterr()
        ended = run([*([] if "--world" in words or words[0] == "demo" else at), *words])
        printed = capsys.readouterr()
        assert (ended, printed.err if says else "") == (code, printed.err if says in printed.err else says), text
        assert bool(printed.out) == (code in (0, 5) or "--json" in words), text


def test_what_is_named_before_the_command_counts_after_it(house, capsys):
    at = ["--world", str(house.folder)]
    for words in (["--json", "-q", *at, "drives"], ["drives", *at, "--json", "-q"], [*at, "drives", "--json"]):
        assert run(words) == 0 and json.loads(capsys.readouterr().out)["format"] == "nuvik-drives/1"
    assert run(["shift", house.path("kestrel", "Games", "Ferrymoss"), "heron", *at, "-q"]) == 0
    assert "Add --yes" not in capsys.readouterr().err


def test_ctrl_c_stops_safely_and_resume_goes_on(house):
    house.write(time_scale=0.1)
    game, at = house.path("kestrel", "Games", "Ferrymoss"), ["--world", str(house.folder)]
    whole = picture(game)
    words = [sys.executable, "-m", "nuvik", "shift", game, "heron", "--yes", *at]
    child = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    assert child.stdout is not None
    assert child.stdout.readline().startswith("1. ")
    child.send_signal(signal.SIGINT)
    _, errors = child.communicate(timeout=60)
    assert child.returncode == 4, errors
    assert "nuvik resume" in errors and "Traceback" not in errors
    assert (
        "is unfinished"
        in nuvik("shift", house.path("kestrel", "Games", "Lantern [b]"), "heron", "--yes", *at, code=3).stderr
    )
    house.write(time_scale=0)
    nuvik("resume", *at)
    assert os.path.islink(game)
    assert picture(game) == whole


def test_unreadable_things_are_findings(house, monkeypatch, capsys):
    """DriveNotes by path, with exit code 5, while all the rest is surveyed."""
    closed, whole = house.path("kestrel", "Games", "Ferrymoss", "data"), walk_slice.scan_folder

    def look(handle, *rest):
        if os.path.samestat(os.stat(handle), os.stat(closed)):
            raise PermissionError(errno.EACCES, "Permission denied")
        return whole(handle, *rest)

    monkeypatch.setattr(walk_slice, "scan_folder", look)
    assert house.run("survey") == 5
    printed = capsys.readouterr()
    assert f"{closed} could not be read (permission denied)" in printed.err
    assert "Lantern [b]" in printed.out


def test_the_tour_does_the_whole_job_and_draws_it(tmp_path):
    done = nuvik("demo", "--tour", "--out", str(tmp_path))
    assert "nothing better exists" in done.stdout and "Taken back: " in done.stdout
    then = re.search(r"Kestrel 36.6 GB → ([\d.]+ GB) free", done.stdout)[1]
    drawing = ET.parse(tmp_path / "hollin-before-and-after.svg").getroot()
    words = "".join(drawing.itertext())
    assert "Kestrel" in words and "now" in words and "then" in words and f"{then} free of" in words


def test_the_map_names_what_is_big_and_cold(tmp_path):
    from nuvik.demo.build import household_at

    folder = household_at(str(tmp_path / "demo"))
    nuvik("survey", "--world", folder)
    for ending in ("svg", "pdf"):
        nuvik("draw", "map", "-o", str(tmp_path / f"map.{ending}"), "--world", folder)
    words = "".join(ET.parse(tmp_path / "map.svg").getroot().itertext())
    assert "big and cold" in words and "Saltmarsh Signalman" in words and "3 years" in words
    assert "5 big libraries (369 GB) have not been used for a year" in words
    assert (tmp_path / "map.pdf").read_bytes().startswith(b"%PDF")


def test_the_demo_is_as_promised(tmp_path):
    from nuvik.demo.build import household_at

    folder = household_at(str(tmp_path / "demo"))
    real = sum(
        os.lstat(os.path.join(here, name)).st_blocks * 512 for here, _, names in os.walk(folder) for name in names
    )
    assert real < 200 * MB
    survey = json.loads(nuvik("survey", "--world", folder, "--json").stdout)
    sizes = [library["bytes"] for library in survey["libraries"]]
    assert len(survey["drives"]) == 6 and len(sizes) >= 45 and min(sizes) == 45 * MB and max(sizes) == 900_000 * MB
    assert sum(not drive["attached"] for drive in survey["drives"]) == 1
    assert len({library["kind"] for library in survey["libraries"]}) == 12
    assert any(library["parts"] for library in survey["libraries"])
    assert sum(library["why_not"] is not None and library["drive"] == "kestrel" for library in survey["libraries"]) == 2


def test_drawings_hold_hostile_names(house, tmp_path):
    hostile = fill(house.path("heron", os.fsdecode(b"<b>&amp; $x^2$ \xff\n<svg>")), seed=5)
    with open(hostile / "big", "wb") as file:
        file.truncate(400 * MB)  # wide enough for its name to be written into the drawing
    nuvik("survey", "--world", str(house.folder))
    for ending in ("svg", "pdf"):
        nuvik("draw", "drives", "-o", str(tmp_path / f"d.{ending}"), "--world", str(house.folder))
    ET.parse(tmp_path / "d.svg")
    assert (tmp_path / "d.pdf").read_bytes().startswith(b"%PDF")


def test_empty_folders_json_errors_and_taking_everything_back(world, capsys):
    """`--world ""` is never this computer; a refusal for a program is one object."""
    at = ["--world", str(world.folder)]
    for words in (["drives", "--world", ""], ["--world", " ", "drives"], ["drives", *at, "--state", ""]):
        assert run(words) == 2 and "is empty" in capsys.readouterr().err
    error = json.loads(world.prints("landing", "emu", "--json", code=2))
    assert (error["format"], error["exit_code"]) == ("nuvik-error/1", 2) and "not one of" in error["what"]
    games = [fill(world.path("kestrel", "Games", name), seed=n) for n, name in enumerate(("Kite", "Moor"))]
    whole = [picture(game) for game in games]
    for game in games:
        assert world.run("shift", str(game), "heron", "--yes") == 0
    capsys.readouterr()
    assert world.run("undo", "all") == 0 and "Kite" in (printed := capsys.readouterr().out) and "Moor" in printed
    assert world.run("undo", "all", "--yes") == 0
    assert [picture(game) for game in games] == whole and not any(os.path.islink(game) for game in games)
    assert world.run("undo", "all", "--yes") == 3


def test_the_configuration_holds_until_a_call_says_otherwise(world, tmp_path, monkeypatch, capsys):
    file = tmp_path / "config" / "nuvik.toml"
    monkeypatch.setenv("NUVIK_CONFIG", str(file))
    assert "not set" in world.prints("config")
    for words, code in ((["units", "miles"], 2), (["colour", "red"], 2), (["--forget"], 2), (["state", "here"], 2)):
        assert world.run("config", *words) == code
    assert world.run("config", "units", "binary") == 0 and world.run("config", "theme", "day") == 0
    file.write_text("# mine\n" + file.read_text())
    assert "MiB" in world.prints("drives")
    assert "MiB" not in world.prints("drives", "--units", "decimal")
    assert "MiB" not in world.prints("--units", "decimal", "drives")
    assert NuvikApp(world.open, read_config().theme).theme == "nuvik-day"
    assert world.run("config", "units", "--forget") == 0 and "# mine" in file.read_text() and read_config().units == ""
    assert world.run("config", "state", str(tmp_path / "mine")) == 0
    assert world.run("drives") == 0 and not (tmp_path / "mine").exists(), "a world has a place of its own"
    capsys.readouterr()
    assert world.run("config", "--json") == 0 and json.loads(capsys.readouterr().out)["state"] == str(tmp_path / "mine")
    for wrong in ("units = 7", "]["):
        file.write_text(wrong)
        assert world.run("drives") == 3 and str(file) in capsys.readouterr().err
    assert run(["drives", "--units", "decimal"]) == 3
